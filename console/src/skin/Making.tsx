/** What one day was made from, at every grain, and how it changed since. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { Fragment } from 'react';
import type { DayChange, DayMaking, GrainDay } from '../mind/api';
import { added, averaged, figure, heading, titleOf, type Dataset, type Measure } from '../mind/datasets';
import { count, longDay } from '../mind/words';
import { Section } from './states';
import { Written, plain } from './written';

const SAID: Record<string, string> = {
  final: t`Final: the provider has settled it.`,
  provisional: t`Provisional: the provider still revises it, so it is in no total.`,
  missing: t`Missing: not held. A pull fetches it if the provider still has it.`,
  empty: t`Empty: the provider has nothing for this day.`,
  lost: t`Lost: it was never had, and the provider keeps it no more.`,
};
export function Making({ made, all, stale }: { made: DayMaking; all: readonly Dataset[]; stale: boolean }) {
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
              Counted for {titleOf(all, grain.grain)}: {grain.remark}.
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
            {averaged(all, first.grain ? [first.grain] : []).map((measure) => (
              <Fragment key={measure.name}>
                <dt>
                  <Trans>Average {measure.title}</Trans>
                </dt>
                <dd>
                  <Written column={measure} value={figure(first, measure.name)} />
                </dd>
              </Fragment>
            ))}
          </dl>
          <div className="wrap" tabIndex={0} role="region" aria-label={t`Rows and sums at every grain`}>
            <Sums grains={made.grains} all={all} />
          </div>
          <p className="small" style={{ marginTop: 6 }}>
            <Trans>
              {agreement(made.grains)} Digest {first.digest?.slice(0, 12)}…
            </Trans>
          </p>
        </>
      )}
      {made.changes.length > 0 && <Changes found={made.changes} all={all} />}
    </Section>
  );
}

/** Figures that stand side by side; more are set below each other, with the datasets side by side. */
const BESIDE = 3;

function Sums({ grains, all }: { grains: readonly GrainDay[]; all: readonly Dataset[] }) {
  const sums = added(
    all,
    grains.map((grain) => grain.grain),
  );
  const head = <Trans>Counted for</Trans>;
  const cell = (measure: Measure, grain: GrainDay) => (
    <td key={`${measure.name} ${grain.grain}`} className="num">
      <Written column={measure} value={figure(grain, measure.name)} />
    </td>
  );
  const of = (measure: Measure, scope: 'col' | 'row') => (
    <th key={measure.name} scope={scope} className={scope === 'col' ? 'num' : undefined} title={measure.how}>
      {heading(measure)}
    </th>
  );
  const across = sums.length <= BESIDE;
  const columns = across
    ? [<Trans key="rows">Rows</Trans>]
    : grains.map((grain) => <Fragment key={grain.grain}>{titleOf(all, grain.grain)}</Fragment>);
  return (
    <table className="t fit" style={{ marginTop: 8 }}>
      <caption className="vh">
        <Trans>Rows and sums at every grain</Trans>
      </caption>
      <thead>
        <tr>
          <th scope="col">{head}</th>
          {columns.map((title, n) => (
            <th key={n} scope="col" className="num">
              {title}
            </th>
          ))}
          {across && sums.map((measure) => of(measure, 'col'))}
        </tr>
      </thead>
      <tbody>
        {across ? (
          grains.map((grain) => (
            <tr key={grain.grain}>
              <th scope="row">{titleOf(all, grain.grain)}</th>
              <Rows grain={grain} />
              {sums.map((measure) => cell(measure, grain))}
            </tr>
          ))
        ) : (
          <>
            <tr>
              <th scope="row">
                <Trans>Rows</Trans>
              </th>
              {grains.map((grain) => (
                <Rows key={grain.grain} grain={grain} />
              ))}
            </tr>
            {sums.map((measure) => (
              <tr key={measure.name}>
                {of(measure, 'row')}
                {grains.map((grain) => cell(measure, grain))}
              </tr>
            ))}
          </>
        )}
      </tbody>
    </table>
  );
}

function Rows({ grain }: { grain: GrainDay }) {
  return (
    <td className="num">
      {count(grain.rows)}
      {grain.repeats > 0 && (
        <span className="small">
          {' '}
          <Trans>of {count(grain.lines)} lines</Trans>
        </span>
      )}
    </td>
  );
}

function agreement(grains: readonly GrainDay[]): string {
  if (grains.every((grain) => grain.promised_rows === null)) return t`The provider stated no totals to compare.`;
  return grains.some((grain) => grain.flag) ? '' : t`All as the provider states them.`;
}

function Changes({ found, all }: { found: readonly DayChange[]; all: readonly Dataset[] }) {
  return (
    <>
      <h3 style={{ margin: '10px 0 2px' }}>
        <Trans>Changed after it was final</Trans>
      </h3>
      <ul className="cautions" style={{ marginTop: 0 }}>
        {found.map((change) => (
          <li key={change.id}>
            {change.at.slice(0, 10)}, {change.origin}, {titleOf(all, change.grain)}: {moves(change, all)}
          </li>
        ))}
      </ul>
    </>
  );
}

/** Each figure of a change as it was and as it is now. */
function moves(change: DayChange, all: readonly Dataset[]): string {
  return added(all, [change.grain])
    .map((measure) => {
      const [was, now] = [figure(change.was, measure.name) ?? 0, figure(change.now, measure.name) ?? 0];
      const more = now - was;
      const by = `${more > 0 ? '+' : ''}${plain(measure, more)}`;
      return t`${measure.title} ${plain(measure, was)} to ${plain(measure, now)} (${by})`;
    })
    .join(', ');
}
