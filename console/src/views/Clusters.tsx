/** Queries that say nearly the same, with totals; those that deserve a page of their own are marked. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useState } from 'react';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { Clusters as Found } from '../mind/api';
import { carried, useFrame } from '../mind/frame';
import { clusters } from '../mind/questions';
import { count, place } from '../mind/words';
import { useTaken } from '../mind/taken';
import { Said } from '../skin/Said';
import { WindowBar } from '../skin/WindowBar';
import { Cautions, ClicksChange, Pager } from '../skin/small';
import { Answer, Empty } from '../skin/states';
import { Th } from '../skin/How';

const LIMIT = 50;

export default function Clusters() {
  const { site, frame, search } = useFrame();
  const found = useQuery(clusters(site, frame, { limit: LIMIT, offset: Number(search.get('offset') ?? '0') || 0 }));
  return (
    <>
      <WindowBar read={found.data} />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Clusters</Trans>
          </h1>
          <span className="small">
            {frame.where.page
              ? t`The queries of ${frame.where.page}`
              : t`Queries that say nearly the same, counted together.`}
          </span>
        </div>
        <Answer of={found} height={460}>
          {(data) => (
            <div className={found.isPlaceholderData ? 'stale' : undefined}>
              <Said sentences={data.sentences} />
              {data.rows.length ? (
                <Rows data={data} />
              ) : (
                <Empty why={t`No query was listed in this window under this segment.`} />
              )}
              <Pager data={data} limit={LIMIT} />
              <Cautions items={data.cautions} />
              <details className="how">
                <summary className="small">
                  <Trans>How is this computed?</Trans>
                </summary>
                <p className="small">
                  <Trans>
                    Of the 4,000 queries shown most, each joins the cluster whose most shown query shares at least half
                    of its stems (Jaccard), or begins one. A cluster deserves a page of its own when it is shown 100
                    times or more, lies beyond the first page, and is not the main cluster of the page it stands on.
                  </Trans>
                </p>
              </details>
            </div>
          )}
        </Answer>
      </main>
    </>
  );
}

function Rows({ data }: { data: Found }) {
  useTaken(t`Clusters`, 'clusters', data);
  return (
    <div className="wrap">
      <table className="t">
        <thead>
          <tr>
            <th scope="col">
              <Trans>Cluster</Trans>
            </th>
            <Th how="clusters.size">
              <Trans>queries</Trans>
            </Th>
            <Th how="clusters.clicks">
              <Trans>clicks</Trans>
            </Th>
            <Th how="clusters.clicks_before">
              <Trans>before</Trans>
            </Th>
            <Th how="clusters.clicks_change">
              <Trans>change</Trans>
            </Th>
            <Th how="clusters.impressions">
              <Trans>impressions</Trans>
            </Th>
            <Th how="clusters.position">
              <Trans context="among the results">place</Trans>
            </Th>
            <th scope="col">
              <Trans>Mostly on</Trans>
            </th>
            <th scope="col">
              <span className="vh">
                <Trans>Remark</Trans>
              </span>
            </th>
          </tr>
        </thead>
        <tbody>
          {data.rows.map((row) => (
            <One key={row.head} row={row} />
          ))}
        </tbody>
      </table>
    </div>
  );
}

function One({ row }: { row: Found['rows'][number] }) {
  const { site, search } = useFrame();
  const [open, setOpen] = useState(false);
  return (
    <>
      <tr>
        <th scope="row">
          <button type="button" className="link" aria-expanded={open} onClick={() => setOpen(!open)}>
            {row.head}
          </button>
        </th>
        <td className="num">{count(row.size)}</td>
        <td className="num now">{count(row.now.clicks)}</td>
        <td className="num was">{count(row.before?.clicks)}</td>
        <td className="num">
          <ClicksChange change={row.change} />
        </td>
        <td className="num">{count(row.now.impressions)}</td>
        <td className="num">{place(row.now.position)}</td>
        <td className="clip">
          {row.page && (
            <Link to={`/sites/${site}/queries${carried(search, { page: row.page })}`} title={row.page}>
              {row.page}
            </Link>
          )}
          {row.pages > 1 && (
            <span className="mut">
              {' '}
              <Trans>and {count(row.pages - 1)} more</Trans>
            </span>
          )}
        </td>
        <td>
          {row.own_page && (
            <b>
              <Trans>deserves a page of its own</Trans>
            </b>
          )}
        </td>
      </tr>
      {open && (
        <tr>
          <td colSpan={9} style={{ whiteSpace: 'normal' }}>
            {row.queries.map((query) => (
              <span key={query} className="tok">
                <Link to={`/sites/${site}/queries${carried(search, { item: query })}`}>{query}</Link>
              </span>
            ))}
            {row.size > row.queries.length && (
              <span className="small">
                {' '}
                <Trans>and {count(row.size - row.queries.length)} more</Trans>
              </span>
            )}
          </td>
        </tr>
      )}
    </>
  );
}
