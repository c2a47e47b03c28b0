/** One keyword: its whole history, who stands beside it, and kept result pages to open and compare. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useMemo, useState } from 'react';
import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { named } from '../mind/named';
import type { Capture, CaptureLine, KeywordHistory, NoteOut, RankDay } from '../mind/api';
import { useNotes } from '../mind/asked';
import { carried, useFrame } from '../mind/frame';
import { capture, captures, keywordHistory } from '../mind/ranks';
import { useTaken } from '../mind/taken';
import { DASH, count, longDay, place, shortDay, signed, when } from '../mind/words';
import { Joined } from '../skin/Joined';
import { RankChip, Weight } from '../skin/RankCell';
import { Said } from '../skin/Said';
import { WindowBar } from '../skin/WindowBar';
import { Cautions, Triangle } from '../skin/small';
import { Answer, Empty, Section } from '../skin/states';

export default function Keyword() {
  const { number = '' } = useParams();
  const { site, search } = useFrame();
  const found = useQuery(keywordHistory(site, number, search.get('window') ?? undefined));
  return (
    <>
      <WindowBar read={found.data} usual="P12M" ranks />
      <main className="page">
        <Answer of={found} height={500}>
          {(data) => (
            <div className={found.isPlaceholderData ? 'stale' : undefined}>
              <div className="head">
                <h1>{data.term}</h1>
                <span className="small">
                  {data.engine} · {named(data.device)} · {data.place ? `${data.place}, ` : ''}
                  {data.track}
                </span>
                <span className="r small">
                  {data.pinned && (
                    <>
                      <Trans>
                        <span className="lampdot" /> followed closely ·
                      </Trans>{' '}
                    </>
                  )}
                  <Trans>weight</Trans> <Weight of={data.weight} /> {data.tags.map((tag) => ` · ${tag}`)}
                </span>
              </div>
              {data.rows.length ? (
                <div className="cols wide">
                  <History data={data} />
                  <Stands data={data} />
                </div>
              ) : (
                <Empty why={t`It was not looked up in this window.`} />
              )}
              <Cautions items={data.cautions} />
            </div>
          )}
        </Answer>
        <Pages number={number} />
      </main>
    </>
  );
}

const WIDTH = 560;
const TOP = 10;
const HEIGHT = 340;
const LANE = 15;

/** Where a rank is drawn: best up, by logarithm to the deepest place; not found lies below all bands. */
const scale = (deep: number) => (rank: number | null) =>
  TOP + (rank === null ? HEIGHT + 8 : (HEIGHT * Math.log(Math.min(rank, deep))) / Math.log(deep));
type Scale = ReturnType<typeof scale>;
const EDGES: ReadonlyArray<readonly [number, number, string]> = [
  [1, 1.5, '1'],
  [1.5, 3.5, '2–3'],
  [3.5, 10.5, '4–10'],
  [10.5, 20.5, '11–20'],
  [20.5, 50.5, '21–50'],
  [50.5, 100, '51–100'],
];

