/** What could be won: unclicked queries, and what stands worse on one device than on the other. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import type { ReactNode } from 'react';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { named } from '../mind/named';
import { carried, useFrame } from '../mind/frame';
import { deviceGap, unclicked } from '../mind/questions';
import { ReadingTable } from '../skin/ReadingTable';
import { Said } from '../skin/Said';
import { WindowBar } from '../skin/WindowBar';
import { Cautions, Pager } from '../skin/small';
import { Answer, Empty } from '../skin/states';

const UNCLICKED = { impressions: named('shown'), position: t({ message: 'place', context: 'among the results' }) };
const LIMIT = 50;
const VIEWS: ReadonlyArray<readonly [string, string]> = [
  ['reach', t`Within reach`],
  ['unclicked', t`Unclicked`],
  ['device-gap', t`Mobile and desktop`],
];

/** The three questions of what could be won, side by side. */
export function Questions({ of }: { of: string }) {
  const { site, search } = useFrame();
  return (
    <nav aria-label={t`What could be won`} className="switch">
      {VIEWS.map(([view, name]) => (
        <Link
          key={view}
          className="plain"
          aria-current={view === of ? 'page' : undefined}
          to={`/sites/${site}/${view}${carried(search)}`}
        >
          {name}
        </Link>
      ))}
    </nav>
  );
}

export function Unclicked() {
  const { site, frame, search } = useFrame();
  const found = useQuery(unclicked(site, frame, { limit: LIMIT, offset: Number(search.get('offset') ?? '0') || 0 }));
  return (
    <>
      <WindowBar read={found.data} />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Unclicked</Trans>
          </h1>
          <Questions of="unclicked" />
        </div>
        <Answer of={found} height={400}>
          {(data) => (
            <div className={found.isPlaceholderData ? 'stale' : undefined}>
              <Said sentences={data.sentences} />
              {data.matching === 0 ? (
                <Empty
                  why={t`Every query is clicked about as often as its place lets expect, or too seldom shown to tell.`}
                >
                  <Trans>A longer window tells more.</Trans>
                </Empty>
              ) : (
                <ReadingTable reading="unclicked" title={t`Unclicked`} answer={data} heads={UNCLICKED} />
              )}
              <Pager data={data} limit={LIMIT} />
              <Cautions items={data.cautions} />
              <How>
                <Trans>
                  Expected: impressions × the site’s own click-through at the place, without brand queries. A query on a
                  page is listed with at least 5 clicks to be expected, at most half of them there, and so few clicks
                  less than 1% likely (Poisson, its variance doubled).
                </Trans>
              </How>
            </div>
          )}
        </Answer>
      </main>
    </>
  );
}

export function Gap() {
  const { site, frame, search } = useFrame();
  const found = useQuery(deviceGap(site, frame, { limit: LIMIT, offset: Number(search.get('offset') ?? '0') || 0 }));
  return (
    <>
      <WindowBar read={found.data} />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Mobile and desktop</Trans>
          </h1>
          <Questions of="device-gap" />
        </div>
        <Answer of={found} height={400}>
          {(data) => (
            <div className={found.isPlaceholderData ? 'stale' : undefined}>
              <Said sentences={data.sentences} />
              {data.matching === 0 ? (
                <Empty why={t`No query is shown often enough on both devices.`}>
                  <Trans>A longer window tells more.</Trans>
                </Empty>
              ) : (
                <ReadingTable reading="device-gap" title={t`Mobile and desktop`} answer={data} />
              )}
              <Pager data={data} limit={LIMIT} />
              <Cautions items={data.cautions} />
              <How>
                <Trans>
                  Queries with 50 impressions in 28 days on each device. The gain is what the worse device would bring
                  at the place of the other: its impressions × the difference of its click-through between the two
                  places.
                </Trans>
              </How>
            </div>
          )}
        </Answer>
      </main>
    </>
  );
}

function How({ children }: { children: ReactNode }) {
  return (
    <details className="how">
      <summary className="small">
        <Trans>How is this computed?</Trans>
      </summary>
      <p className="small">{children}</p>
    </details>
  );
}
