/** Queries that two or more pages of the site share, and how often they take turns. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { Overlap as Found } from '../mind/api';
import { carried, useFrame } from '../mind/frame';
import { overlap } from '../mind/questions';
import { count, percent, place } from '../mind/words';
import { useTaken } from '../mind/taken';
import { Said } from '../skin/Said';
import { WindowBar } from '../skin/WindowBar';
import { Cautions, Pager } from '../skin/small';
import { Answer, Empty } from '../skin/states';
import { Th } from '../skin/How';

const LIMIT = 25;

export default function Overlap() {
  const { site, frame, search } = useFrame();
  const offset = Number(search.get('offset') ?? '0') || 0;
  const found = useQuery(overlap(site, frame, { limit: LIMIT, offset }));
  return (
    <>
      <WindowBar read={found.data} />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Overlap</Trans>
          </h1>
          <span className="small">
            <Trans>Each page has at least a tenth of the query's impressions.</Trans>
          </span>
        </div>
        <Answer of={found} height={460}>
          {(data) => (
            <div className={found.isPlaceholderData ? 'stale' : undefined}>
              <Said sentences={data.sentences} />
              {data.rows.length ? <Rows data={data} /> : <Empty why={t`No query is shared in this window.`} />}
              <Pager data={data} limit={LIMIT} />
              <Cautions items={data.cautions} />
            </div>
          )}
        </Answer>
      </main>
    </>
  );
}

function Rows({ data }: { data: Found }) {
  useTaken(t`Overlap`, 'overlap', data, 'query');
  const { site, search } = useFrame();
  return (
    <div className="wrap">
      <table className="t">
        <thead>
          <tr>
            <th scope="col">
              <Trans>Query, and its pages</Trans>
            </th>
            <Th how="overlap.clicks">
              <Trans>clicks</Trans>
            </Th>
            <Th how="overlap.impressions">
              <Trans>impressions</Trans>
            </Th>
            <Th how="overlap.share" left>
              <Trans>share</Trans>
            </Th>
            <Th how="overlap.ctr">
              <Trans>click-through</Trans>
            </Th>
            <Th how="overlap.position">
              <Trans context="among the results">place</Trans>
            </Th>
            <Th how="overlap.days_led">
              <Trans>days in front</Trans>
            </Th>
          </tr>
        </thead>
        {data.rows.map((row) => (
          <tbody key={row.query}>
            <tr className="grouprow">
              <th scope="rowgroup">
                <Link to={`/sites/${site}/queries${carried(search, { item: row.query })}`}>{row.query}</Link>
              </th>
              <td className="num">{count(row.figures.clicks)}</td>
              <td className="num">{count(row.figures.impressions)}</td>
              <td />
              <td className="num">{percent(row.figures.ctr)}</td>
              <td className="num">{place(row.figures.position)}</td>
              <td className="num was">
                <Trans>
                  {count(row.switches)} turns in {count(row.days_seen)} days
                </Trans>
              </td>
            </tr>
            {row.pages.map((page) => (
              <tr key={page.page}>
                <th scope="row" style={{ paddingLeft: 18 }}>
                  <Link to={`/sites/${site}/queries${carried(search, { page: page.page })}`} title={page.page}>
                    {page.page}
                    {page.page === row.earns_more ? t` · clicked more when seen` : ''}
                  </Link>
                </th>
                <td className="num">{count(page.figures.clicks)}</td>
                <td className="num">{count(page.figures.impressions)}</td>
                <td>
                  <span
                    className="ibar"
                    aria-hidden="true"
                    style={{ display: 'inline-block', verticalAlign: 'middle' }}
                  >
                    <i style={{ width: `${100 * page.share}%` }} />
                  </span>{' '}
                  {percent(page.share, 0)}
                </td>
                <td className="num">{percent(page.figures.ctr)}</td>
                <td className="num">{place(page.figures.position)}</td>
                <td className="num">{count(page.days_led)}</td>
              </tr>
            ))}
          </tbody>
        ))}
      </table>
    </div>
  );
}
