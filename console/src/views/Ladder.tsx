/** The rank ladder: tracked keywords by steps, each cell on the ground of its band. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { memo, useEffect, useMemo, useRef, useState, type RefObject } from 'react';
import { flushSync } from 'react-dom';
import { useQuery } from '@tanstack/react-query';
import { useVirtualizer } from '@tanstack/react-virtual';
import { Link, useNavigate } from 'react-router';
import { named } from '../mind/named';
import type { Ladder as Answered, LadderRow, LadderStep, NoteOut } from '../mind/api';
import { useNotes } from '../mind/asked';
import { carried, useFrame } from '../mind/frame';
import { ladder, rankText, tracked } from '../mind/ranks';
import { useTaken } from '../mind/taken';
import { DASH, count, longDay, shortDay } from '../mind/words';
import { BandKey, RankCell, Weight } from '../skin/RankCell';
import { Said } from '../skin/Said';
import { Chosen } from '../skin/Chosen';
import { WindowBar } from '../skin/WindowBar';
import { Cautions, Triangle } from '../skin/small';
import { Answer, Empty } from '../skin/states';

const STEPS = { day: t`Days`, week: t`Weeks`, month: t`Months` } as const;
const CHOICES = { last: t`last check`, best: t`best`, average: t`average` } as const;
const GROUPS = {
  tag: named('tag'),
  page: named('page'),
  device: named('device'),
  place: named('place'),
  track: named('track'),
  engine: named('engine'),
  none: named('none'),
};
const ROW = 27;
const GROUP = 30;
const STEP = 23;
/** How wide what stands left and right of the steps is, about. */
const LEFT = 290;
const RIGHT = 250;
/** So many steps fit on a sheet. */
const PRINTED = 36;

export default function Ladder() {
  const { site, search, change } = useFrame();
  const step = (search.get('step') ?? 'week') as keyof typeof STEPS;
  const choice = (search.get('choice') ?? 'last') as keyof typeof CHOICES;
  const group = (search.get('group') ?? 'tag') as keyof typeof GROUPS;
  const found = useQuery(ladder(site, { ...tracked(search), step, choice, by: group }));
  return (
    <>
      <WindowBar read={found.data} usual="P182D" ranks />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Rank ladder</Trans>
          </h1>
          <Chosen
            label={t`One step is`}
            value={step}
            names={STEPS}
            choose={(next) => change({ step: next === 'week' ? undefined : next })}
          />
          <span className="r">
            <BandKey />
          </span>
        </div>
        <div className={found.isPlaceholderData ? 'stale' : undefined}>
          <Answer of={found} height={400}>
            {(data) => (
              <>
                <Narrow data={data} choice={choice} group={group} />
                <Said sentences={data.sentences} />
                {data.rows.length ? <Table data={data} /> : <Empty why={t`No tracked keyword fits what is chosen.`} />}
                <Cautions items={data.cautions} />
              </>
            )}
          </Answer>
        </div>
      </main>
    </>
  );
}

function Narrow({ data, choice, group }: { data: Answered; choice: string; group: string }) {
  const { search, change } = useFrame();
  const rows = data.rows;
  const tags = useMemo(() => [...new Set(rows.flatMap((row) => row.tags))].sort(), [rows]);
  return (
    <div className="narrow small">
      <span>
        <Trans>
          {count(data.matching)} of {count(data.tracked)} tracked keywords
        </Trans>
      </span>
      <label>
        <Trans>each by its</Trans>{' '}
        <select className="inline" value={choice} onChange={(e) => change({ choice: unless(e.target.value, 'last') })}>
          {Object.entries(CHOICES).map(([value, name]) => (
            <option key={value} value={value}>
              {name}
            </option>
          ))}
        </select>
      </label>
      <label>
        <Trans>grouped by</Trans>{' '}
        <select className="inline" value={group} onChange={(e) => change({ group: unless(e.target.value, 'tag') })}>
          {Object.entries(GROUPS).map(([value, name]) => (
            <option key={value} value={value}>
              {name}
            </option>
          ))}
        </select>
      </label>
      <label>
        <Trans>tag</Trans>{' '}
        <select
          className="inline"
          value={search.get('tag') ?? ''}
          onChange={(e) => change({ tag: e.target.value || undefined })}
        >
          <option value="">
            <Trans>all</Trans>
          </option>
          {(search.get('tag') ? [search.get('tag') as string] : tags).map((tag) => (
            <option key={tag}>{tag}</option>
          ))}
        </select>
      </label>
      <label>
        <Trans>device</Trans>{' '}
        <select
          className="inline"
          value={search.get('device') ?? ''}
          onChange={(e) => change({ device: e.target.value || undefined })}
        >
          {['', 'desktop', 'mobile', 'map'].map((device) => (
            <option key={device} value={device}>
              {device ? named(device) : t`all`}
            </option>
          ))}
        </select>
      </label>
      <Find value={search.get('find') ?? ''} find={(text) => change({ find: text || undefined }, { replace: true })} />
    </div>
  );
}

