/** Countries, devices and kinds of search, each adding up to the provider's own total. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { lazy, Suspense } from 'react';
import { useQuery } from '@tanstack/react-query';
import type { Dimension, Row } from '../mind/api';
import type { Breakdown } from '../mind/api';
import { useFrame } from '../mind/frame';
import { added, quoted } from '../mind/filter';
import { breakdown, cross, timeline } from '../mind/questions';
import { useCalled } from '../mind/datasets';
import { count, signed } from '../mind/words';
import { BreakdownTable } from '../skin/BreakdownTable';
import { Engines } from '../skin/Engines';
import { HeatTable } from '../skin/HeatTable';
import { WeekProfile } from '../skin/WeekProfile';
import { WindowBar } from '../skin/WindowBar';
import { Cautions } from '../skin/small';
import { Answer, Section } from '../skin/states';

const CountryMap = lazy(() => import('../skin/CountryMap'));

export default function Places() {
  const { site, frame } = useFrame();
  const line = useQuery(timeline(site, frame));
  return (
    <>
      <WindowBar read={line.data} />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Places and devices</Trans>
          </h1>
          <span className="small">
            <Trans>A name narrows every view to it.</Trans>
          </span>
        </div>
        <div style={{ display: 'grid', gap: 16 }}>
          <One dimension="country" title={t`Countries`} />
          <One dimension="device" title={t`Devices`} />
          <Engines />
          <WeekProfile />
          <One dimension="kind" title={t`Kinds of search`} />
          <Looks />
        </div>
      </main>
    </>
  );
}

/** By what results looked like, and month for month. */
function Looks() {
  const { site, frame, search, change } = useFrame();
  const sort = search.get('sort') ?? 'clicks';
  const found = useQuery(breakdown(site, 'look', frame, { sort, limit: 30 }));
  const months = useQuery({
    ...cross(site, 'look', 'month', { ...frame, window: 'P12M' }, { limit: 30, offset: 0 }),
    enabled: found.isSuccess,
    retry: false,
  });
  const only = (key: string) => added(frame.where.filter ?? '', 'and', `look is ${quoted('query', key)}`);
  return (
    <Section
      title={t`Looks`}
      about={t`what a result looked like, where it was not like any other`}
      stale={found.isPlaceholderData}
      label={t`Looks`}
    >
      <Answer of={found} height={120}>
        {(data) => (
          <>
            <BreakdownTable
              data={data}
              sort={sort}
              onSort={(next) => change({ sort: next })}
              label={(row) => (
                <button type="button" className="link" onClick={() => change({ filter: only(row.key) })}>
                  {row.key}
                </button>
              )}
            />
            <Cautions items={data.cautions} />
            {months.data && months.data.rows.length > 0 && (
              <>
                <h3 className="small">
                  <Trans>Impressions by month</Trans>
                </h3>
                <HeatTable data={months.data} measure="impressions" label={(key) => key} />
              </>
            )}
          </>
        )}
      </Answer>
    </Section>
  );
}

function One({ dimension, title }: { dimension: Extract<Dimension, 'country' | 'device' | 'kind'>; title: string }) {
  const { site, frame, search, change } = useFrame();
  const sort = search.get('sort') ?? 'clicks';
  const only = frame.where[dimension];
  const called = useCalled();
  const narrowed = called(dimension, only ?? '');
  const found = useQuery({
    ...breakdown(site, dimension, frame, { sort, limit: dimension === 'country' ? 250 : 30 }),
    enabled: !only,
  });
  const label = (row: Row) => (
    <button type="button" className="link" onClick={() => change({ [dimension]: row.key })}>
      {called(dimension, row.key)}
    </button>
  );
  return (
    <Section title={title} stale={found.isPlaceholderData} label={title}>
      {only ? (
        <p className="small">
          <Trans>Narrowed to {narrowed}; take the condition off to compare.</Trans>
        </p>
      ) : (
        <Answer of={found} height={160}>
          {(data) => (
            <>
              {dimension === 'country' && data.rows.length > 1 && (
                <Suspense fallback={<div style={{ height: 330 }} />}>
                  <CountryMap rows={areas(data)} name="clicks" choose={(country) => change({ country })} />
                </Suspense>
              )}
              <BreakdownTable
                title={title}
                data={data}
                sort={sort}
                onSort={(next) => change({ sort: next })}
                label={label}
              />
              <Cautions items={data.cautions} />
            </>
          )}
        </Answer>
      )}
    </Section>
  );
}

const areas = (data: Breakdown) =>
  data.rows.map((row) => ({
    key: row.key,
    value: row.now.clicks,
    said: [
      ['clicks', `${count(row.now.clicks)}${row.change ? ` (${signed(Math.round(row.change.clicks))})` : ''}`],
      ['impressions', count(row.now.impressions)],
    ] as const,
  }));
