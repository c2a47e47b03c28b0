/** Queries or pages in a table that adds up; a page opens its queries, a query its whole life. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { lazy, Suspense, useMemo, useRef, useState } from 'react';
import { useQuery } from '@tanstack/react-query';
import { Link, useNavigate } from 'react-router';
import type { Breakdown as Found, Measure, Row } from '../mind/api';
import { carried, useFrame } from '../mind/frame';
import { useKeys } from '../mind/keys';
import { stepRows } from '../mind/worklist';
import { bands, breakdown, cross, timeline } from '../mind/questions';
import { count, signed } from '../mind/words';
import { BreakdownTable } from '../skin/BreakdownTable';
import { BandTable, HeatTable } from '../skin/HeatTable';
import { LifePanel } from '../skin/LifePanel';
import { Said } from '../skin/Said';
import type { Across as Axis } from '../skin/ScatterChart';
import { ColumnPick } from '../skin/ColumnPick';
import { WindowBar } from '../skin/WindowBar';
import { Cautions, Pager } from '../skin/small';
import { Answer, Empty } from '../skin/states';

const ScatterChart = lazy(() => import('../skin/ScatterChart'));

const LIMIT = 50;
const MOST_POINTS = 500;

export default function Breakdown({ dimension }: { dimension: 'query' | 'page' }) {
  const { site, search, frame, change } = useFrame();
  const sort = search.get('sort') ?? 'clicks';
  const offset = Number(search.get('offset') ?? '0') || 0;
  const item = search.get('item') ?? undefined;
  const find = search.get('find') ?? '';
  const crossed = search.get('cross') ?? undefined;
  const found = useQuery(breakdown(site, dimension, frame, { sort, find, limit: LIMIT, offset }));
  const line = useQuery(timeline(site, { ...frame, where: {} }));
  const states = line.data && [...line.data.points, ...line.data.tail].slice(-10).map((p) => p.state);
  return (
    <>
      <WindowBar read={found.data ?? line.data} {...(states ? { states } : {})} />
      <main className="page">
        <Heading dimension={dimension} data={found.data} />
        <div className="tools">
          <FindField />
          <Across />
          {!crossed && <ColumnPick />}
        </div>
        {crossed?.startsWith('scatter') ? (
          <Scattered dimension={dimension} across={crossed === 'scatter' ? 'position' : 'ctr'} />
        ) : crossed ? (
          <Crossed dimension={dimension} by={crossed} />
        ) : (
          <div className={item ? 'cols side' : ''}>
            <div className={found.isPlaceholderData ? 'stale' : undefined} aria-busy={found.isPlaceholderData}>
              <Answer of={found} height={500}>
                {(data) =>
                  data.matching === 0 && !data.unlisted ? (
                    <Nothing find={find} />
                  ) : (
                    <>
                      {data.matching === 0 ? (
                        <Nothing find={find} />
                      ) : (
                        <Said sentences={data.sentences} className="small" />
                      )}
                      <BreakdownTable
                        data={data}
                        sort={sort}
                        chosen={item}
                        onSort={(next) => change({ sort: next, offset: undefined })}
                        label={(row) => <Label row={row} dimension={dimension} />}
                      />
                      <Pager data={data} limit={LIMIT} />
                      <Cautions items={data.cautions} />
                    </>
                  )
                }
              </Answer>
            </div>
            {item && (
              <aside aria-label={t`The life of ${item}`}>
                <LifePanel item={dimension} text={item} />
              </aside>
            )}
          </div>
        )}
      </main>
    </>
  );
}

function Heading({ dimension, data }: { dimension: 'query' | 'page'; data: Found | undefined }) {
  const { site, frame, search } = useFrame();
  const page = frame.where.page;
  if (page && dimension === 'query') {
    const moved = data?.total.change?.clicks;
    const said =
      moved === undefined
        ? ''
        : moved < 0
          ? ` ${t`It lost ${count(-moved)} of ${count(data?.total.before?.clicks)} clicks.`}`
          : ` ${t`It gained ${count(moved)} on ${count(data?.total.before?.clicks)} clicks.`}`;
    return (
      <>
        <div className="crumb">
          <Link to={`/sites/${site}/pages${carried(search)}`}>
            <Trans>Pages</Trans>
          </Link>
          <span aria-hidden="true">›</span>
        </div>
        <div className="head">
          <h1 className="path">{page}</h1>
          <span className="small">
            <Trans>Queries that brought clicks to this page.{moved === 0 ? '' : said}</Trans>
          </span>
          <span className="r">
            <Link to={`/sites/${site}/pages${carried(search, { item: page })}`}>
              <Trans>Its whole life</Trans>
            </Link>
          </span>
        </div>
      </>
    );
  }
  const change = data?.total.change;
  return (
    <div className="head">
      <h1>{dimension === 'query' ? t`Queries` : t`Pages`}</h1>
      {data && (
        <span className="small">
          {dimension === 'query' ? t`${count(data.matching)} listed queries` : t`${count(data.matching)} pages`};{' '}
          <Trans>{count(data.total.now.clicks)} clicks in all</Trans>
          {change ? `, ${signed(Math.round(change.clicks))}` : ''}
        </span>
      )}
    </div>
  );
}

const CROSSED: ReadonlyArray<readonly [string, string]> = [
  ['', t`figures`],
  ['device', t`devices`],
  ['country', t`countries`],
  ['band', t`bands of places`],
  ['month', t`months`],
  ['counts', t`months, as counts by band`],
  ['scatter', t`places and clicks, as points`],
  ['scatter-ctr', t`click-through and clicks, as points`],
];
const SHOWN: ReadonlyArray<readonly [Measure, string]> = [
  ['clicks', t`clicks`],
  ['impressions', t`impressions`],
  ['ctr', t`click-through`],
  ['position', t`position`],
];

function Across() {
  const { search, change } = useFrame();
  const by = search.get('cross') ?? '';
  return (
    <span className="small">
      <label>
        <Trans>Across</Trans>{' '}
        <select value={by} onChange={(e) => change({ cross: e.target.value, offset: undefined })}>
          {CROSSED.map(([value, name]) => (
            <option key={value} value={value}>
              {name}
            </option>
          ))}
        </select>
      </label>{' '}
      {by && by !== 'counts' && !by.startsWith('scatter') && (
        <label>
          <Trans>showing</Trans>{' '}
          <select
            value={search.get('cell') ?? 'clicks'}
            onChange={(e) => change({ cell: e.target.value === 'clicks' ? undefined : e.target.value })}
          >
            {SHOWN.map(([value, name]) => (
              <option key={value} value={value}>
                {name}
              </option>
            ))}
          </select>
        </label>
      )}
    </span>
  );
}

function Crossed({ dimension, by }: { dimension: 'query' | 'page'; by: string }) {
  const { site, search, frame } = useFrame();
  const offset = Number(search.get('offset') ?? '0') || 0;
  const counts = by === 'counts';
  const found = useQuery(cross(site, dimension, counts ? undefined : by, frame, { limit: LIMIT, offset }));
  const counted = useQuery({ ...bands(site, dimension, frame), enabled: counts });
  const measure = SHOWN.find(([value]) => value === search.get('cell'))?.[0] ?? 'clicks';
  const to = (key: string) =>
    `/sites/${site}/queries${carried(search, dimension === 'page' ? { page: key } : { item: key })}`;
  if (counts)
    return (
      <Answer of={counted} height={300}>
        {(data) => (
          <>
            <Said sentences={data.sentences} className="small" />
            <BandTable data={data} />
            <Cautions items={data.cautions} />
          </>
        )}
      </Answer>
    );
  return (
    <Answer of={found} height={500}>
      {(data) => (
        <div className={found.isPlaceholderData ? 'stale' : undefined}>
          <Said sentences={data.sentences} className="small" />
          <HeatTable data={data} measure={measure} label={(key) => <Link to={to(key)}>{key}</Link>} />
          <p className="small">
            <Trans>The darker a cell, the more often it was shown.</Trans>
          </p>
          <Pager data={data} limit={LIMIT} />
          <Cautions items={data.cautions} />
        </div>
      )}
    </Answer>
  );
}

/** The rows with most clicks as points; a frame drawn over some becomes part of the filter. */
function Scattered({ dimension, across }: { dimension: 'query' | 'page'; across: Axis }) {
  const { site, search, frame, change } = useFrame();
  const find = search.get('find') ?? '';
  const found = useQuery(breakdown(site, dimension, frame, { sort: 'clicks', find, limit: MOST_POINTS }));
  const keep = (filter: string) =>
    change({ filter: frame.where.filter ? `(${frame.where.filter}) and ${filter}` : filter, cross: undefined });
  return (
    <Answer of={found} height={480}>
      {(data) =>
        data.rows.length === 0 ? (
          <Nothing find={find} />
        ) : (
          <div className={found.isPlaceholderData ? 'stale' : undefined}>
            <Suspense fallback={<div style={{ height: 480 }} />}>
              <ScatterChart data={data} across={across} keep={keep} />
            </Suspense>
            <Cautions items={data.cautions} />
          </div>
        )
      }
    </Answer>
  );
}

