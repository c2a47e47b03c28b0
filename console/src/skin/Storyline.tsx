/** Four strips on one time axis: clicks, impressions, click-through, position. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { lazy, Suspense, useState } from 'react';
import { Link } from 'react-router';
import { named } from '../mind/named';
import type { Measure, NoteOut, OddDay, Point, Timeline } from '../mind/api';
import { NAMES, changeText, count, figure, longDay, wayOf } from '../mind/words';
import { useTaken } from '../mind/taken';
import { Moved } from './small';
import { How, Th } from './How';

const StripsChart = lazy(() => import('./StripsChart'));
export const MEASURES: readonly Measure[] = ['clicks', 'impressions', 'ctr', 'position'];
const NONE: Marks = { notes: [], odd: [] };

/** The notes whose days are drawn, oldest first, as they are numbered on the chart. */
export function drawn(line: Timeline, notes: readonly NoteOut[]): NoteOut[] {
  const last = (line.tail.at(-1) ?? line.points.at(-1))?.end ?? '';
  return notes
    .filter((note) => note.first <= last && note.last >= line.window.first)
    .toSorted((a, b) => a.first.localeCompare(b.first));
}

/** What is marked on a storyline: notes by their days, odd days by theirs. */
export interface Marks {
  notes: readonly NoteOut[];
  odd: readonly OddDay[];
}

export function Storyline({ line, marks = NONE }: { line: Timeline; marks?: Marks }) {
  const [asTable, setAsTable] = useState(false);
  useTaken(t`Storyline`, 'timeline', line);
  return (
    <div className="story">
      {asTable ? <TableTwin line={line} /> : <Drawn line={line} marks={marks} />}
      <MarkList line={line} marks={marks} />
      <button type="button" className="plain small" aria-pressed={asTable} onClick={() => setAsTable(!asTable)}>
        {asTable ? t`Show as chart` : t`Show as table`}
      </button>
    </div>
  );
}

function Drawn({ line, marks }: { line: Timeline; marks: Marks }) {
  return (
    <>
      <div className="strips">
        <div>
          {MEASURES.map((name) => (
            <Gutter key={name} name={name} line={line} />
          ))}
        </div>
        <Suspense fallback={<div className="plot" aria-busy="true" />}>
          <StripsChart line={line} marks={marks} />
        </Suspense>
      </div>
      <HeldStrip label={t`now`} days={line.window} points={[...line.points, ...line.tail]} />
      {line.against && line.before_points.length > 0 && (
        <HeldStrip
          label={t`before`}
          days={line.against}
          points={line.before_points}
          pad={line.points.length + line.tail.length - line.before_points.length}
        />
      )}
    </>
  );
}

function MarkList({ line, marks }: { line: Timeline; marks: Marks }) {
  const shown = drawn(line, marks.notes);
  const odd = marks.odd.slice(0, 5);
  if (!shown.length && !odd.length) return null;
  return (
    <ul className="marks" aria-label={t`Marked on the chart`}>
      {shown.map((note, n) => (
        <li key={note.id}>
          <b className="pin">{n + 1}</b> {longDay(note.first)}:{' '}
          <Link to={`/sites/${line.site}/notes?note=${note.id}`}>{note.text}</Link>
        </li>
      ))}
      {odd.map((day) => (
        <li key={`${day.day} ${day.measure}`}>
          <Trans>
            <b className="odd" aria-hidden="true" /> {longDay(day.day)}: {count(day.value)} {named(day.measure)} where{' '}
            {count(Math.round(day.low))} to {count(Math.round(day.high))} were to be expected
            {day.kind === 'shown, not clicked' ? t`; shown, not clicked` : ''}
          </Trans>
        </li>
      ))}
      {marks.odd.length > odd.length && (
        <li>
          <Trans>and {marks.odd.length - odd.length} more odd days</Trans>
        </li>
      )}
    </ul>
  );
}

function Gutter({ name, line }: { name: Measure; line: Timeline }) {
  const difference = line.change?.[name];
  const way = wayOf(name, line.change);
  const up = name === 'position' ? way === 'better' : (difference ?? 0) > 0;
  return (
    <div className="gutter">
      <b style={{ color: `var(--${name})` }}>
        <span className="dash" />
        <How of={`timeline.${name}`}>{NAMES[name]}</How>
      </b>
      {name === 'position' && (
        <span className="up">
          <Trans>best up</Trans>
        </span>
      )}
      <span className="sum">{figure(name, line.now[name])}</span>
      {line.change ? (
        <Moved text={changeText(name, line.change)} way={way} up={up} />
      ) : (
        <span className="small">{line.against ? t`${line.window.held} of ${line.window.days} days held` : ''}</span>
      )}
    </div>
  );
}

/** What is held of each step; one of which days are lacking is drawn half. */
function HeldStrip({
  label,
  days,
  points,
  pad = 0,
}: {
  label: string;
  days: { held: number; days: number };
  points: readonly Point[];
  pad?: number;
}) {
  const state = (p: Point) => (p.held > 0 && p.held < p.days ? 'part' : p.state);
  return (
    <div className="heldrow">
      <span>
        {label === 'now' ? t`Held days` : ''}{' '}
        <span className="vh">
          <Trans>
            {label}: {days.held} of {days.days} held
          </Trans>
        </span>
        <span aria-hidden="true" style={{ float: 'right', paddingRight: 8 }}>
          {label}
        </span>
      </span>
      <span className="strip" aria-hidden="true">
        {points.map((p) => (
          <i key={p.start} className={p.changed ? `${state(p)} changed` : state(p)} />
        ))}
        {Array.from({ length: Math.max(0, pad) }, (_, n) => (
          <i key={`pad${n}`} />
        ))}
      </span>
      <span />
    </div>
  );
}

function TableTwin({ line }: { line: Timeline }) {
  return (
    <div
      className="wrap"
      style={{ maxHeight: 360, overflow: 'auto' }}
      tabIndex={0}
      role="region"
      aria-label={t`Storyline as a table`}
    >
      <table className="t fit">
        <thead>
          <tr>
            <th scope="col">{line.bucket === 'day' ? t`Day` : t`From, by ${named(line.bucket)}`}</th>
            <th scope="col">
              <Trans>State</Trans>
            </th>
            {MEASURES.map((m) => (
              <Th key={m} how={`timeline.${m}`}>
                {NAMES[m]}
              </Th>
            ))}
            <Th how="timeline.clicks_before">
              <Trans>Clicks before</Trans>
            </Th>
          </tr>
        </thead>
        <tbody>
          {[...line.points, ...line.tail].map((p, n) => (
            <tr key={p.start}>
              <th scope="row">{longDay(p.start)}</th>
              <td>{p.partial && p.state === 'final' ? t`${p.held} days of it` : named(p.state)}</td>
              {MEASURES.map((m) => (
                <td key={m} className="num">
                  {figure(m, p[m])}
                </td>
              ))}
              <td className="num was">{count(line.before_points[n]?.clicks)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
