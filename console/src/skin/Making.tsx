/** What one day was made from, at every grain, and how it changed since. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import type { DayChange, DayMaking, GrainDay } from '../mind/api';
import { count, longDay, place, signed } from '../mind/words';
import { Section } from './states';

const SAID: Record<string, string> = {
  final: t`Final: the provider has settled it.`,
  provisional: t`Provisional: the provider still revises it, so it is in no total.`,
  missing: t`Missing: not held. A pull fetches it if the provider still has it.`,
  empty: t`Empty: the provider has nothing for this day.`,
  lost: t`Lost: it was never had, and the provider keeps it no more.`,
};
const GRAIN: Record<string, string> = {
  site: t`the site`,
  query: t`queries`,
  page: t`pages`,
  pair: t`queries by page`,
};

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
            <Trans>
              Counted for {GRAIN[grain.grain]}: {grain.remark}.
            </Trans>
          </p>
        </div>
      ))}
      {first && first.state !== 'lost' && (
        <>
          <dl className="facts">
            <dt>
              <Trans>Made from</Trans>
            </dt>
            <dd>{first.origin}</dd>
            <dt>
              <Trans>Taken</Trans>
            </dt>
            <dd>{first.taken_at?.replace('T', ' ').replace('+00:00', ' UTC')}</dd>
            <dt>
              <Trans>Revision</Trans>
            </dt>
            <dd>{first.revision ?? '–'}</dd>
            <dt>
              <Trans>Average position</Trans>
            </dt>
            <dd>{place(first.impressions ? first.position_sum / first.impressions : null)}</dd>
          </dl>
          <div className="wrap">
            <table className="t fit" style={{ marginTop: 8 }}>
              <caption className="vh">
                <Trans>Rows and sums at every grain</Trans>
              </caption>
              <thead>
                <tr>
                  <th scope="col">
                    <Trans>Counted for</Trans>
                  </th>
                  <th scope="col" className="num">
                    <Trans>Rows</Trans>
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
                {made.grains.map((grain) => (
                  <GrainRow key={grain.grain} grain={grain} />
                ))}
              </tbody>
            </table>
          </div>
          <p className="small" style={{ marginTop: 6 }}>
            <Trans>
              {agreement(made.grains)} Digest {first.digest?.slice(0, 12)}…
            </Trans>
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
        {grain.repeats > 0 && (
          <span className="small">
            {' '}
            <Trans>of {count(grain.lines)} lines</Trans>
          </span>
        )}
      </td>
      <td className="num">{count(grain.clicks)}</td>
      <td className="num">{count(grain.impressions)}</td>
    </tr>
  );
}

function agreement(grains: readonly GrainDay[]): string {
  if (grains.every((grain) => grain.promised_rows === null)) return t`The provider stated no totals to compare.`;
  return grains.some((grain) => grain.flag) ? '' : t`All as the provider states them.`;
}

function Changes({ found }: { found: readonly DayChange[] }) {
  return (
    <>
      <h3 style={{ margin: '10px 0 2px' }}>
        <Trans>Changed after it was final</Trans>
      </h3>
      <ul className="cautions" style={{ marginTop: 0 }}>
        {found.map((change) => (
          <li key={change.id}>
            <Trans>
              {change.at.slice(0, 10)}, {change.origin}, {GRAIN[change.grain]}: clicks {count(change.was.clicks)} to{' '}
              {count(change.now.clicks)} ({signed(change.now.clicks - change.was.clicks)}), impressions{' '}
              {count(change.was.impressions)} to {count(change.now.impressions)}
            </Trans>
          </li>
        ))}
      </ul>
    </>
  );
}
