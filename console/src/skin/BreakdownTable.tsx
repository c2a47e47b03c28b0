/** A breakdown that adds up: rows, the rest, outside, unlisted, total. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import type { ReactNode } from 'react';
import type { Breakdown, RestRow, Row } from '../mind/api';
import { DASH, count, percent, place, wayOf, fixed } from '../mind/words';
import { useHidden } from '../mind/columns';
import { useTaken } from '../mind/taken';
import { isMarked, useMarks, type Thing } from '../mind/worklist';
import { How, Th } from './How';
import { BandChip, ClicksChange, Moved, PlacesChange, ShareBar } from './small';

const NAMES: Record<string, string> = {
  query: t`Query`,
  page: t`Page`,
  country: t`Country`,
  device: t`Device`,
  kind: t`Kind of search`,
  look: t`Look`,
};
const UNLISTED: Record<string, string> = { query: t`Unlisted queries`, look: t`Like any other result` };

export interface TableProps {
  data: Breakdown;
  sort: string;
  onSort: (sort: string) => void;
  chosen?: string | undefined;
  label: (row: Row) => ReactNode;
  /** Under which its rows are copied and saved. */
  title?: string;
}

export function BreakdownTable({ data, sort, onSort, chosen, label, title }: TableProps) {
  const most = Math.max(0, ...data.rows.map((row) => row.now.clicks));
  const head = { sort, onSort };
  const hidden = useHidden();
  useTaken(title ?? NAMES[data.dimension] ?? data.dimension, 'breakdown', data);
  const marks = useMarks();
  const facts = factsOf(data);
  const on = (name: string) => !hidden.has(name);
  const known = facts.filter(([name]) => on(name));
  const over = (name: string, how: string, columns: number) =>
    columns > 0 && (
      <th scope={columns > 1 ? 'colgroup' : 'col'} colSpan={columns} className="over">
        <How of={`breakdown.${how}`}>{name}</How>
      </th>
    );
  const many = (...names: string[]) => names.filter(on).length;
  return (
    <div className="wrap">
      <table className="t">
        <thead>
          <tr>
            <td />
            {over(t`Clicks`, 'clicks', 1 + many('bar', 'before', 'change'))}
            {over(t`Impressions`, 'impressions', many('impressions'))}
            {over(t`Click-through`, 'ctr', many('ctr', 'points'))}
            {over(t`Position`, 'position', many('position', 'places'))}
            {known.map(([name]) => (
              <td key={name} />
            ))}
          </tr>
          <tr>
            <Sorted by="key" name={NAMES[data.dimension] ?? data.dimension} {...head} />
            {on('bar') && <td className="ibarhead" />}
            <Sorted by="clicks" name={t`now`} number {...head} />
            {on('before') && <Sorted by="before" name={t`before`} number {...head} />}
            {on('change') && <Sorted by="change" name={t`change`} number {...head} />}
            {on('impressions') && <Sorted by="impressions" name={t`now`} number {...head} />}
            {on('ctr') && <Sorted by="ctr" name={t`now`} number {...head} />}
            {on('points') && (
              <Th how="breakdown.ctr_change">
                <Trans>points</Trans>
              </Th>
            )}
            {on('position') && <Sorted by="position" name={t`now`} number {...head} />}
            {on('places') && (
              <Th how="breakdown.position_change">
                <Trans>places</Trans>
              </Th>
            )}
            {known.map(([name, titled]) => (
              <Th key={name} how={`breakdown.${name}`}>
                {titled}
              </Th>
            ))}
          </tr>
        </thead>
        <tbody>
          {data.rows.map((row) => (
            <tr
              key={row.key}
              {...aboutOf(data.dimension, row.key)}
              className={row.key === chosen || isMarked(marks, thingOf(data.dimension, row.key)) ? 'sel' : undefined}
            >
              <th scope="row" title={row.key}>
                {label(row)}
              </th>
              {on('bar') && (
                <td>
                  <ShareBar value={row.now.clicks} most={most} />
                </td>
              )}
              <td className="num now">{count(row.now.clicks)}</td>
              {on('before') && <td className="num was">{row.before ? count(row.before.clicks) : DASH}</td>}
              {on('change') && (
                <td className="num">
                  <ClicksChange change={row.change} verdict={row.verdict} />
                </td>
              )}
              {on('impressions') && <td className="num">{count(row.now.impressions)}</td>}
              {on('ctr') && (
                <td className="num">{row.verdict ? <span className="same">{DASH}</span> : percent(row.now.ctr)}</td>
              )}
              {on('points') && (
                <td className="num">
                  <Points row={row} />
                </td>
              )}
              {on('position') && (
                <td className="num">
                  <BandChip position={row.now.position} band={row.band} />
                </td>
              )}
              {on('places') && (
                <td className="num">
                  <PlacesChange change={row.change} />
                </td>
              )}
              {known.map(([name]) => (
                <td key={name} className="num">
                  {name === 'cpc' ? (row.cpc == null ? DASH : fixed(row.cpc, 2)) : count(row.volume ?? null)}
                </td>
              ))}
            </tr>
          ))}
          <Sum blank={known.length} kind="rest" name={t`${count(data.rest?.rows)} more`} part={data.rest} />
          <Sum blank={known.length} kind="rest" name={t`${count(data.outside?.rows)} left out`} part={data.outside} />
          <Sum
            blank={known.length}
            kind="unlisted"
            name={UNLISTED[data.dimension] ?? t`Unlisted`}
            part={data.unlisted}
            about={
              data.dimension === 'look' ? t`counted in the total` : t`withheld by the source, counted in the total`
            }
          />
          <Sum blank={known.length} kind="total" name={t`Total`} part={data.total} />
        </tbody>
      </table>
    </div>
  );
}