function History({ data }: { data: KeywordHistory }) {
  const { site } = useFrame();
  const notes = useNotes(site);
  const first = Date.parse(data.rows[0]?.day ?? data.window.first);
  const last = Date.parse(data.rows.at(-1)?.day ?? data.window.last);
  const x = (day: string) => (last > first ? (WIDTH * (Date.parse(day) - first)) / (last - first) : WIDTH / 2);
  useTaken(data.term, 'keyword', data, '', data.rows);
  const deepest = Math.max(
    ...data.rows.map((row) => row.rank ?? 1),
    ...data.rivals.flatMap((rival) => rival.ranks.map((rank) => rank ?? 1)),
  );
  const edges = EDGES.filter(([from]) => from < 20 || from < deepest);
  const y = scale(edges.at(-1)?.[1] ?? 20.5);
  const lanes = useMemo(() => lanesOf(data.rows), [data.rows]);
  const pages = useMemo(() => stretches(data.rows, (row) => row.page), [data.rows]);
  const mine = (notes.data ?? []).filter(
    (note) => Date.parse(note.first) >= first && Date.parse(note.first) <= last && note.kind !== 'moving holiday',
  );
  const floor = TOP + HEIGHT + 16;
  const bottom = floor + 22 + lanes.length * LANE + (mine.length ? 18 : 0) + 20;
  return (
    <Section
      title={t`Rank`}
      about={t`${count(data.rows.length)} days looked up, found on ${count(data.found_days)}`}
      label={t`Rank day by day`}
    >
      <svg
        className="rankline"
        viewBox={`-96 0 ${WIDTH + 96 + 150} ${bottom}`}
        role="img"
        aria-label={t`Ranks of ${data.term} from ${longDay(data.rows[0]?.day ?? '')} to ${longDay(data.rows.at(-1)?.day ?? '')}`}
      >
        {edges.map(([from, to, name], n) => (
          <g key={name}>
            <rect
              x={-96}
              width={40}
              y={n ? y(from) : TOP - 8}
              height={y(to) - (n ? y(from) : TOP - 8)}
              className={`f${n + 1}`}
            />
            <text
              x={-76}
              y={(y(Math.max(from, 1)) + y(to)) / 2 + (n ? 4 : 0)}
              textAnchor="middle"
              className={`n${n + 1}`}
            >
              {name}
            </text>
            <rect
              x={-50}
              width={WIDTH + 50}
              y={n ? y(from) : TOP - 8}
              height={y(to) - (n ? y(from) : TOP - 8)}
              className="zone"
              style={{ opacity: 0.5 - n * 0.07 }}
            />
          </g>
        ))}
        <text x={-76} y={floor} textAnchor="middle">
          {t`n/f`}
        </text>
        {data.rivals
          .filter((rival) => rival.named || data.rivals.indexOf(rival) < 3)
          .map((rival) => (
            <g key={rival.domain}>
              <path d={line(data.rows, rival.ranks, x, y)} className="rival" />
              {rival.now !== null && (
                <text x={WIDTH + 10} y={y(rival.now) + 4} className="tag">
                  {Math.round(rival.now)} {rival.domain.replace('.example', '')}
                </text>
              )}
            </g>
          ))}
        <path
          d={line(
            data.rows,
            data.rows.map((row) => row.rank),
            x,
            y,
          )}
          className="mine"
        />
        <path
          d={line(
            data.rows,
            data.rows.map((row) => row.provider),
            x,
            y,
          )}
          className="provider"
        />
        {data.rows
          .filter((row) => row.rank === null)
          .map((row) => (
            <rect key={row.day} x={x(row.day) - 2} y={floor - 8} width={4} height={4} className="nf" />
          ))}
        {data.now !== null && (
          <>
            <circle cx={WIDTH} cy={y(data.now)} r={4} className="now" />
            <text x={WIDTH + 10} y={y(data.now) + 4} className="tag own">
              {Math.round(data.now)} {site}
            </text>
          </>
        )}
        <text x={-96} y={floor + 17} className="lane">
          <Trans>Page that ranks</Trans>
        </text>
        {pages.map((part) => (
          <g key={part.from}>
            <rect
              x={x(part.from)}
              width={Math.max(1, x(part.to) - x(part.from))}
              y={floor + 7}
              height={12}
              className={part.what === data.target ? 'own' : 'there'}
            />
            {x(part.to) - x(part.from) > 60 && (
              <text x={x(part.from) + 4} y={floor + 17} className={part.what === data.target ? 'on' : ''}>
                {clipped(part.what || t`not found`, x(part.to) - x(part.from))}
              </text>
            )}
          </g>
        ))}
        {lanes.map((lane, n) => (
          <g key={lane.kind}>
            <text x={-96} y={floor + 33 + n * LANE} className="lane">
              {lane.kind}
            </text>
            {lane.parts.map((part) => (
              <rect
                key={part.from}
                x={x(part.from) - 1}
                width={Math.max(2, x(part.to) - x(part.from))}
                y={floor + 24 + n * LANE}
                height={10}
                className={part.what === 'own' ? 'own' : 'there'}
              />
            ))}
            <text x={WIDTH + 10} y={floor + 33 + n * LANE} className="tag">
              {lane.now}
            </text>
          </g>
        ))}
        {mine.length > 0 && <Notes notes={mine} x={x} at={floor + 36 + lanes.length * LANE} />}
        {marks(first, last).map((day) => (
          <text key={day} x={x(day)} y={bottom - 4} textAnchor="middle">
            {shortDay(day)}
          </text>
        ))}
      </svg>
    </Section>
  );
}

