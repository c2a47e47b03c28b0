/** Four strips on one time axis: clicks, impressions, click-through, position. */
import { lazy, Suspense, useState } from 'react';
import type { Measure, Point, Timeline } from '../mind/api';
import { NAMES, changeText, count, figure, longDay, tone } from '../mind/words';
import { Moved } from './small';

const StripsChart = lazy(() => import('./StripsChart'));
export const MEASURES: readonly Measure[] = ['clicks', 'impressions', 'ctr', 'position'];

export function Storyline({ line }: { line: Timeline }) {
  const [asTable, setAsTable] = useState(false);
  return (
    <div className="story">
      {asTable ? <TableTwin line={line} /> : <Drawn line={line} />}
      <button type="button" className="plain small" aria-pressed={asTable} onClick={() => setAsTable(!asTable)}>
        {asTable ? 'Show as chart' : 'Show as table'}
      </button>
    </div>
  );
}

function Drawn({ line }: { line: Timeline }) {
  return (
    <>
      <div className="strips">
        <div>
          {MEASURES.map((name) => (
            <Gutter key={name} name={name} line={line} />
          ))}
        </div>
        <Suspense fallback={<div className="plot" aria-busy="true" />}>
          <StripsChart line={line} />
        </Suspense>
      </div>
      <HeldStrip label="now" points={[...line.points, ...line.tail]} />
      {line.before_points.length > 0 && <HeldStrip label="before" points={line.before_points} pad={line.points.length + line.tail.length - line.before_points.length} />}
    </>
  );
}

function Gutter({ name, line }: { name: Measure; line: Timeline }) {
  const difference = line.change?.[name];
  const way = tone(name, difference);
  const up = name === 'position' ? way === 'better' : (difference ?? 0) > 0;
  return (
    <div className="gutter">
      <b style={{ color: `var(--${name})` }}><span className="dash" />{NAMES[name]}</b>
      {name === 'position' && <span className="up">best up</span>}
      <span className="sum">{figure(name, line.now[name])}</span>
      {line.change ? <Moved text={changeText(name, line.change)} way={way} up={up} /> : <span className="small">{line.against ? `${line.window.held} of ${line.window.days} days held` : ''}</span>}
    </div>
  );
}

function HeldStrip({ label, points, pad = 0 }: { label: string; points: readonly Point[]; pad?: number }) {
  const held = points.filter((p) => p.state === 'final' || p.state === 'empty').length;
  return (
    <div className="heldrow">
      <span>{label === 'now' ? 'Held days' : ''} <span className="vh">{label}: {held} of {points.length} held</span><span aria-hidden="true" style={{ float: 'right', paddingRight: 8 }}>{label}</span></span>
      <span className="strip" aria-hidden="true">
        {points.map((p) => <i key={p.start} className={p.state} />)}
        {Array.from({ length: Math.max(0, pad) }, (_, n) => <i key={`pad${n}`} />)}
      </span>
      <span />
    </div>
  );
}

function TableTwin({ line }: { line: Timeline }) {
  return (
    <div className="wrap" style={{ maxHeight: 360, overflow: 'auto' }} tabIndex={0} role="region" aria-label="Storyline as a table">
      <table className="t fit">
        <thead>
          <tr><th scope="col">Day</th><th scope="col">State</th>{MEASURES.map((m) => <th key={m} scope="col" className="num">{NAMES[m]}</th>)}<th scope="col" className="num">Clicks before</th></tr>
        </thead>
        <tbody>
          {[...line.points, ...line.tail].map((p, n) => (
            <tr key={p.start}>
              <th scope="row">{longDay(p.start)}</th><td>{p.state}</td>
              {MEASURES.map((m) => <td key={m} className="num">{figure(m, p[m])}</td>)}
              <td className="num was">{count(line.before_points[n]?.clicks)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