const unless = (value: string, usual: string) => (value === usual ? undefined : value);

function Find({ value, find }: { value: string; find: (text: string) => void }) {
  const [text, write] = useState(value);
  useEffect(() => {
    const later = setTimeout(() => text !== value && find(text), 250);
    return () => clearTimeout(later);
  }, [text, value, find]);
  return (
    <input
      type="search"
      aria-label={t`Find a keyword`}
      placeholder={t`find`}
      value={text}
      onChange={(e) => write(e.target.value)}
    />
  );
}

type Line =
  | { kind: 'group'; name: string; many: number; top10: ReadonlyArray<number | null> }
  | { kind: 'row'; row: LadderRow; at: number };

function linesOf(data: Answered): Line[] {
  const lines: Line[] = [];
  data.rows.forEach((row, at) => {
    if (data.by !== 'none' && (at === 0 || row.group !== data.rows[at - 1]?.group)) {
      const mine = data.rows.filter((each) => each.group === row.group);
      lines.push({
        kind: 'group',
        name: row.group || t`without ${named(data.by)}`,
        many: mine.length,
        top10: data.steps.map((_, n) => topTen(mine, n)),
      });
    }
    lines.push({ kind: 'row', row, at });
  });
  return lines;
}

/** How many of a group were in the top ten at a step; none where none of it was looked up. */
function topTen(rows: readonly LadderRow[], step: number): number | null {
  const looked = rows.filter((row) => row.cells[step] !== null);
  return looked.length ? looked.filter((row) => row.cells[step] !== 0 && (row.cells[step] ?? 99) <= 10).length : null;
}

/** All rows are drawn where the page is printed. */
function usePrinting(): boolean {
  const [printing, print] = useState(false);
  useEffect(() => {
    const media = window.matchMedia('print');
    const turned = () => print(media.matches);
    // the sheet is laid out as soon as this returns
    const begun = () => flushSync(() => print(true));
    const ended = () => print(false);
    media.addEventListener('change', turned);
    window.addEventListener('beforeprint', begun);
    window.addEventListener('afterprint', ended);
    return () => {
      media.removeEventListener('change', turned);
      window.removeEventListener('beforeprint', begun);
      window.removeEventListener('afterprint', ended);
    };
  }, []);
  return printing;
}

interface At {
  row: number;
  step: number;
}

/** Which steps are drawn, from one up to another; and how wide what is left out before and after them is. */
interface Columns {
  first: number;
  stop: number;
  before: number;
  after: number;
}

/** Of many steps those in sight are drawn; on paper the newest that fit. */
function useColumns(box: RefObject<HTMLDivElement | null>, many: number, printing: boolean) {
  // eslint-disable-next-line react-hooks/incompatible-library
  const steps = useVirtualizer({
    horizontal: true,
    count: many,
    getScrollElement: () => box.current,
    estimateSize: () => STEP,
    paddingStart: LEFT,
    paddingEnd: RIGHT,
    overscan: 6,
  });
  const items = steps.getVirtualItems();
  const first = printing ? Math.max(0, many - PRINTED) : (items[0]?.index ?? Math.max(0, many - PRINTED));
  const stop = printing ? many : (items.at(-1)?.index ?? many - 1) + 1;
  const columns = useMemo<Columns>(
    () => ({ first, stop, before: printing ? 0 : first * STEP, after: printing ? 0 : (many - stop) * STEP }),
    [first, stop, many, printing],
  );
  return { columns, scrollTo: steps.scrollToIndex };
}

/** What stands in place of steps that are not drawn. */
const Gap = ({ wide }: { wide: number }) =>
  wide > 0 ? <td aria-hidden="true" style={{ minWidth: wide, padding: 0 }} /> : null;

