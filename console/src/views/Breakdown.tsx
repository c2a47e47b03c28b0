/** Queries or pages in a table that adds up; a page opens its queries, a query its whole life. */
import { useMemo, useRef, useState } from 'react';
import { useQuery } from '@tanstack/react-query';
import { Link, useNavigate } from 'react-router';
import type { Breakdown as Found, Row } from '../mind/api';
import { carried, useFrame } from '../mind/frame';
import { useKeys } from '../mind/keys';
import { breakdown, timeline } from '../mind/questions';
import { count, signed } from '../mind/words';
import { BreakdownTable } from '../skin/BreakdownTable';
import { LifePanel } from '../skin/LifePanel';
import { WindowBar } from '../skin/WindowBar';
import { Cautions } from '../skin/small';
import { Answer, Empty } from '../skin/states';

const LIMIT = 50;

export default function Breakdown({ dimension }: { dimension: 'query' | 'page' }) {
  const { site, search, frame, change } = useFrame();
  const sort = search.get('sort') ?? 'clicks';
  const offset = Number(search.get('offset') ?? '0') || 0;
  const item = search.get('item') ?? undefined;
  const find = search.get('find') ?? '';
  const found = useQuery(breakdown(site, dimension, frame, { sort, find, limit: LIMIT, offset }));
  const line = useQuery(timeline(site, { ...frame, where: {} }));
  const states = line.data && [...line.data.points, ...line.data.tail].slice(-10).map((p) => p.state);
  return (
    <>
      <WindowBar read={found.data ?? line.data} {...(states ? { states } : {})} />
      <main className="page">
        <Heading dimension={dimension} data={found.data} />
        <FindField />
        <div className={item ? 'cols side' : ''}>
          <div className={found.isPlaceholderData ? 'stale' : undefined} aria-busy={found.isPlaceholderData}>
            <Answer of={found} height={500}>
              {(data) => (data.matching === 0 && !data.unlisted ? <Nothing find={find} /> : (
                <>
                  {data.matching === 0 && <Nothing find={find} />}
                  <BreakdownTable data={data} sort={sort} chosen={item} onSort={(next) => change({ sort: next, offset: undefined })} label={(row) => <Label row={row} dimension={dimension} />} />
                  <Pager data={data} />
                  <Cautions items={data.cautions} />
                </>
              ))}
            </Answer>
          </div>
          {item && <aside aria-label={`The life of ${item}`}><LifePanel item={dimension} text={item} /></aside>}
        </div>
      </main>
    </>
  );
}

function Heading({ dimension, data }: { dimension: 'query' | 'page'; data: Found | undefined }) {
  const { site, frame, search } = useFrame();
  const page = frame.where.page;
  if (page && dimension === 'query') {
    const moved = data?.total.change?.clicks;
    const said = moved === undefined ? '' : ` It ${moved < 0 ? 'lost' : 'gained'} ${count(Math.abs(moved))} of ${count(data?.total.before?.clicks)} clicks.`;
    return (
      <>
        <div className="crumb"><Link to={`/sites/${site}/pages${carried(search)}`}>Pages</Link><span aria-hidden="true">›</span></div>
        <div className="head">
          <h1 className="path">{page}</h1>
          <span className="small">Queries that brought clicks to this page.{moved === 0 ? '' : said}</span>
          <span className="r"><Link to={`/sites/${site}/pages${carried(search, { item: page })}`}>Its whole life</Link></span>
        </div>
      </>
    );
  }
  const change = data?.total.change;
  return (
    <div className="head">
      <h1>{dimension === 'query' ? 'Queries' : 'Pages'}</h1>
      {data && <span className="small">{count(data.matching)} {dimension === 'query' ? 'listed queries' : 'pages'}; {count(data.total.now.clicks)} clicks in all{change?.basis === 'total' ? `, ${signed(change.clicks)}` : ''}</span>}
    </div>
  );
}

function Label({ row, dimension }: { row: Row; dimension: 'query' | 'page' }) {
  const { site, search, change } = useFrame();
  if (dimension === 'page') return <Link to={`/sites/${site}/queries${carried(search, { page: row.key })}`}>{row.key}</Link>;
  return <button type="button" className="link" onClick={() => change({ item: search.get('item') === row.key ? undefined : row.key })} aria-expanded={search.get('item') === row.key}>{row.key}</button>;
}

function FindField() {
  const { search, change } = useFrame();
  const field = useRef<HTMLInputElement>(null);
  const timer = useRef(0);
  const [draft, setDraft] = useState<string | null>(null);
  const text = draft ?? search.get('find') ?? '';
  const type = (value: string) => {
    setDraft(value);
    window.clearTimeout(timer.current);
    timer.current = window.setTimeout(() => {
      change({ find: value, offset: undefined }, { replace: true });
      setDraft(null);
    }, 250);
  };
  useKeys(useMemo(() => ({ '/': () => field.current?.focus() }), []));
  return (
    <div style={{ margin: '2px 0 8px', display: 'flex', gap: 8, alignItems: 'center' }}>
      <label htmlFor="find" className="small">Keep rows that hold</label>
      <input id="find" ref={field} type="search" value={text} maxLength={200} onChange={(e) => type(e.target.value)} style={{ width: 260, maxWidth: '60vw' }} />
      <span className="small mut">press <kbd>/</kbd></span>
    </div>
  );
}

function Nothing({ find }: { find: string }) {
  const { change, site, search } = useFrame();
  const navigate = useNavigate();
  return find ? (
    <Empty why={`No row holds “${find}” in this window.`}><button type="button" className="plain" onClick={() => change({ find: undefined })}>Show all rows</button></Empty>
  ) : (
    <Empty why="No row was listed in this window under this segment."><button type="button" className="plain" onClick={() => void navigate(`/sites/${site}/overview${carried(search)}`)}>Back to the overview</button></Empty>
  );
}

function Pager({ data }: { data: Found }) {
  const { change } = useFrame();
  const last = data.offset + data.rows.length;
  if (data.matching <= LIMIT) return null;
  return (
    <div className="small" style={{ display: 'flex', gap: 12, marginTop: 6, alignItems: 'center' }}>
      <span>{count(data.offset + 1)} to {count(last)} of {count(data.matching)}</span>
      <button type="button" className="plain" disabled={data.offset === 0} onClick={() => change({ offset: String(Math.max(0, data.offset - LIMIT)) })}>Previous</button>
      <button type="button" className="plain" disabled={last >= data.matching} onClick={() => change({ offset: String(data.offset + LIMIT) })}>Next</button>
    </div>
  );
}
