/** Tracked keywords of every site, of clients with several, and of all together. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { Link } from 'react-router';
import type { Portfolio, PortfolioRow, RanksTogether } from '../mind/api';
import { DASH, count, place, shortDay, signedBy } from '../mind/words';
import { Th } from './How';
import { Moved, Spark, Triangle } from './small';
import { Empty } from './states';

const SURE = ['rose', 'fell'];

export function PortfolioRanks({ data }: { data: Portfolio }) {
  const tracked = data.rows.filter((row) => row.ranks);
  if (!tracked.length) return <Empty why={t`No keyword of any site was looked up yet. Track some under Keywords.`} />;
  const none = data.rows.filter((row) => !row.ranks).map((row) => row.host);
  return (
    <>
      <div className="wrap">
        <table className="t fit">
          <Head />
          <tbody>
            {tracked.map((row) => (
              <SiteLine key={row.site} row={row} />
            ))}
          </tbody>
          <tbody>
            {data.clients
              .filter((each) => each.sites > 1)
              .map((each) => (
                <Line key={each.client} name={each.client_name} under={t`${each.sites} sites together`} ranks={each} />
              ))}
            {data.ranks && (
              <Line name={t`All together`} under={t`${data.clients.length} clients`} ranks={data.ranks} strong />
            )}
          </tbody>
        </table>
      </div>
      <p className="small" style={{ marginTop: 8 }}>
        <Trans>
          Every keyword counts by its latest check in the last seven days looked up, against 28 days before. A fall or
          rise of visibility is coloured where it goes beyond what this site’s visibility does anyway.
        </Trans>
        {none.length > 0 && t` Nothing was looked up for ${none.join(', ')}.`}
      </p>
    </>
  );
}

function Head() {
  return (
    <thead>
      <tr>
        <th scope="col">
          <Trans>Site</Trans>
        </th>
        <Th says={t`Visibility by week, 26 weeks and more where held. A week without a check is a gap.`} left>
          <Trans>Visibility by week</Trans>
        </Th>
        <Th how="rank-summary.tracked">
          <Trans>tracked</Trans>
        </Th>
        <Th how="rank-summary.visibility">
          <Trans>visibility</Trans>
        </Th>
        <th scope="col" className="num">
          <Trans>change</Trans>
        </th>
        <Th how="rank-summary.up" left>
          <Trans>moved</Trans>
        </Th>
        <Th how="rank-summary.top3">
          <Trans>top 3</Trans>
        </Th>
        <Th how="rank-summary.top10">
          <Trans>top 10</Trans>
        </Th>
        <Th how="rank-summary.average">
          <Trans>average</Trans>
        </Th>
        <Th how="rank-summary.value">
          <Trans>est. value</Trans>
        </Th>
        <th scope="col">
          <Trans>Looked up to</Trans>
        </th>
      </tr>
    </thead>
  );
}

function SiteLine({ row }: { row: PortfolioRow }) {
  const ranks = row.ranks;
  if (!ranks) return null;
  return (
    <tr style={{ height: 42 }}>
      <th scope="row">
        <Link to={`/sites/${row.site}/ladder`} style={{ lineHeight: '18px', fontWeight: 620, fontSize: 13 }}>
          {row.client_name}
        </Link>
        <span className="small mut" style={{ display: 'block' }}>
          {row.host}
        </span>
      </th>
      <td>
        <Spark values={ranks.weeks} label={t`Visibility of ${row.host} by week`} />
      </td>
      <Figures ranks={ranks} verdict={ranks.verdict} />
      <td className="small">{shortDay(ranks.last_day)}</td>
    </tr>
  );
}

function Line({
  name,
  under,
  ranks,
  strong = false,
}: {
  name: string;
  under: string;
  ranks: RanksTogether;
  strong?: boolean;
}) {
  return (
    <tr className={strong ? 'total' : undefined}>
      <th scope="row" colSpan={2}>
        {name} <span className="small mut">{under}</span>
      </th>
      <Figures ranks={ranks} />
      <td />
    </tr>
  );
}

function Figures({ ranks, verdict }: { ranks: RanksTogether; verdict?: string | null }) {
  const { now, before, moved } = ranks;
  return (
    <>
      <td className="num">{count(ranks.tracked)}</td>
      <td className="num now">{place(now.visibility)}</td>
      <td className="num">
        <Change now={now.visibility} before={before?.visibility} verdict={verdict} />
      </td>
      <td>{moved ? <Moves of={moved} /> : DASH}</td>
      <td className="num">{count(now.top3)}</td>
      <td className="num">{count(now.top10)}</td>
      <td className="num">{place(now.average)}</td>
      <td className="num">
        {now.value === null ? DASH : count(Math.round(now.value))} <span className="small mut">{ranks.currency}</span>
      </td>
    </>
  );
}

function Change({ now, before, verdict }: { now: number | null; before?: number | null; verdict?: string | null }) {
  if (now === null || before === null || before === undefined) return <span className="same">{DASH}</span>;
  if (verdict === 'too few to tell')
    return (
      <span className="few">
        <Trans>too few to tell</Trans>
      </span>
    );
  const sure = verdict !== undefined && verdict !== null && SURE.includes(verdict);
  const text = signedBy(now - before, 1);
  if (!sure) return <span className="same">{text}</span>;
  return <Moved text={text} way={now > before ? 'better' : 'worse'} up={now > before} />;
}

function Moves({ of }: { of: NonNullable<RanksTogether['moved']> }) {
  return (
    <span className="small" style={{ display: 'inline-flex', gap: 6, fontWeight: 400 }}>
      <span className="better">
        <Triangle up />
        {of.up}
      </span>
      <span className="worse">
        <Triangle up={false} />
        {of.down}
      </span>
      {of.entered > 0 && (
        <span>
          <Trans>{of.entered} new</Trans>
        </span>
      )}
      {of.lost > 0 && (
        <b className="worse">
          <Trans>{of.lost} lost</Trans>
        </b>
      )}
      {of.unknown > 0 && (
        <span>
          <Trans>{of.unknown} unknown</Trans>
        </span>
      )}
    </span>
  );
}
