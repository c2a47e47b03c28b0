/** All clients: which need a look now, which are quiet. */
import { Fragment } from 'react';
import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import type { Portfolio as Found, PortfolioRow } from '../mind/api';
import { portfolio } from '../mind/questions';
import { whole } from '../mind/steps';
import { count, gained, longDay, percent, shortDay, signed, signedPercent } from '../mind/words';
import { HeldCells, Moved, Spark } from '../skin/small';
import { Answer, Empty } from '../skin/states';
import { Th } from '../skin/How';
import { Chosen } from '../skin/Chosen';
import { PortfolioRanks } from '../skin/PortfolioRanks';

const GROUPS = [
  ['look now', 'Look now'],
  ['keep an eye on', 'Keep an eye on'],
  ['quiet', 'Quiet'],
  ['stale', 'Nothing new for weeks, in no total'],
  ['waiting', 'Waiting for data'],
] as const;
const NUMBERS = ['No', 'One', 'Two', 'Three', 'Four', 'Five', 'Six', 'Seven', 'Eight', 'Nine', 'Ten'];

export default function Portfolio() {
  const found = useQuery(portfolio);
  return (
    <main className="page">
      <Answer of={found} height={400}>
        {(data) => (data.rows.length ? <Table data={data} /> : <None />)}
      </Answer>
    </main>
  );
}

function None() {
  return (
    <>
      <h1>No client yet</h1>
      <Empty why="A client with a site comes first; then connect a feed to the site.">
        Add one with <code>noctilum clients --add NAME</code> and <code>noctilum sites --add HOST --client KEY</code>.
      </Empty>
    </>
  );
}

function title(data: Found): string {
  const look = data.rows.filter((r) => r.attention === 'look now').length;
  const all = data.rows.length;
  if (look === 0) return all === 1 ? 'The one site is quiet.' : `None of ${all} sites wants a look this morning.`;
  return `${NUMBERS[look] ?? look} of ${all} sites ${look === 1 ? 'wants' : 'want'} a look.`;
}

function Table({ data }: { data: Found }) {
  const [search, setSearch] = useSearchParams();
  const ranks = search.get('of') === 'ranks';
  return (
    <>
      <div className="head">
        <h1>{title(data)}</h1>
        <span className="r small">
          {longDay(data.today)} · together {count(data.clicks)} clicks in the last 28 complete days
        </span>
      </div>
      <div style={{ marginBottom: 10 }}>
        <Chosen
          label="What of every site"
          value={ranks ? 'ranks' : 'clicks'}
          names={{ clicks: 'Clicks from search', ranks: 'Tracked keywords' }}
          choose={(next) => setSearch(next === 'ranks' ? { of: next } : {})}
        />
      </div>
      {ranks ? <PortfolioRanks data={data} /> : <Clicks data={data} />}
    </>
  );
}

function Clicks({ data }: { data: Found }) {
  return (
    <>
      <div className="wrap">
        <table className="t fit">
          <thead>
            <tr>
              <th scope="col">Attention first</th>
              <Th
                says="Clicks by week over sixteen months, from none to the most. A week not wholly held is left out: it would look like a fall."
                left
              >
                Clicks, 16 months
              </Th>
              <Th how="breakdown.clicks">now</Th>
              <Th how="breakdown.clicks_before">before</Th>
              <Th how="breakdown.clicks_change">change in clicks</Th>
              <th scope="col">Driven by, page that fades most</th>
              <Th says="The last day with no missing or provisional day before it." left>
                Held to
              </Th>
            </tr>
          </thead>
          <tbody>
            {GROUPS.map(([attention, name]) => {
              const rows = data.rows.filter((r) => r.attention === attention);
              return rows.length ? (
                <Fragment key={attention}>
                  <tr className="grouprow">
                    <th colSpan={7} scope="colgroup">
                      {name} <span className="mut">{rows.length}</span>
                    </th>
                  </tr>
                  {rows.map((row) => (
                    <SiteRow key={row.site} row={row} />
                  ))}
                </Fragment>
              ) : null;
            })}
          </tbody>
        </table>
      </div>
      <p className="small" style={{ marginTop: 8 }}>
        Order: a fall of a tenth or more, net of what the year does, on at least 200 clicks, then of a twentieth, or a
        page that fades by a fiftieth behind the total, then clicks lost. Each window is the last 28 complete days of
        its site against the 28 before.
      </p>
    </>
  );
}

function SiteRow({ row }: { row: PortfolioRow }) {
  return (
    <tr style={{ height: 42 }}>
      <th scope="row" style={{ overflow: 'visible' }}>
        <div style={{ display: 'flex', gap: 10, alignItems: 'center' }}>
          {row.attention === 'look now' && <span className="lampdot" aria-hidden="true" />}
          <div style={{ minWidth: 0 }}>
            <Link to={`/sites/${row.site}/overview`} style={{ lineHeight: '18px', fontWeight: 620, fontSize: 13 }}>
              {row.client_name}
            </Link>
            <span className="small mut">{row.host}</span>
          </div>
        </div>
      </th>
      {row.now ? (
        <Figures row={row} />
      ) : (
        <td colSpan={6} style={{ whiteSpace: 'normal' }} className="same">
          {row.why}
        </td>
      )}
    </tr>
  );
}

function Figures({ row }: { row: PortfolioRow }) {
  const change = row.change;
  return (
    <>
      <td>
        <Spark
          values={row.weeks.map((w) => whole(w, 'clicks'))}
          label={`Clicks of ${row.host} by week over sixteen months`}
        />
      </td>
      <td className="num now">{count(row.now?.clicks)}</td>
      <td className="num was">{count(row.before?.clicks)}</td>
      <td className="num">
        {change?.clicks_ratio === null || !change ? (
          <span className="same">{row.why}</span>
        ) : (
          <Moved
            text={`${signed(change.clicks)} (${change.clicks_ratio > 0 ? '+' : ''}${percent(change.clicks_ratio)})`}
            way={gained(change.clicks)}
            up={change.clicks > 0}
          />
        )}
        {typeof row.expected === 'number' && (
          <span className="small mut" style={{ display: 'block' }} title={row.why}>
            earlier years {signedPercent(row.expected)}
          </span>
        )}
      </td>
      <td>
        <b>{row.driver ?? '–'}</b>
        {row.worst && (
          <Link
            className="small"
            style={{ display: 'block', maxWidth: 190, overflow: 'hidden', textOverflow: 'ellipsis' }}
            title={row.worst}
            to={`/sites/${row.site}/fading`}
          >
            {row.worst} {signed(Math.round(row.worst_change ?? 0))}
          </Link>
        )}
      </td>
      <td>
        <HeldCells states={row.last_days} />{' '}
        <span className="small">{row.complete_through ? shortDay(row.complete_through) : ''}</span>
      </td>
    </>
  );
}
