/** Who stands beside the site: share of voice step for step, keyword by keyword, and any domain opened like one's own. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useState } from 'react';
import { useQuery } from '@tanstack/react-query';
import { Link, useParams } from 'react-router';
import { named } from '../mind/named';
import { useReads } from '../mind/asked';
import type { ShareOfVoice, VoiceRow } from '../mind/api';
import { useNaming, useUnnaming } from '../mind/doing';
import { carried, useFrame } from '../mind/frame';
import { competitors, domain, tracked, voice } from '../mind/ranks';
import { DASH, count, percent, place, shortDay, signedBy } from '../mind/words';
import { RankCell } from '../skin/RankCell';
import { ReadingTable } from '../skin/ReadingTable';
import { Said } from '../skin/Said';
import { WindowBar } from '../skin/WindowBar';
import { Cautions, Pager, Spark, Triangle } from '../skin/small';
import { Answer, Empty, ErrorNote, Section } from '../skin/states';
import { useTaken } from '../mind/taken';

const LIMIT = 20;

export default function Competitors() {
  const { site, search } = useFrame();
  const offset = Number(search.get('offset') ?? '0') || 0;
  const found = useQuery(voice(site, { ...tracked(search), limit: LIMIT, offset: offset || undefined }));
  return (
    <>
      <WindowBar read={found.data} usual="P84D" ranks />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Competitors</Trans>
          </h1>
          <span className="small">
            <Trans>whose results stand on the pages of tracked keywords</Trans>
          </span>
          <span className="r">
            <Name />
          </span>
        </div>
        <Answer of={found} height={400}>
          {(data) => (
            <div className={found.isPlaceholderData ? 'stale' : undefined}>
              <Said sentences={data.sentences} />
              {data.rows.length ? (
                <div className="stack">
                  <Shares data={data} />
                  <Pager data={data} limit={LIMIT} />
                  <ByKeyword data={data} />
                </div>
              ) : (
                <Empty why={t`Nothing was looked up in this window.`} />
              )}
              <Cautions items={data.cautions} />
            </div>
          )}
        </Answer>
      </main>
    </>
  );
}

function Name() {
  const { site } = useFrame();
  const [text, write] = useState('');
  const naming = useNaming(site);
  if (useReads()) return null;
  return (
    <form
      className="narrow small"
      onSubmit={(e) => {
        e.preventDefault();
        if (text.trim()) naming.mutate(text.trim(), { onSuccess: () => write('') });
      }}
    >
      <input
        aria-label={t`Domain of a competitor`}
        placeholder={t`a domain`}
        value={text}
        onChange={(e) => write(e.target.value)}
      />
      <button type="submit" className="plain" disabled={naming.isPending || !text.trim()}>
        <Trans>Name as competitor</Trans>
      </button>
      {naming.isError && <ErrorNote error={naming.error} />}
    </form>
  );
}

function Shares({ data }: { data: ShareOfVoice }) {
  const { site, search } = useFrame();
  const kept = useQuery(competitors(site));
  const naming = useNaming(site);
  const unnaming = useUnnaming();
  const reads = useReads();
  useTaken(t`Share of voice`, 'share-of-voice', data, '', data.rows);
  const most = Math.max(...data.rows.map((row) => row.share));
  const turn = (row: VoiceRow) => {
    const known = kept.data?.find((each) => each.domain === row.domain);
    if (known) unnaming.mutate(known.id);
    else naming.mutate(row.domain);
  };
  return (
    <Section
      title={t`Share of voice`}
      about={t`what ranks are worth, by ${named(data.step)}`}
      label={t`Share of voice`}
    >
      <div className="wrap">
        <table className="t">
          <thead>
            <tr>
              <th scope="col">
                <Trans>Domain</Trans>
              </th>
              <th scope="col" className="num">
                <Trans>share</Trans>
              </th>
              <th scope="col">
                <span className="vh">
                  <Trans>as a bar</Trans>
                </span>
              </th>
              <th scope="col" className="num">
                <Trans>before</Trans>
              </th>
              <th scope="col" className="num">
                <Trans>change</Trans>
              </th>
              <th scope="col">
                {data.steps[0] ? t`${shortDay(data.steps[0].first)} to ${shortDay(data.steps.at(-1)?.last ?? '')}` : ''}
              </th>
              <th scope="col" className="num">
                <Trans>keywords</Trans>
              </th>
              <th scope="col" className="num">
                <Trans>in top 3</Trans>
              </th>
              <th scope="col" className="num">
                <Trans>average</Trans>
              </th>
              <th scope="col" className="num">
                <Trans>gained where we lost</Trans>
              </th>
              <th scope="col">
                <span className="vh">
                  <Trans>Name</Trans>
                </span>
              </th>
            </tr>
          </thead>
          <tbody>
            {data.rows.map((row) => (
              <tr key={row.domain} className={row.own ? 'own' : undefined}>
                <th scope="row">
                  <Link to={`/sites/${site}/competitors/${row.domain}${carried(search)}`}>
                    {row.domain}
                    {row.named && (
                      <span className="small">
                        {' '}
                        <Trans>named</Trans>
                      </span>
                    )}
                  </Link>
                </th>
                <td className="num now">{percent(row.share)}</td>
                <td>
                  <span className="ibar" aria-hidden="true">
                    <i style={{ width: `${(100 * row.share) / most}%` }} />
                  </span>
                </td>
                <td className="num was">{percent(row.share_before)}</td>
                <td className="num">
                  <Points change={row.change} own={row.own} />
                </td>
                <td>
                  <Spark
                    values={row.shares.map((share) => (share === null ? null : share * 1000))}
                    width={130}
                    height={24}
                    label={t`Share of ${row.domain} by ${named(data.step)}`}
                  />
                </td>
                <td className="num">{count(row.keywords)}</td>
                <td className="num">{count(row.top3)}</td>
                <td className="num">{place(row.average)}</td>
                <td className="num">{row.gained ? count(row.gained) : ''}</td>
                <td>
                  {!row.own && !reads && (
                    <button
                      type="button"
                      className="plain"
                      aria-label={row.named ? t`Name no more: ${row.domain}` : t`Name as competitor: ${row.domain}`}
                      onClick={() => turn(row)}
                    >
                      {row.named ? t`Name no more` : t`Name`}
                    </button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Section>
  );
}

function Points({ change, own }: { change: number | null; own: boolean }) {
  if (change === null) return <span className="same">{DASH}</span>;
  const points = Number((change * 100).toFixed(1));
  if (!points)
    return (
      <span className="same">
        <Trans>level</Trans>
      </span>
    );
  const up = points > 0;
  return (
    <span className={own ? `chg ${up ? 'better' : 'worse'}` : 'chg same'}>
      <Triangle up={up} />
      {signedBy(points, 1)}
    </span>
  );
}

function ByKeyword({ data }: { data: ShareOfVoice }) {
  const { site, search } = useFrame();
  return (
    <Section title={t`Keyword by keyword`} about={t`average best rank over the window`} label={t`Keyword by keyword`}>
      <div className="wrap">
        <table className="t">
          <thead>
            <tr>
              <th scope="col">
                <Trans>Keyword</Trans>
              </th>
              <th scope="col">
                <Trans>From</Trans>
              </th>
              {data.domains.map((name) => (
                <th key={name} scope="col">
                  {name.replace('.example', '')}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {data.table.slice(0, 60).map((row) => (
              <tr key={row.number}>
                <th scope="row">
                  <Link to={`/sites/${site}/keywords/${row.number}${carried(search)}`}>{row.term}</Link>
                </th>
                <td className="small">{[row.place, named(row.device)].filter(Boolean).join(' · ')}</td>
                {row.cells.map((cell, n) => (
                  <td key={data.domains[n]}>
                    <RankCell rank={cell ?? 0} />
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
    </Section>
  );
}

/** One domain that was seen: its keywords beside the site's own ranks, and its pages. */
export function Domain() {
  const { domain: name = '' } = useParams();
  const { site, search } = useFrame();
  const found = useQuery(domain(site, name, tracked(search)));
  return (
    <>
      <WindowBar read={found.data} ranks />
      <main className="page">
        <div className="head">
          <h1>{name}</h1>
          <span className="small">
            <Trans>
              as seen on the result pages of tracked keywords ·{' '}
              <Link to={`/sites/${site}/competitors${carried(search)}`}>all competitors</Link>
            </Trans>
          </span>
        </div>
        <Answer of={found} height={400}>
          {(data) => (
            <div className={found.isPlaceholderData ? 'stale' : undefined}>
              <Said sentences={data.sentences} />
              <div className="cols side">
                <ReadingTable
                  reading="domain"
                  title={name}
                  answer={data}
                  cells={{
                    term: ((row: { number: number; term: string }) => (
                      <Link to={`/sites/${site}/keywords/${row.number}${carried(search)}`}>{row.term}</Link>
                    )) as never,
                  }}
                />
                <Section title={t`Its pages`} about={t`by number of keywords`} label={t`Its pages`}>
                  <ReadingTable reading="domain" table="page" title={t`Pages of ${name}`} answer={data} most={40} />
                </Section>
              </div>
              <Cautions items={data.cautions} />
            </div>
          )}
        </Answer>
      </main>
    </>
  );
}