function Table({ data }: { data: Answered }) {
  const { site, search } = useFrame();
  const navigate = useNavigate();
  const lines = useMemo(() => linesOf(data), [data]);
  const box = useRef<HTMLDivElement>(null);
  const printing = usePrinting();
  const [at, move] = useState<At>();
  // eslint-disable-next-line react-hooks/incompatible-library
  const rows = useVirtualizer({
    count: lines.length,
    getScrollElement: () => box.current,
    estimateSize: (n) => (lines[n]?.kind === 'group' ? GROUP : ROW),
    overscan: 6,
  });
  useTaken(t`Rank ladder`, 'ladder', data, '', data.rows);
  const many = data.steps.length;
  const { columns, scrollTo } = useColumns(box, many, printing);
  useEffect(() => {
    // the newest steps are at hand, older ones to the left
    const newest = () => box.current?.scrollTo({ left: box.current.scrollWidth });
    newest();
    // rows that come with the first drawing may be wider
    const later = requestAnimationFrame(() => requestAnimationFrame(newest));
    return () => cancelAnimationFrame(later);
  }, [many, data.step]);
  const items = rows.getVirtualItems();
  const shown = printing ? lines.map((_, index) => index) : items.map((item) => item.index);
  const above = printing ? 0 : (items[0]?.start ?? 0);
  const below = printing ? 0 : rows.getTotalSize() - (items.at(-1)?.end ?? 0);
  const open = (row: LadderRow) => void navigate(`/sites/${site}/keywords/${row.number}${carried(search)}`);
  const keys = useRef<(e: KeyboardEvent) => void>(undefined);
  useEffect(() => {
    keys.current = (e) => {
      const next = stepped(e.key, at, data);
      if (e.key === 'Enter' && at && e.target === box.current) {
        const row = data.rows[at.row];
        if (row) open(row);
      } else if (next) {
        e.preventDefault();
        move(next);
        rows.scrollToIndex(lines.findIndex((line) => line.kind === 'row' && line.at === next.row));
        if (next.step !== at?.step) scrollTo(next.step);
      }
    };
  });
  useEffect(() => {
    const told = box.current;
    const pressed = (e: KeyboardEvent) => keys.current?.(e);
    const left = () => move(undefined);
    told?.addEventListener('keydown', pressed);
    told?.addEventListener('mouseleave', left);
    told?.addEventListener('focusout', left);
    return () => {
      told?.removeEventListener('keydown', pressed);
      told?.removeEventListener('mouseleave', left);
      told?.removeEventListener('focusout', left);
    };
  }, []);
  const focused = at && data.rows[at.row];
  return (
    <>
      <div
        className="ladder"
        ref={box}
        role="region"
        // eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex
        tabIndex={0}
        aria-label={t`Ranks of tracked keywords by step; arrows move from cell to cell, Enter opens the keyword`}
      >
        <table className="lt" aria-rowcount={lines.length + 3} aria-colcount={many + 5}>
          <Head data={data} columns={columns} />
          <tbody>
            {above > 0 && <tr style={{ height: above }} aria-hidden="true" />}
            {shown.map((n) => {
              const line = lines[n];
              if (!line) return null;
              return line.kind === 'group' ? (
                <tr key={`g${n}`} className="g">
                  <th scope="rowgroup" className="left">
                    <b>{line.name}</b> <span className="small">{line.many}</span>
                  </th>
                  <td />
                  <Gap wide={columns.before} />
                  {line.top10.slice(columns.first, columns.stop).map((top10, each) => (
                    <td key={data.steps[columns.first + each]?.last} className="c sub">
                      {top10 ?? ''}
                    </td>
                  ))}
                  <Gap wide={columns.after} />
                  <td colSpan={3} className="small">
                    <Trans>in the top 10</Trans>
                  </td>
                </tr>
              ) : (
                <Row
                  key={line.row.number}
                  line={line}
                  columns={columns}
                  at={at?.row === line.at ? at.step : undefined}
                  move={move}
                  site={site}
                  search={search}
                />
              );
            })}
            {below > 0 && <tr style={{ height: below }} aria-hidden="true" />}
          </tbody>
        </table>
      </div>
      {many > PRINTED && (
        <p className="small onpaper">
          <Trans>
            The newest {PRINTED} of {count(many)} steps; all of them are in the file.
          </Trans>
        </p>
      )}
      <p className="cellsaid small" role="status">
        {at && focused ? saying(focused, data, at.step) : t`Arrows move from cell to cell; Enter opens a keyword.`}
      </p>
    </>
  );
}

