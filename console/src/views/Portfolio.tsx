/** All clients: which need a look now, which are quiet. */
import { named } from '../mind/named';
import { plural, t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { Fragment } from 'react';
import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import type { Portfolio as Found, PortfolioRow } from '../mind/api';
import { alerts } from '../mind/alerts';
import { portfolio } from '../mind/questions';
import { whole } from '../mind/steps';
import { count, gained, longDay, percent, shortDay, signed, signedPercent } from '../mind/words';
import { HeldCells, Moved, Spark } from '../skin/small';
import { Answer, Empty } from '../skin/states';
import { Th } from '../skin/How';
import { Chosen } from '../skin/Chosen';
import { MonthsThrough } from '../skin/MonthsThrough';
import { PortfolioRanks } from '../skin/PortfolioRanks';

const GROUPS = [
  ['look now', t`Look now`],
  ['keep an eye on', t`Keep an eye on`],
  ['quiet', t`Quiet`],
  ['stale', t`Nothing new for weeks, in no total`],
  ['waiting', t`Waiting for data`],
] as const;
const NUMBERS = [t`No`, t`One`, t`Two`, t`Three`, t`Four`, t`Five`, t`Six`, t`Seven`, t`Eight`, t`Nine`, t`Ten`];

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
      <h1>
        <Trans>No client yet</Trans>
      </h1>
      <Empty why={t`A client with a site comes first; then connect a feed to the site.`}>
        <Trans>
          Add one with <code>noctilum clients --add NAME</code> and <code>noctilum sites --add HOST --client KEY</code>.
        </Trans>
      </Empty>
    </>
  );
}

function title(data: Found): string {
  const look = data.rows.filter((r) => r.attention === 'look now').length;
  const all = data.rows.length;
  if (look === 0) return all === 1 ? t`The one site is quiet.` : t`None of ${all} sites wants a look this morning.`;
  const many = NUMBERS[look] ?? count(look);
  return look === 1 ? t`One of ${all} sites wants a look.` : t`${many} of ${all} sites want a look.`;
}

/** How much calls out, where anything does. */
function Calling() {
  const found = useQuery({ ...alerts({}), retry: false });
  if (!found.data?.length) return null;
  return (
    <>
      <Link to="/alerts">{plural(found.data.length, { one: '# alert calls out', other: '# alerts call out' })}</Link>
      {' · '}
    </>
  );
}

function Table({ data }: { data: Found }) {
  const [search, setSearch] = useSearchParams();
  const ranks = search.get('of') === 'ranks';
  return (
    <>
      <div className="head">
        <h1>{title(data)}</h1>
        <span className="r small">
          <Calling />
          <Trans>
            {longDay(data.today)} · together {count(data.clicks)} clicks in the last 28 complete days
          </Trans>
        </span>
      </div>
      <div style={{ marginBottom: 10 }}>
        <Chosen
          label={t`What of every site`}
          value={ranks ? 'ranks' : 'clicks'}
          names={{ clicks: t`Clicks from search`, ranks: t`Tracked keywords` }}
          choose={(next) => setSearch(next === 'ranks' ? { of: next } : {})}
        />
      </div>
      {ranks ? <PortfolioRanks data={data} /> : <Clicks data={data} />}
      <MonthsThrough />
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
              <th scope="col">
                <Trans>Attention first</Trans>
              </th>
              <Th
                says={t`Clicks by week over sixteen months, from none to the most. A week not wholly held is left out: it would look like a fall.`}
                left
              >
                <Trans>Clicks, 16 months</Trans>
              </Th>
              <Th how="breakdown.clicks">
                <Trans>now</Trans>
              </Th>
              <Th how="breakdown.clicks_before">
                <Trans>before</Trans>
              </Th>
              <Th how="breakdown.clicks_change">
                <Trans>change in clicks</Trans>
              </Th>
              <th scope="col">
                <Trans>Driven by, page that fades most</Trans>
              </th>
              <Th says={t`The last day with no missing or provisional day before it.`} left>
                <Trans>Held to</Trans>
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
        <Trans>
          Order: a fall of a tenth or more, net of what the year does, on at least 200 clicks, then of a twentieth, or a
          page that fades by a fiftieth behind the total, then clicks lost. Each window is the last 28 complete days of
          its site against the 28 before.
        </Trans>
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
          label={t`Clicks of ${row.host} by week over sixteen months`}
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
            <Trans>earlier years {signedPercent(row.expected)}</Trans>
          </span>
        )}
      </td>
      <td>
        <b>{row.driver ? named(row.driver) : '–'}</b>
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
