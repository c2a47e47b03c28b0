/** Pages and queries judged against their own noise: what was lost behind the total, and why. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useMemo, useRef } from 'react';
import Tooltip from '@mui/material/Tooltip';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { named } from '../mind/named';
import type { Judgement, Judgements, Verdict } from '../mind/api';
import { carried, useFrame } from '../mind/frame';
import { useKeys } from '../mind/keys';
import { useList } from '../mind/list';
import { isMarked, useMarks } from '../mind/worklist';
import { fading } from '../mind/questions';
import { DASH, count, percent, signed, signedPercent, fixed } from '../mind/words';
import { useTaken } from '../mind/taken';
import { Said } from '../skin/Said';
import { SeasonSwitch } from '../skin/SeasonSwitch';
import { WindowBar } from '../skin/WindowBar';
import { Cautions, ClicksChange, Pager, Spark } from '../skin/small';
import { Answer, Empty, ErrorNote } from '../skin/states';
import { Th } from '../skin/How';

const LIMIT = 50;
const DEFAULT = 'fading,slipping';
const VERDICTS: readonly Verdict[] = ['fading', 'slipping', 'holding', 'rising', 'too few to tell'];
const MEANING: Record<Verdict, string> = {
  fading: t`Down by a tenth or more, beyond its own noise; at most 8% of such a list is chance.`,
  slipping: t`Down, and a little more than its noise would make it; not sure.`,
  holding: t`Within its own noise.`,
  rising: t`Up by a tenth or more, beyond its own noise.`,
  'too few to tell': t`Fewer than 30 clicks in both windows together, or too few days held.`,
};

export default function Fading() {
  const { site, search, frame, change } = useFrame();
  const item = search.get('of') === 'query' ? 'query' : 'page';
  const verdict = search.get('verdict') ?? DEFAULT;
  const offset = Number(search.get('offset') ?? '0') || 0;
  const found = useQuery(fading(site, item, frame, verdict, { limit: LIMIT, offset }));
  const table = useRef<HTMLTableElement>(null);
  const list = useList(item);
  const { put } = list;
  useKeys(
    useMemo(
      () => ({
        j: () => step(table.current, 1),
        k: () => step(table.current, -1),
        l: () => {
          const key = keyOf(table.current);
          if (key) put.mutate(key);
        },
      }),
      [put],
    ),
  );
  return (
    <>
      <WindowBar read={found.data} />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Fading</Trans>
          </h1>
          <div role="group" aria-label={t`What is judged`} className="switch">
            {(['page', 'query'] as const).map((each) => (
              <button
                key={each}
                type="button"
                className="plain"
                aria-pressed={item === each}
                onClick={() => change({ of: each === 'page' ? undefined : each, offset: undefined })}
              >
                {each === 'page' ? t`Pages` : t`Queries`}
              </button>
            ))}
          </div>
          <SeasonSwitch season={found.data?.season} />
          <span className="r small">
            <Trans>
              <kbd>j</kbd> <kbd>k</kbd> next, previous, <kbd>l</kbd> on or off the{' '}
              <Link to={`/sites/${site}/sets${carried(search)}`}>list</Link>
            </Trans>
          </span>
        </div>
        <div aria-busy={found.isPlaceholderData} className={found.isPlaceholderData ? 'stale' : undefined}>
          <Answer of={found} height={400}>
            {(data) => (
              <>
                <Said sentences={data.sentences} />
                <Verdicts
                  data={data}
                  chosen={verdict}
                  choose={(next) => change({ verdict: next === DEFAULT ? undefined : next, offset: undefined })}
                />
                {data.rows.length ? (
                  <Rows data={data} table={table} list={list} />
                ) : (
                  <Empty why={t`No ${named(item)} of this kind in this window.`} />
                )}
                {put.isError && <ErrorNote error={put.error} />}
                <p className="small" role="status">
                  {put.data}
                </p>
                <Pager data={data} limit={LIMIT} />
                <Cautions items={data.cautions} />
                <How />
              </>
            )}
          </Answer>
        </div>
      </main>
    </>
  );
}

function step(table: HTMLTableElement | null, way: number): void {
  const links = [...(table?.querySelectorAll<HTMLElement>('tbody th a') ?? [])];
  const at = links.findIndex((link) => link === document.activeElement);
  links[Math.min(links.length - 1, Math.max(0, at + way))]?.focus();
}

function keyOf(table: HTMLTableElement | null): string | undefined {
  const row = document.activeElement?.closest('tr');
  return row && table?.contains(row) ? row.dataset.key : undefined;
}

type List = ReturnType<typeof useList>;

function Verdicts({ data, chosen, choose }: { data: Judgements; chosen: string; choose: (verdict: string) => void }) {
  return (
    <div role="group" aria-label={t`Verdicts`} className="verdicts">
      <button type="button" className="plain" aria-pressed={chosen === DEFAULT} onClick={() => choose(DEFAULT)}>
        <Trans>fading and slipping</Trans>
      </button>
      {data.verdicts.map((each) => (
        <Tooltip key={each.verdict} describeChild title={MEANING[each.verdict]}>
          <button
            type="button"
            className="plain"
            aria-pressed={chosen === each.verdict}
            onClick={() => choose(each.verdict)}
          >
            {named(each.verdict)} <b>{count(each.rows)}</b>
            {each.rows > 0 && each.change !== null && <span className="mut"> {signed(Math.round(each.change))}</span>}
          </button>
        </Tooltip>
      ))}
    </div>
  );
}

function Rows({
  data,
  table,
  list,
}: {
  data: Judgements;
  table: React.RefObject<HTMLTableElement | null>;
  list: List;
}) {
  useTaken(t`Fading`, 'fading', data);
  return (
    <div className="wrap">
      <table className="t fading" ref={table}>
        <thead>
          <tr>
            <th scope="col">{data.item === 'page' ? t`Page` : t`Query`}</th>
            <Th how="fading.verdict" left>
              <Trans>Verdict</Trans>
            </Th>
            <Th how="fading.clicks_before">
              <Trans>before</Trans>
            </Th>
            <Th how="fading.clicks">
              <Trans>now</Trans>
            </Th>
            <Th how="fading.clicks_change">
              <Trans>change</Trans>
            </Th>
            <Th how="fading.clicks_ratio_change">
              <Trans>in %</Trans>
            </Th>
            {data.season.basis === 'counted' ? (
              <Th how="fading.beyond_site">
                <Trans>beyond site</Trans>
              </Th>
            ) : (
              <>
                <Th how="fading.expected">{data.season.years ? t`as every year` : t`as the site`}</Th>
                <Th how="fading.beyond_season">
                  <Trans>beyond it</Trans>
                </Th>
              </>
            )}
            <Th how="fading.weeks" left>
              <Trans>30 weeks</Trans>
            </Th>
            <Th how="fading.months_down">
              <Trans>months down</Trans>
            </Th>
            <Th how="fading.reason" left>
              <Trans>Why</Trans>
            </Th>
            <th scope="col">
              <Trans>List</Trans>
            </th>
          </tr>
        </thead>
        <tbody>
          {data.rows.map((row) => (
            <One key={row.key} row={row} item={data.item} list={list} net={data.season.basis !== 'counted'} />
          ))}
        </tbody>
      </table>
    </div>
  );
}

function One({ row, item, list, net }: { row: Judgement; item: 'page' | 'query'; list: List; net: boolean }) {
  const { site, search } = useFrame();
  const to =
    item === 'page'
      ? `/sites/${site}/queries${carried(search, { page: row.key })}`
      : `/sites/${site}/queries${carried(search, { item: row.key })}`;
  return (
    <tr
      data-of={item}
      data-key={row.key}
      data-why={`${named(row.verdict)}${row.reason ? `: ${row.reason}` : ''}`}
      className={isMarked(useMarks(), { of: item, key: row.key }) ? 'sel' : undefined}
    >
      <th scope="row">
        <Link to={to} title={row.key}>
          {row.key}
        </Link>
      </th>
      <td>
        <VerdictMark verdict={row.verdict} row={row} />
      </td>
      <td className="num was">{count(row.before.clicks)}</td>
      <td className="num now">{count(row.now.clicks)}</td>
      <td className="num">
        <ClicksChange change={row.change} />
      </td>
      <td className="num">
        {row.change?.clicks_ratio === null || row.change === null ? DASH : percent(row.change.clicks_ratio, 0)}
      </td>
      {net ? (
        <>
          <td className="num was">{row.expected === null ? DASH : signedPercent(row.expected)}</td>
          <td className="num">{row.beyond_season === null ? DASH : signed(Math.round(row.beyond_season))}</td>
        </>
      ) : (
        <td className="num">{row.beyond_site === null ? DASH : signed(Math.round(row.beyond_site))}</td>
      )}
      <td>
        <Spark
          values={row.weeks}
          width={110}
          height={24}
          label={t`Clicks by week, ${row.weeks.length} weeks, from ${count(row.weeks.find((w) => w !== null) ?? null)} to ${count(row.weeks.at(-1))}`}
        />
      </td>
      <td className="num">{row.months_down ?? DASH}</td>
      <td className="why">
        {row.reason}
        {!net && row.beside_site && row.verdict !== 'too few to tell' ? (
          <span className="mut"> · {named(row.beside_site)}</span>
        ) : null}
      </td>
      <td>
        <input
          type="checkbox"
          checked={list.members.has(row.key)}
          disabled={!list.ready || list.put.isPending}
          onChange={() => list.put.mutate(row.key)}
          aria-label={`${list.name}: ${row.key}`}
        />
      </td>
    </tr>
  );
}

function VerdictMark({ verdict, row }: { verdict: Verdict; row: Judgement }) {
  const told =
    row.z === null
      ? MEANING[verdict]
      : t`${MEANING[verdict]} z ${fixed(row.z, 1)}, q ${row.q === null ? DASH : row.q < 0.001 ? t`under 0.001` : fixed(row.q, 3)}, dispersion ${fixed(row.dispersion, 1)}.`;
  return (
    <Tooltip describeChild title={told}>
      <span tabIndex={0} className={`verdict v${VERDICTS.indexOf(verdict)}`}>
        {named(verdict)}
      </span>
    </Tooltip>
  );
}

function How() {
  return (
    <details className="how">
      <summary className="small">
        <Trans>How is this computed?</Trans>
      </summary>
      <p className="small">
        <Trans>
          Each row's change in clicks is compared with the scatter of its own 26 weeks before the window (z = change
          over its spread; scatter from successive weeks, drawn to that of the list). Falls are tested as falls, and the
          list is cut so that at most 8% of it would be chance. Months down counts whole months in a row, each below the
          one before. The reason is the largest part of the exact split of the change. Net of the season, a row is first
          held against what the same windows of earlier years did to it; as counted, whether it fell with the site or
          more is the same test against the site's own change.
        </Trans>
      </p>
    </details>
  );
}
