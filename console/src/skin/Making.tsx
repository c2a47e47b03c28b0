/** What one day was made from, at every grain, and how it changed since. */
import type { DayChange, DayMaking, GrainDay } from '../mind/api';
import { count, longDay, place, signed } from '../mind/words';
import { Section } from './states';

const SAID: Record<string, string> = {
  final: 'Final: the provider has settled it.',
  provisional: 'Provisional: the provider still revises it, so it is in no total.',
  missing: 'Missing: not held. A pull fetches it if the provider still has it.',
  empty: 'Empty: the provider has nothing for this day.',
  lost: 'Lost: it was never had, and the provider keeps it no more.',
};
const GRAIN: Record<string, string> = { site: 'the site', query: 'queries', page: 'pages', pair: 'queries by page' };

export function Making({ made, stale }: { made: DayMaking; stale: boolean }) {
  const first = made.grains[0];
  const remarks = made.grains.filter((grain) => grain.remark && grain.flag !== 'lost');
  return (
    <Section title={longDay(made.day)} stale={stale}>
      <p className="lead side">{SAID[first?.state ?? 'missing']}</p>
      {first?.flag === 'lost' && <p className="small">{first.remark}</p>}
      {remarks.map((grain) => (
        <div key={grain.grain} className="note error">
          <p>
            Counted for {GRAIN[grain.grain]}: {grain.remark}.
          </p>
        </div>
      ))}
      {first && first.state !== 'lost' && (
        <>
          <dl className="facts">
            <dt>Made from</dt>
            <dd>{first.origin}</dd>
            <dt>Taken</dt>
            <dd>{first.taken_at?.replace('T', ' ').replace('+00:00', ' UTC')}</dd>
            <dt>Revision</dt>
            <dd>{first.revision ?? '–'}</dd>
            <dt>Average position</dt>
            <dd>{place(first.impressions ? first.position_sum / first.impressions : null)}</dd>
          </dl>
          <div className="wrap">
            <table className="t fit" style={{ marginTop: 8 }}>
              <caption className="vh">Rows and sums at every grain</caption>
              <thead>
                <tr>
                  <th scope="col">Counted for</th>
                  <th scope="col" className="num">
                    Rows
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
                {made.grains.map((grain) => (
                  <GrainRow key={grain.grain} grain={grain} />
                ))}
              </tbody>
            </table>
          </div>
          <p className="small" style={{ marginTop: 6 }}>
            {agreement(made.grains)} Digest {first.digest?.slice(0, 12)}…
          </p>
        </>
      )}
      {made.changes.length > 0 && <Changes found={made.changes} />}
    </Section>
  );
}

function GrainRow({ grain }: { grain: GrainDay }) {
  return (
    <tr>
      <th scope="row">{GRAIN[grain.grain] ?? grain.grain}</th>
      <td className="num">
        {count(grain.rows)}
        {grain.repeats > 0 && <span className="small"> of {count(grain.lines)} lines</span>}
      </td>
      <td className="num">{count(grain.clicks)}</td>
      <td className="num">{count(grain.impressions)}</td>
    </tr>
  );
}

function agreement(grains: readonly GrainDay[]): string {
  if (grains.every((grain) => grain.promised_rows === null)) return 'The provider stated no totals to compare.';
  return grains.some((grain) => grain.flag) ? '' : 'All as the provider states them.';
}

function Changes({ found }: { found: readonly DayChange[] }) {
  return (
    <>
      <h3 style={{ margin: '10px 0 2px' }}>Changed after it was final</h3>
      <ul className="cautions" style={{ marginTop: 0 }}>
        {found.map((change) => (
          <li key={change.id}>
            {change.at.slice(0, 10)}, {change.origin}, {GRAIN[change.grain]}: clicks {count(change.was.clicks)} to{' '}
            {count(change.now.clicks)} ({signed(change.now.clicks - change.was.clicks)}), impressions{' '}
            {count(change.was.impressions)} to {count(change.now.impressions)}
          </li>
        ))}
      </ul>
    </>
  );
}
