/** The whole life of one query or page, beside a table. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { lazy, Suspense, useMemo } from 'react';
import { Link } from 'react-router';
import type { Life } from '../mind/api';
import { carried, useFrame } from '../mind/frame';
import { bearing } from '../mind/marks';
import { useLife, useLine, useNotes, useRows } from '../mind/asked';
import { count, longDay, monthOf, place } from '../mind/words';
import { Said } from './Said';
import { BandChip } from './small';
import { Answer, Section } from './states';
import { How, Th } from './How';

const PlacesWeeks = lazy(() => import('./WeeksChart'));
const Days = lazy(() => import('./WeeksChart').then((m) => ({ default: m.Days })));

export function LifePanel({ item, text }: { item: 'query' | 'page'; text: string }) {
  const { site } = useFrame();
  const found = useLife(site, item, text);
  return (
    <Section
      title={<span style={{ overflowWrap: 'anywhere' }}>{text}</span>}
      right={found.data && t`since ${monthOf(found.data.first_seen)}`}
    >
      <Answer of={found} height={340}>
        {(data) => <Told data={data} />}
      </Answer>
      <DayByDay item={item} text={text} />
      <Partners item={item} text={text} />
    </Section>
  );
}

/** The site's notes that bear on the item. */
function useBearing(item: 'query' | 'page', text: string) {
  const { site } = useFrame();
  const { data } = useNotes(site);
  return useMemo(() => bearing(data, item === 'page' ? text : undefined), [data, item, text]);
}

function Told({ data }: { data: Life }) {
  const notes = useBearing(data.item, data.key);
  return (
    <>
      <Said sentences={data.sentences} className="lead side" />
      <Suspense fallback={<div style={{ height: 200 }} />}>
        <PlacesWeeks life={data} notes={notes} />
      </Suspense>
      <dl className="facts">
        <dt>
          <How of="life.first_seen">
            <Trans>First seen</Trans>
          </How>
        </dt>
        <dd>
          {longDay(data.first_seen)}
          {data.first_seen === data.first_held ? t` or before` : ''}
        </dd>
        <dt>
          <How of="life.start_best_week">
            <Trans>Best ever</Trans>
          </How>
        </dt>
        <dd>{data.best_week ? t`${place(data.best_week.position)}, week of ${longDay(data.best_week.start)}` : '–'}</dd>
        <dt>
          <How of="life.clicks">
            <Trans>Clicks, all that is held</Trans>
          </How>
        </dt>
        <dd>{count(data.total.clicks)}</dd>
      </dl>
    </>
  );
}

/** The daily history of the item in the window that is read. */
function DayByDay({ item, text }: { item: 'query' | 'page'; text: string }) {
  const { site, frame } = useFrame();
  const { window, where } = frame;
  const found = useLine(site, { window, against: 'none', where: { ...where, [item]: text } });
  const notes = useBearing(item, text);
  return (
    <>
      <h3 className="small" style={{ margin: '10px 0 0', fontWeight: 640 }}>
        <Trans>By day in the window: clicks, then position (best up)</Trans>
      </h3>
      <Answer of={found} height={180}>
        {(data) => (
          <Suspense fallback={<div style={{ height: 184 }} />}>
            <Days points={data.points} notes={notes} measure="clicks" name={text} height={76} />
            <Days points={data.points} notes={notes} measure="position" name={text} height={96} />
          </Suspense>
        )}
      </Answer>
    </>
  );
}

/** A query's pages, or a page's queries, in the window. */
function Partners({ item, text }: { item: 'query' | 'page'; text: string }) {
  const { site, frame, search } = useFrame();
  const other = item === 'query' ? 'page' : 'query';
  const { window, against, where } = frame;
  const narrowed = { window, against, where: { ...where, page: undefined, query: undefined, [item]: text } };
  const found = useRows(site, other, narrowed, 5);
  const to = (key: string) =>
    item === 'query' ? carried(search, { page: key }) : carried(search, { page: text, item: key });
  return (
    <Answer of={found} height={90}>
      {(data) => (
        <table className="t" style={{ marginTop: 8 }}>
          <thead>
            <tr>
              <th scope="col">{item === 'query' ? t`Pages shown for it` : t`Queries that brought clicks`}</th>
              <Th how="breakdown.position">
                <Trans>position</Trans>
              </Th>
              <Th how="breakdown.clicks">
                <Trans>clicks</Trans>
              </Th>
            </tr>
          </thead>
          <tbody>
            {data.rows.map((row) => (
              <tr key={row.key}>
                <th scope="row">
                  <Link to={`/sites/${site}/queries${to(row.key)}`} title={row.key}>
                    {row.key}
                  </Link>
                </th>
                <td className="num">
                  <BandChip position={row.now.position} band={row.band} />
                </td>
                <td className="num now">{count(row.now.clicks)}</td>
              </tr>
            ))}
            {!data.rows.length && (
              <tr>
                <td colSpan={3} className="same">
                  <Trans>None listed in this window.</Trans>
                </td>
              </tr>
            )}
          </tbody>
        </table>
      )}
    </Answer>
  );
}
