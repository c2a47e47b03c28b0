/** Why two numbers for the same thing differ: totals at every grain, with what lies between them. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import type { ReactNode } from 'react';
import type { Reconciliation, SourceTotals } from '../mind/api';
import { added, figure, heading, titleOf, type Dataset } from '../mind/datasets';
import { count, percent, signed, span } from '../mind/words';
import { Spark } from './small';
import { Section } from './states';
import { Written } from './written';

export function Differences({ found, all, stale }: { found: Reconciliation; all: readonly Dataset[]; stale: boolean }) {
  return (
    <Section
      title={t`Why two numbers differ`}
      about={span(found.first, found.last)}
      stale={stale}
      label={t`Why two numbers differ`}
    >
      {found.sources.map((source) => (
        <Totals key={source.source} source={source} all={all} />
      ))}
    </Section>
  );
}

/** One source: what each of its datasets adds up to, in figures of its own, and what lies between them. */
function Totals({ source, all }: { source: SourceTotals; all: readonly Dataset[] }) {
  const newest = source.unlisted.at(-1);
  const sums = added(
    all,
    source.grains.map((grain) => grain.grain),
  );
  const cell = (name: string, write: (clicks: boolean) => ReactNode) => (
    <td key={name} className="num">
      {name === 'clicks' || name === 'impressions' ? write(name === 'clicks') : ''}
    </td>
  );
  return (
    <div className="wrap" tabIndex={0} role="region" aria-label={t`Totals of ${source.label}`}>
      <table className="t fit">
        <caption className="l" style={{ textAlign: 'left', padding: '10px 6px 0' }}>
          {source.label}
          {source.counted ? '' : t`, kept apart`}
        </caption>
        <thead>
          <tr>
            <th scope="col">
              <Trans>Total</Trans>
            </th>
            <th scope="col" className="num">
              <Trans>Days</Trans>
            </th>
            {sums.map((measure) => (
              <th key={measure.name} scope="col" className="num" title={measure.how}>
                {heading(measure)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {source.grains.map((grain) => (
            <tr key={grain.grain}>
              <th scope="row">{titleOf(all, grain.grain)}</th>
              <td className="num">{count(grain.days)}</td>
              {sums.map((measure) => (
                <td key={measure.name} className="num">
                  {figure(grain, measure.name) === undefined ? (
                    ''
                  ) : (
                    <Written column={measure} value={figure(grain, measure.name)} />
                  )}
                </td>
              ))}
            </tr>
          ))}
          {source.steps.map((step) => (
            <tr key={step.code} className="rest">
              <td colSpan={2} style={{ whiteSpace: 'normal' }}>
                {step.text}
              </td>
              {sums.map(({ name }) =>
                cell(name, (clicks) => {
                  const made = clicks ? step.clicks : step.impressions;
                  return made === null ? '' : signed(made);
                }),
              )}
            </tr>
          ))}
          {newest && (
            <tr className="rest">
              <td colSpan={2}>
                <Trans>Unlisted share of clicks, by month</Trans>
              </td>
              {sums.map(({ name }) =>
                cell(name, (clicks) =>
                  clicks ? (
                    percent(newest.clicks)
                  ) : (
                    <Spark
                      values={source.unlisted.map((share) => share.clicks)}
                      label={t`Unlisted share of clicks over ${source.unlisted.length} months`}
                    />
                  ),
                ),
              )}
            </tr>
          )}
        </tbody>
      </table>
    </div>
  );
}
