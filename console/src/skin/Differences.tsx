/** Why two numbers for the same thing differ: totals at every grain, with what lies between them. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import type { Reconciliation, SourceTotals } from '../mind/api';
import { count, percent, signed, span } from '../mind/words';
import { Spark } from './small';
import { Section } from './states';

const NAMES: Record<string, string> = {
  site: t`The site’s own total`,
  query: t`All listed queries`,
  page: t`All pages`,
  pair: t`All query-by-page rows`,
  look: t`All looks`,
};

export function Differences({ found, stale }: { found: Reconciliation; stale: boolean }) {
  return (
    <Section
      title={t`Why two numbers differ`}
      about={span(found.first, found.last)}
      stale={stale}
      label={t`Why two numbers differ`}
    >
      <div className="wrap">
        <table className="t fit">
          <thead>
            <tr>
              <th scope="col">
                <Trans>Total</Trans>
              </th>
              <th scope="col" className="num">
                <Trans>Days</Trans>
              </th>
              <th scope="col" className="num">
                <Trans>Clicks</Trans>
              </th>
              <th scope="col" className="num">
                <Trans>Impressions</Trans>
              </th>
            </tr>
          </thead>
          <tbody>
            {found.sources.map((source) => (
              <Totals key={source.source} source={source} />
            ))}
          </tbody>
        </table>
      </div>
    </Section>
  );
}

function Totals({ source }: { source: SourceTotals }) {
  const newest = source.unlisted.at(-1);
  return (
    <>
      <tr className="grouprow">
        <th colSpan={4} scope="rowgroup">
          {source.label}
          {source.counted ? '' : t`, kept apart`}
        </th>
      </tr>
      {source.grains.map((grain) => (
        <tr key={grain.grain}>
          <th scope="row">{NAMES[grain.grain] ?? grain.grain}</th>
          <td className="num">{count(grain.days)}</td>
          <td className="num">{count(grain.clicks)}</td>
          <td className="num">{count(grain.impressions)}</td>
        </tr>
      ))}
      {source.steps.map((step) => (
        <tr key={step.code} className="rest">
          <td colSpan={2} style={{ whiteSpace: 'normal' }}>
            {step.text}
          </td>
          <td className="num">{step.clicks === null ? '' : signed(step.clicks)}</td>
          <td className="num">{step.impressions === null ? '' : signed(step.impressions)}</td>
        </tr>
      ))}
      {newest && (
        <tr className="rest">
          <td colSpan={2}>
            <Trans>Unlisted share of clicks, by month</Trans>
          </td>
          <td className="num">{percent(newest.clicks)}</td>
          <td>
            <Spark
              values={source.unlisted.map((share) => share.clicks)}
              label={t`Unlisted share of clicks over ${source.unlisted.length} months`}
            />
          </td>
        </tr>
      )}
    </>
  );
}
