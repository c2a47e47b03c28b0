/** Two dimensions at once: the number is always there to read, the shade says how often it was shown. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import type { ReactNode } from 'react';
import type { BandCounts, Cross, Measure } from '../mind/api';
import { DASH, count, countryName, figure, monthOf } from '../mind/words';
import { useCalled } from '../mind/datasets';
import { useTaken } from '../mind/taken';
import { Th } from './How';

const ROWS: Record<string, string> = {
  query: t`Query`,
  page: t`Page`,
  country: t`Country`,
  device: t`Device`,
  kind: t`Kind of search`,
  look: t`Look`,
  set: t`Set`,
};

export function HeatTable({
  data,
  measure,
  label,
}: {
  data: Cross;
  measure: Measure;
  label: (key: string) => ReactNode;
}) {
  useTaken(ROWS[data.dimension] ?? data.dimension, 'cross', data);
  const called = useCalled();
  const most = Math.max(1, ...data.rows.flatMap((row) => row.cells.map((cell) => cell.impressions)));
  const shade = (shown: number) =>
    ({ '--heat': `${Math.round(62 * Math.sqrt(shown / most))}%` }) as React.CSSProperties;
  return (
    <div className="wrap">
      <table className="t heat">
        <thead>
          <tr>
            <th scope="col">{ROWS[data.dimension] ?? data.dimension}</th>
            {data.columns.map((name) => (
              <th key={name} scope="col" className="num">
                {columnName(data.columns_by, name) ?? called(data.columns_by, name)}
              </th>
            ))}
            <Th how="cross.clicks">
              <Trans>all</Trans>
            </Th>
          </tr>
        </thead>
        <tbody>
          {data.rows.map((row) => (
            <tr key={row.key}>
              <th scope="row" title={row.key}>
                {label(row.key)}
              </th>
              {row.cells.map((cell, n) => (
                <td
                  key={data.columns[n]}
                  className="num cell"
                  style={shade(cell.impressions)}
                  title={t`${count(cell.impressions)} impressions`}
                >
                  {cell.impressions ? figure(measure, cell[measure]) : <span className="mut">{DASH}</span>}
                </td>
              ))}
              <td className="num now">{figure(measure, row.total[measure])}</td>
            </tr>
          ))}
          <tr className="total">
            <th scope="row">{data.dimension === 'set' ? t`Everything` : t`All ${count(data.matching)}`}</th>
            {data.total.map((cell, n) => (
              <td key={data.columns[n]} className="num">
                {cell.impressions ? figure(measure, cell[measure]) : DASH}
              </td>
            ))}
            <td />
          </tr>
        </tbody>
      </table>
    </div>
  );
}

/** What a column is called for short; nothing where it has no short name. */
function columnName(by: Cross['columns_by'], name: string): string | undefined {
  if (by === 'month') return monthOf(`${name}-01`);
  return by === 'country' && name.length === 2 ? countryName(name) : undefined;
}

/** Queries or pages by band, month for month. */
export function BandTable({ data }: { data: BandCounts }) {
  useTaken(data.item === 'page' ? t`Pages by band` : t`Queries by band`, 'bands', data);
  const most = Math.max(1, ...data.months.flatMap((month) => month.counts));
  return (
    <div
      className="wrap"
      tabIndex={0}
      role="region"
      aria-label={data.item === 'page' ? t`Pages by band and month` : t`Queries by band and month`}
    >
      <table className="t heat">
        <thead>
          <tr>
            <th scope="col">
              <Trans>Month</Trans>
            </th>
            <Th how="bands.shown">{data.item === 'page' ? t`pages` : t`queries`}</Th>
            {data.bands.map((name) => (
              <Th key={name} says={t`How many had their average place of the month in this band.`}>
                <Trans>place {name}</Trans>
              </Th>
            ))}
            <Th how="bands.new">
              <Trans>new</Trans>
            </Th>
            <Th how="bands.lost">
              <Trans>lost</Trans>
            </Th>
          </tr>
        </thead>
        <tbody>
          {data.months.map((month) => (
            <tr key={month.start}>
              <th scope="row">
                {monthOf(month.start)}
                {month.partial ? t` (part)` : ''}
              </th>
              <td className="num now">{count(month.shown)}</td>
              {month.counts.map((many, n) => (
                <td
                  key={data.bands[n]}
                  className="num cell"
                  style={{ '--heat': `${Math.round(62 * Math.sqrt(many / most))}%` } as React.CSSProperties}
                >
                  {many ? count(many) : <span className="mut">{DASH}</span>}
                </td>
              ))}
              <td className="num">{count(month.new)}</td>
              <td className="num">{count(month.lost)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