const clipped = (text: string, width: number) => {
  const most = Math.floor(width / 6.4);
  return text.length > most ? `${text.slice(0, Math.max(1, most - 1))}…` : text;
};

function Notes({ notes, x, at }: { notes: readonly NoteOut[]; x: (day: string) => number; at: number }) {
  return (
    <g>
      <text x={-96} y={at} className="lane">
        <Trans>Dated notes</Trans>
      </text>
      {notes.map((note) => (
        <g key={note.id}>
          <title>{`${longDay(note.first)}: ${note.text}`}</title>
          <path d={`M${x(note.first)} ${TOP - 8}V${at - 12}`} className="note" />
          <text x={x(note.first)} y={at} textAnchor="middle">
            {note.kind === 'engine update' ? '○' : '◆'}
          </text>
        </g>
      ))}
    </g>
  );
}

const DAY = 86_400_000;

/** A line that breaks where a day lacks a check or a rank, for longer than its neighbours let expect. */
function line(
  rows: readonly RankDay[],
  values: ReadonlyArray<number | null>,
  x: (day: string) => number,
  y: Scale,
): string {
  let path = '';
  let before: number | undefined;
  rows.forEach((row, n) => {
    const value = values[n];
    const day = Date.parse(row.day);
    if (value === null || value === undefined) {
      before = undefined;
      return;
    }
    const near = before !== undefined && day - before <= 8 * DAY;
    path += `${near ? 'L' : 'M'}${x(row.day).toFixed(1)} ${y(Math.max(1, value)).toFixed(1)}`;
    before = day;
  });
  return path;
}

interface Stretch {
  from: string;
  to: string;
  what: string;
}

/** Runs of days on which something was the same. */
function stretches(rows: readonly RankDay[], what: (row: RankDay) => string | undefined): Stretch[] {
  const found: Stretch[] = [];
  for (const row of rows) {
    const is = what(row);
    const last = found.at(-1);
    if (last && last.what === (is ?? '')) last.to = row.day;
    else {
      if (last) last.to = row.day;
      found.push({ from: row.day, to: row.day, what: is ?? '' });
    }
  }
  return found;
}

function lanesOf(rows: readonly RankDay[]) {
  const kinds = [...new Set(rows.flatMap((row) => row.features))].sort();
  return kinds.map((kind) => {
    const parts = stretches(rows, (row) =>
      row.owned.includes(kind) ? 'own' : row.features.includes(kind) ? 'there' : '',
    );
    const last = rows.at(-1);
    const now = last?.owned.includes(kind)
      ? t`ours`
      : last?.features.includes(kind)
        ? t`on the page, not ours`
        : named('gone');
    return { kind, parts: parts.filter((part) => part.what), now };
  });
}

function marks(first: number, last: number): string[] {
  const many = 5;
  return Array.from({ length: many }, (_, n) =>
    new Date(first + ((last - first) * n) / (many - 1)).toISOString().slice(0, 10),
  );
}

