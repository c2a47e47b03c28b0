/** Why two numbers for the same thing differ: totals at every grain, with what lies between them. */
import type { Reconciliation, SourceTotals } from '../mind/api';
import { count, percent, signed, span } from '../mind/words';
import { Spark } from './small';
import { Section } from './states';

const NAMES: Record<string, string> = {
  site: 'The site’s own total',
  query: 'All listed queries',
  page: 'All pages',
  pair: 'All query-by-page rows',
  look: 'All looks',
};

export function Differences({ found, stale }: { found: Reconciliation; stale: boolean }) {
  return (
    <Section
      title="Why two numbers differ"
      about={span(found.first, found.last)}
      stale={stale}
      label="Why two numbers differ"
    >
      <div className="wrap">
        <table className="t fit">
          <thead>
            <tr>
              <th scope="col">Total</th>
              <th scope="col" className="num">
                Days
              </th>
              <th scope="col" className="num">
                Clicks
              </th>
              <th scope="col" className="num">
                Impressions
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
          {source.counted ? '' : ', kept apart'}
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
          <td colSpan={2}>Unlisted share of clicks, by month</td>
          <td className="num">{percent(newest.clicks)}</td>
          <td>
            <Spark
              values={source.unlisted.map((share) => share.clicks)}
              label={`Unlisted share of clicks over ${source.unlisted.length} months`}
            />
          </td>
        </tr>
      )}
    </>
  );
}
