/** Which site a list of the whole agency is narrowed to. */
import { t } from '@lingui/core/macro';
import { useSites } from '../mind/asked';

export function SitePick({ site, choose }: { site: string; choose: (site: string | undefined) => void }) {
  const places = useSites();
  return (
    <select className="inline" aria-label={t`Site`} value={site} onChange={(e) => choose(e.target.value || undefined)}>
      <option value="">{t`all sites`}</option>
      {(places.data ?? []).map((each) => (
        <option key={each.key} value={each.key}>
          {each.host}
        </option>
      ))}
    </select>
  );
}