function Stands({ data }: { data: KeywordHistory }) {
  const { site, search } = useFrame();
  const page = data.rows.at(-1)?.page ?? '';
  const moved = data.now !== null && data.before !== null ? data.before - data.now : undefined;
  return (
    <Section title={t`Where it stands`} about={data.last_day ? longDay(data.last_day) : ''} label={t`Where it stands`}>
      <Said sentences={data.sentences} />
      <table className="t facts2">
        <tbody>
          <tr>
            <th scope="row">
              <Trans>Now</Trans>
            </th>
            <td>
              <RankChip rank={data.before} /> → <RankChip rank={data.now} />
            </td>
            <td className="num">
              {moved === undefined || moved === 0 ? (
                <span className="same">{moved === 0 ? t`level` : DASH}</span>
              ) : (
                <span className={`chg ${moved > 0 ? 'better' : 'worse'}`}>
                  <Triangle up={moved > 0} />
                  {Math.abs(moved)}{' '}
                  {Math.abs(moved) === 1 ? t({ message: 'place', context: 'among the results' }) : t`places`}
                </span>
              )}
            </td>
          </tr>
          <tr>
            <th scope="row">
              <Trans>Best ever</Trans>
            </th>
            <td>{data.best ?? DASH}</td>
            <td className="num small">{data.best_day ? longDay(data.best_day) : ''}</td>
          </tr>
          <tr>
            <th scope="row">
              <Trans>In the top 3</Trans>
            </th>
            <td>
              <Trans>
                {count(data.top3_days)} of {count(data.rows.length)} days
              </Trans>
            </td>
            <td />
          </tr>
          <tr>
            <th scope="row">
              <Trans>Clicks of the query</Trans>
            </th>
            <td>
              {count(data.clicks_before)} → <b>{count(data.clicks)}</b>
            </td>
            <td className="num">
              {data.clicks !== null && data.clicks_before !== null ? signed(data.clicks - data.clicks_before) : ''}
            </td>
          </tr>
        </tbody>
      </table>
      <h3>
        <Trans>Target against the page that ranks</Trans>
      </h3>
      <p>
        <Trans>
          target {data.target || t`none set`}
          <br />
          ranks
        </Trans>{' '}
        {page ? <Link to={`/sites/${site}/pages${carried(search, { page })}`}>{page}</Link> : t`nothing of the site`}
        {data.target && page && page !== data.target && (
          <b>
            {' '}
            <Trans>in place of the target</Trans>
          </b>
        )}
      </p>
      <h3>
        <Trans>Cross-check</Trans>
      </h3>
      <p className="small">
        {data.cross.days
          ? t`Tracked rank and provider’s average of the same engine, device, country and day: they agree on ${count(data.cross.agree)} of ${count(data.cross.days)} days; on ${count(data.cross.tracked_better)} the tracked rank is better, on ${count(data.cross.average_better)} the average.`
          : t`No day has both a check and impressions of the same query, country and device.`}
      </p>
      <h3>
        <Trans>Beside it</Trans>
      </h3>
      <ul className="plainlist">
        {data.rivals.slice(0, 8).map((rival) => (
          <li key={rival.domain}>
            <RankChip rank={rival.now} />{' '}
            <Link to={`/sites/${site}/competitors/${rival.domain}${carried(search)}`}>{rival.domain}</Link>
            {rival.named && (
              <span className="small">
                {' '}
                <Trans>named</Trans>
              </span>
            )}
          </li>
        ))}
      </ul>
    </Section>
  );
}

function Pages({ number }: { number: string }) {
  const lines = useQuery(captures(number));
  const [chosen, choose] = useState<{ a?: number; b?: number }>({});
  const all = lines.data ?? [];
  const b = chosen.b ?? all[0]?.id;
  const a = chosen.a ?? all[Math.min(7, all.length - 1)]?.id;
  return (
    <Section
      title={t`Kept result pages`}
      about={t`${count(all.length)} days are kept; two side by side`}
      label={t`Kept result pages`}
    >
      {lines.data && !all.length ? (
        <Empty why={t`No result page is kept yet.`} />
      ) : (
        <Beside all={all} a={a} b={b} choose={(next) => choose((now) => ({ ...now, ...next }))} />
      )}
    </Section>
  );
}