function stepped(key: string, at: At | undefined, data: Answered): At | undefined {
  const last = { row: data.rows.length - 1, step: data.steps.length - 1 };
  const here = at ?? { row: -1, step: last.step };
  const moves: Record<string, At> = {
    ArrowUp: { ...here, row: Math.max(0, here.row - 1) },
    ArrowDown: { ...here, row: Math.min(last.row, here.row + 1) },
    ArrowLeft: { row: Math.max(0, here.row), step: Math.max(0, here.step - 1) },
    ArrowRight: { row: Math.max(0, here.row), step: Math.min(last.step, here.step + 1) },
    Home: { row: Math.max(0, here.row), step: 0 },
    End: { row: Math.max(0, here.row), step: last.step },
  };
  return moves[key];
}

function saying(row: LadderRow, data: Answered, step: number): string {
  const cell = row.cells[step];
  const on = data.steps[step];
  const was = row.cells[step - 1];
  const now =
    cell === null || cell === undefined ? t`not looked up` : cell === 0 ? t`not found` : t`rank ${rankText(cell)}`;
  const before =
    was === null || was === undefined
      ? ''
      : was === 0
        ? t`, not found the step before`
        : t`, ${rankText(was)} the step before`;
  return `${row.term}, ${on ? longDay(on.last) : ''}: ${now}${before}. ${row.place || row.track}, ${named(row.device)}.`;
}

const Head = memo(function Head({ data, columns }: { data: Answered; columns: Columns }) {
  const { site } = useFrame();
  const notes = useNotes(site);
  const every = Math.max(1, Math.ceil(Math.min(data.steps.length, PRINTED) / 7), 4);
  const { first, stop, before, after } = columns;
  const drawn = data.steps.slice(first, stop);
  return (
    <thead>
      <tr className="t0">
        <td className="left tl">
          <Trans>
            In the top 10
            <br />
            <span className="mut">lower part: top 3</span>
          </Trans>
        </td>
        <td />
        <Gap wide={before} />
        {drawn.map((step, n) => (
          <td key={step.last} className="c">
            <Bar step={step} of={data.matching} last={first + n === data.steps.length - 1} />
          </td>
        ))}
        <Gap wide={after} />
        <td colSpan={3} className="right" />
      </tr>
      <tr className="t1">
        <td className="left tl">
          <Trans>Dated notes</Trans>
        </td>
        <td />
        <Gap wide={before} />
        {drawn.map((step) => (
          <td key={step.last} className="c">
            <Mark notes={within(notes.data, step)} />
          </td>
        ))}
        <Gap wide={after} />
        <td colSpan={3} className="right" />
      </tr>
      <tr className="t2">
        <th className="left" scope="col">
          <Trans>Keyword</Trans>
        </th>
        <th scope="col">
          <Trans>Weight</Trans>
        </th>
        <Gap wide={before} />
        {drawn.map((step, at) => {
          const n = first + at;
          return (
            <th key={step.last} scope="col" className="c" aria-colindex={n + 3}>
              <span className={n === data.steps.length - 1 ? 'wk e' : 'wk'}>
                {n === data.steps.length - 1 || (n % every === 0 && n < data.steps.length - 2) ? (
                  shortDay(step.last)
                ) : (
                  <span className="vh">{shortDay(step.last)}</span>
                )}
              </span>
            </th>
          );
        })}
        <Gap wide={after} />
        <th scope="col" className="r right r3">
          <Trans>over {data.back}</Trans>
        </th>
        <th scope="col" className="right r2">
          <Trans>Best ever</Trans>
        </th>
        <th scope="col" className="right r1">
          <Trans>On the page</Trans>
        </th>
      </tr>
    </thead>
  );
});

function within(notes: readonly NoteOut[] | undefined, step: LadderStep): readonly NoteOut[] {
  return (notes ?? []).filter(
    (note) => note.last >= step.first && note.first <= step.last && note.kind !== 'moving holiday',
  );
}