/** What something can be done about: queries and pages. */
const thingOf = (dimension: string, key: string): Thing | undefined =>
  dimension === 'query' || dimension === 'page' ? { of: dimension, key } : undefined;

const aboutOf = (dimension: string, key: string) =>
  thingOf(dimension, key) ? { 'data-of': dimension, 'data-key': key } : {};

/** What is known of the rows' terms: volume and cost, each where any row has it. */
function factsOf(data: Breakdown): ReadonlyArray<readonly ['volume' | 'cpc', string]> {
  const known = [
    ['volume', t`volume`],
    ['cpc', t`CPC`],
  ] as const;
  return known.filter(([name]) => data.rows.some((row) => row[name] != null));
}

function Points({ row }: { row: Row }) {
  const moved = row.verdict ? null : (row.change?.ctr ?? null);
  if (moved === null) return <span className="same">{DASH}</span>;
  return (
    <Moved
      text={`${moved > 0 ? '+' : moved < 0 ? '−' : ''}${fixed(Math.abs(moved) * 100, 1)}`}
      way={wayOf('ctr', row.change)}
      up={moved > 0}
    />
  );
}

function Sorted({
  by,
  name,
  number = false,
  sort,
  onSort,
}: {
  by: string;
  name: string;
  number?: boolean;
  sort: string;
  onSort: (sort: string) => void;
}) {
  const [field, turned] = [sort.replace(/^-/, ''), sort.startsWith('-')];
  const on = field === by;
  // Clicks and the like come largest first; places, names and losses smallest first.
  const smallFirst = by === 'key' || by === 'position' || by === 'change';
  const ascending = on && smallFirst !== turned;
  return (
    <th
      scope="col"
      className={number ? 'num' : undefined}
      aria-sort={on ? (ascending ? 'ascending' : 'descending') : undefined}
    >
      <button type="button" className="sort" onClick={() => onSort(on && !turned ? `-${by}` : by)}>
        {name}
        {on && (
          <svg className="tri" viewBox="0 0 7 7" aria-hidden="true" style={{ marginLeft: 4, marginRight: 0 }}>
            <path d={ascending ? 'M0 6.500L3.500 .5 7 6.500z' : 'M0 .5h7L3.500 6.500z'} />
          </svg>
        )}
      </button>
    </th>
  );
}

interface SumProps {
  kind: string;
  name: string;
  part: RestRow | null;
  about?: string;
  /** So many columns at the end have no sum. */
  blank: number;
}

function Sum({ kind, name, part, about, blank }: SumProps) {
  const hidden = useHidden();
  if (!part) return null;
  const on = (column: string) => !hidden.has(column);
  return (
    <tr className={kind}>
      <th scope="row">{name}</th>
      {on('bar') && <td />}
      <td className="num now">{count(part.now.clicks)}</td>
      {on('before') && <td className="num was">{part.before ? count(part.before.clicks) : DASH}</td>}
      {on('change') && (
        <td className="num">
          <ClicksChange change={part.change} />
        </td>
      )}
      {on('impressions') && <td className="num">{count(part.now.impressions)}</td>}
      {on('ctr') && (
        <td className="num">
          {about && <span className="vh">{about}</span>}
          {percent(part.now.ctr)}
        </td>
      )}
      {on('points') && <td />}
      {on('position') && <td className="num">{place(part.now.position)}</td>}
      {on('places') && (
        <td className="num">
          <PlacesChange change={part.change} />
        </td>
      )}
      {blank > 0 && <td colSpan={blank} />}
    </tr>
  );
}