function Beside({
  all,
  a,
  b,
  choose,
}: {
  all: readonly CaptureLine[];
  a: number | undefined;
  b: number | undefined;
  choose: (next: { a?: number; b?: number }) => void;
}) {
  const { site } = useFrame();
  const left = useQuery(capture(site, a));
  const right = useQuery(capture(site, b));
  return (
    <div className="captures">
      <Page name="a" all={all} at={a} found={left.data} choose={(next) => choose({ a: next })} />
      <Joined left={left.data} right={right.data} />
      <Page name="b" all={all} at={b} found={right.data} was={left.data} choose={(next) => choose({ b: next })} />
    </div>
  );
}

function Page({
  name,
  all,
  at,
  found,
  was,
  choose,
}: {
  name: string;
  all: readonly CaptureLine[];
  at: number | undefined;
  found: Capture | undefined;
  was?: Capture;
  choose: (next: number) => void;
}) {
  const here = all.findIndex((each) => each.id === at);
  const go = (steps: number) => {
    const next = all[here + steps];
    if (next) choose(next.id);
  };
  return (
    <div>
      <div className="narrow small">
        <b className="ab">{name}</b>
        <select
          className="inline"
          aria-label={t`Day of result page ${name}`}
          value={at ?? ''}
          onChange={(e) => choose(Number(e.target.value))}
        >
          {all.map((each) => (
            <option key={each.id} value={each.id}>
              {shortDay(each.day)} {each.day.slice(0, 4)}
            </option>
          ))}
        </select>
        <button type="button" className="plain" disabled={here >= all.length - 1} onClick={() => go(1)}>
          <Trans>earlier</Trans>
        </button>
        <button type="button" className="plain" disabled={here <= 0} onClick={() => go(-1)}>
          <Trans>later</Trans>
        </button>
        {found && (
          <span>
            <Trans>looked up {when(found.taken_at)}</Trans>
          </span>
        )}
      </div>
      {found && <Listing found={found} was={was} />}
    </div>
  );
}

/** A result page in our own look: nothing of it is run, fetched or linked. */
function Listing({ found, was }: { found: Capture; was?: Capture }) {
  const before = useMemo(() => new Map(was?.results.map((each) => [each.url, each.rank])), [was]);
  return (
    <table className="t listing" aria-label={t`Result page of ${found.keyword} on ${longDay(found.day)}`}>
      <tbody>
        {found.results.map((result) => [
          ...found.features
            .filter((feature) => feature.above === result.rank)
            .map((feature) => {
              const ours = feature.owners.some((owner) => owner.own);
              return (
                <tr key={`${feature.kind}${feature.above}`} className="feature">
                  <td />
                  <td colSpan={2}>
                    <b>{named(feature.kind)}</b>{' '}
                    <span className="small">
                      {[...new Set(feature.owners.map((owner) => owner.domain))].join(', ') || t`leads nowhere`}
                    </span>
                  </td>
                  <td className="num small">{ours ? t`ours` : ''}</td>
                </tr>
              );
            }),
          <tr key={result.rank} className={result.own ? 'own' : undefined} data-result={result.url}>
            <td className="num">{result.own ? <RankChip rank={result.rank} /> : result.rank}</td>
            <td>{result.domain}</td>
            <td className="small" title={result.title}>
              {pathOf(result.url)}
            </td>
            <td className="num small">
              {was ? <MovedBy now={result.rank} before={before.get(result.url)} own={result.own} /> : ''}
            </td>
          </tr>,
        ])}
        {found.doubts.map((doubt) => (
          <tr key={doubt}>
            <td />
            <td colSpan={3} className="small">
              <Trans>left out: {doubt}</Trans>
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

const pathOf = (url: string) => url.replace(/^https?:\/\/[^/]+/, '') || '/';

function MovedBy({ now, before, own }: { now: number; before: number | undefined; own: boolean }) {
  if (before === undefined)
    return (
      <span>
        <Trans>new</Trans>
      </span>
    );
  if (before === now) return null;
  const up = now < before;
  return (
    <span className={own ? `chg ${up ? 'better' : 'worse'}` : 'same'}>
      <Triangle up={up} />
      {place(Math.abs(before - now)).replace(/\.0$/, '')}
    </span>
  );
}