function Mark({ notes }: { notes: readonly NoteOut[] }) {
  const first = notes[0];
  if (!first) return null;
  const said = notes.map((note) => `${shortDay(note.first)}: ${note.text}`).join('; ');
  return (
    <span className="mark1" title={said} role="img" aria-label={said}>
      {first.kind === 'engine update' ? '○' : '◆'}
    </span>
  );
}

function Bar({ step, of, last }: { step: LadderStep; of: number; last: boolean }) {
  const height = 34;
  if (!step.checked)
    return (
      <svg width={21} height={46} aria-hidden="true">
        <rect x=".5" y="12.500" width="20" height="33" className="none" />
      </svg>
    );
  const top10 = (height * step.top10) / of;
  const top3 = (height * step.top3) / of;
  return (
    <svg width={21} height={46} role="img" aria-label={t`${step.top10} in the top 10, ${step.top3} in the top 3`}>
      <rect y={46 - top10} width="21" height={Math.max(0, top10 - top3 - 1)} fill="var(--b3)" />
      <rect y={46 - top3} width="21" height={top3} fill="var(--b2)" />
      <text x="10.500" y={46 - top10 - 3} textAnchor="middle" fontWeight={last ? 640 : 400}>
        {step.top10}
      </text>
    </svg>
  );
}

const Row = memo(function Row({
  line,
  columns,
  at,
  move,
  site,
  search,
}: {
  line: Extract<Line, { kind: 'row' }>;
  columns: Columns;
  at: number | undefined;
  move: (at: At) => void;
  site: string;
  search: URLSearchParams;
}) {
  const { row } = line;
  return (
    <tr>
      <th scope="row" className="left kw">
        {row.pinned && <span className="lampdot" title={t`followed closely`} />}
        <Link to={`/sites/${site}/keywords/${row.number}${carried(search)}`}>{row.term}</Link>{' '}
        <span className="small">
          {[row.place || row.track.split('-')[1], named(row.device)].filter(Boolean).join(' · ')}
        </span>
      </th>
      <td>
        <Weight of={row.weight} />
      </td>
      <Gap wide={columns.before} />
      {row.cells.slice(columns.first, columns.stop).map((cell, each) => {
        const n = columns.first + each;
        return (
          <td key={n} className={at === n ? 'c foc' : 'c'} onMouseEnter={() => move({ row: line.at, step: n })}>
            <RankCell rank={cell} />
          </td>
        );
      })}
      <Gap wide={columns.after} />
      <td className="r right r3">
        <Changed row={row} />
      </td>
      <td className="right r2">
        <b>{row.best ?? DASH}</b> <span className="small">{row.best_day ? shortDay(row.best_day) : ''}</span>
      </td>
      <td className="right r1">
        <Shown row={row} />
      </td>
    </tr>
  );
});

function Changed({ row }: { row: LadderRow }) {
  if (row.movement === 'entered')
    return (
      <span className="chg better">
        <Trans>new</Trans>
      </span>
    );
  if (row.movement === 'lost')
    return (
      <span className="chg worse">
        <Trans>lost</Trans>
      </span>
    );
  if (row.movement === 'absent')
    return (
      <span className="chg same">
        <Trans>still n/f</Trans>
      </span>
    );
  if (row.movement === 'unknown' || row.change === null)
    return (
      <span className="chg same">
        <Trans>no check</Trans>
      </span>
    );
  if (row.movement === 'same')
    return (
      <span className="chg same">
        <Trans>= same</Trans>
      </span>
    );
  const up = row.movement === 'up';
  return (
    <span className={`chg ${up ? 'better' : 'worse'}`}>
      <Triangle up={up} />
      {Math.abs(row.change)}
    </span>
  );
}

const SHORT: Record<string, string> = {
  'written answer': 'wr',
  snippet: 'sn',
  video: 'vi',
  questions: 'qu',
  map: 'ma',
  images: 'im',
  shop: 'sh',
  sitelinks: 'li',
};

/** What the result page shows besides results; filled where it leads to the site. */
function Shown({ row }: { row: LadderRow }) {
  if (!row.features.length) return <span className="mut">·</span>;
  return (
    <span className="fts">
      {row.features.map((kind) => {
        const ours = row.owned.includes(kind);
        return (
          <span key={kind} className={ours ? 'ft own' : 'ft'} title={ours ? t`${kind}, leads to the site` : kind}>
            {SHORT[kind] ?? kind.slice(0, 2)}
          </span>
        );
      })}
    </span>
  );
}