function Label({ row, dimension }: { row: Row; dimension: 'query' | 'page' }) {
  const { site, search, change } = useFrame();
  if (dimension === 'page')
    return <Link to={`/sites/${site}/queries${carried(search, { page: row.key })}`}>{row.key}</Link>;
  return (
    <button
      type="button"
      className="link"
      onClick={() => change({ item: search.get('item') === row.key ? undefined : row.key })}
      aria-expanded={search.get('item') === row.key}
    >
      {row.key}
    </button>
  );
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
  useKeys(useMemo(() => ({ '/': () => field.current?.focus(), j: () => stepRows(1), k: () => stepRows(-1) }), []));
  return (
    <div style={{ display: 'flex', gap: 8, alignItems: 'center' }}>
      <label htmlFor="find" className="small">
        <Trans>Keep rows that hold</Trans>
      </label>
      <input
        id="find"
        ref={field}
        type="search"
        value={text}
        maxLength={200}
        onChange={(e) => type(e.target.value)}
        style={{ width: 260, maxWidth: '60vw' }}
      />
      <span className="small mut">
        <Trans>
          press <kbd>/</kbd>
        </Trans>
      </span>
    </div>
  );
}

function Nothing({ find }: { find: string }) {
  const { change, site, search } = useFrame();
  const navigate = useNavigate();
  return find ? (
    <Empty why={t`No row holds “${find}” in this window.`}>
      <button type="button" className="plain" onClick={() => change({ find: undefined })}>
        <Trans>Show all rows</Trans>
      </button>
    </Empty>
  ) : (
    <Empty why={t`No row was listed in this window under this segment.`}>
      <button
        type="button"
        className="plain"
        onClick={() => void navigate(`/sites/${site}/overview${carried(search)}`)}
      >
        <Trans>Back to the overview</Trans>
      </button>
    </Empty>
  );
}
