/** What is seen and passed over, and what stands worse on one device than on the other. */
import type { ReactNode } from 'react';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { DeviceGap, Unclicked } from '../mind/api';
import { carried, useFrame } from '../mind/frame';
import { deviceGap, unclicked } from '../mind/questions';
import { count, percent, place } from '../mind/words';
import { Said } from '../skin/Said';
import { WindowBar } from '../skin/WindowBar';
import { Cautions, Pager } from '../skin/small';
import { Answer, Empty } from '../skin/states';
import { Th, type Figure } from '../skin/How';

const SIDE: ReadonlyArray<readonly [string, Figure]> = [['shown', 'impressions'], ['place', 'position'], ['click-through', 'ctr']];
const APART = [...SIDE, ...SIDE, ['apart', 'gap'], ['worse on', 'worse'], ['gain', 'gain_device']] as ReadonlyArray<readonly [string, Figure]>;

const LIMIT = 50;
const VIEWS: ReadonlyArray<readonly [string, string]> = [['reach', 'Within reach'], ['unclicked', 'Seen, not clicked'], ['device-gap', 'Mobile and desktop']];

/** The three questions of what could be won, side by side. */
export function Questions({ of }: { of: string }) {
  const { site, search } = useFrame();
  return (
    <nav aria-label="What could be won" className="switch">
      {VIEWS.map(([view, name]) => <Link key={view} className="plain" aria-current={view === of ? 'page' : undefined} to={`/sites/${site}/${view}${carried(search)}`}>{name}</Link>)}
    </nav>
  );
}

export function Passed() {
  const { site, frame, search } = useFrame();
  const found = useQuery(unclicked(site, frame, { limit: LIMIT, offset: Number(search.get('offset') ?? '0') || 0 }));
  return (
    <>
      <WindowBar read={found.data} />
      <main className="page">
        <div className="head"><h1>Seen, not clicked</h1><Questions of="unclicked" /></div>
        <Answer of={found} height={400}>
          {(data) => (
            <div className={found.isPlaceholderData ? 'stale' : undefined}>
              <Said sentences={data.sentences} />
              {data.matching === 0 ? <Empty why="Every query is clicked about as often as its place lets expect, or too seldom shown to tell.">A longer window tells more.</Empty> : <PassedRows data={data} />}
              <Pager data={data} limit={LIMIT} />
              <Cautions items={data.cautions} />
              <How>Expected: impressions × the site’s own click-through at the place, without brand queries. A query on a page is listed with at least 5 clicks to be expected, at most half of them there, and so few clicks less than 1% likely (Poisson, its variance doubled).</How>
            </div>
          )}
        </Answer>
      </main>
    </>
  );
}

function PassedRows({ data }: { data: Unclicked }) {
  const { site, search } = useFrame();
  return (
    <div className="wrap">
      <table className="t">
        <thead><tr><th scope="col">Query</th><th scope="col">Page</th><Th how="impressions">shown</Th><Th how="position">place</Th><Th how="ctr">click-through</Th><Th how="clicks">clicks</Th><Th how="expected_clicks">expected</Th><Th how="missing">missing</Th></tr></thead>
        <tbody>
          {data.rows.map((row) => (
            <tr key={`${row.query} ${row.page}`}>
              <th scope="row"><Link to={`/sites/${site}/queries${carried(search, { item: row.query })}`} title={row.query}>{row.query}</Link></th>
              <td className="clip"><Link to={`/sites/${site}/queries${carried(search, { page: row.page })}`} title={row.page}>{row.page}</Link></td>
              <td className="num">{count(row.figures.impressions)}</td><td className="num">{place(row.figures.position)}</td><td className="num">{percent(row.figures.ctr, 2)}</td>
              <td className="num">{count(row.figures.clicks)}</td><td className="num was">{count(Math.round(row.expected))}</td><td className="num now">{count(Math.round(row.missing))}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

export function Gap() {
  const { site, frame, search } = useFrame();
  const found = useQuery(deviceGap(site, frame, { limit: LIMIT, offset: Number(search.get('offset') ?? '0') || 0 }));
  return (
    <>
      <WindowBar read={found.data} />
      <main className="page">
        <div className="head"><h1>Mobile and desktop</h1><Questions of="device-gap" /></div>
        <Answer of={found} height={400}>
          {(data) => (
            <div className={found.isPlaceholderData ? 'stale' : undefined}>
              <Said sentences={data.sentences} />
              {data.matching === 0 ? <Empty why="No query is shown often enough on both devices.">A longer window tells more.</Empty> : <GapRows data={data} />}
              <Pager data={data} limit={LIMIT} />
              <Cautions items={data.cautions} />
              <How>Queries with 50 impressions in 28 days on each device. The gain is what the worse device would bring at the place of the other: its impressions × the difference of its click-through between the two places.</How>
            </div>
          )}
        </Answer>
      </main>
    </>
  );
}

function GapRows({ data }: { data: DeviceGap }) {
  const { site, search } = useFrame();
  return (
    <div className="wrap">
      <table className="t">
        <thead>
          <tr><th scope="col" rowSpan={2}>Query</th><th scope="colgroup" colSpan={3} className="num">mobile</th><th scope="colgroup" colSpan={3} className="num">desktop</th><td colSpan={3} /></tr>
          <tr>{APART.map(([name, how], n) => <Th key={`${name}${n}`} how={how}>{name}</Th>)}</tr>
        </thead>
        <tbody>
          {data.rows.map((row) => (
            <tr key={row.query}>
              <th scope="row"><Link to={`/sites/${site}/queries${carried(search, { item: row.query })}`} title={row.query}>{row.query}</Link></th>
              {[row.mobile, row.desktop].flatMap((side, n) => [
                <td key={`${n}shown`} className="num">{count(side.impressions)}</td>, <td key={`${n}place`} className="num">{place(side.position)}</td>, <td key={`${n}rate`} className="num">{percent(side.ctr, 1)}</td>,
              ])}
              <td className="num">{place(Math.abs(row.gap))}</td><td className="num">{row.worse}</td><td className="num now">+{count(Math.round(row.gain))}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

function How({ children }: { children: ReactNode }) {
  return <details className="how"><summary className="small">How is this computed?</summary><p className="small">{children}</p></details>;
}
