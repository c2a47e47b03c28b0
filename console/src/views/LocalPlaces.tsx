/** Where from and on what: local grids drawn as a map, ranks by country, and each device beside the other. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { lazy, Suspense, useState } from 'react';
import { useQuery } from '@tanstack/react-query';
import { named } from '../mind/named';
import type { GridOut, LocalGrid } from '../mind/api';
import { useDroppingGrid, useKeepingGrid } from '../mind/doing';
import { useFindingPlaces } from '../mind/finding';
import { useFrame } from '../mind/frame';
import { byCountry, deviceRanks, grids, localGrid, tracked } from '../mind/ranks';
import { DASH, count, countryName, percent, fixed, place } from '../mind/words';
import { Sends, TextIn, useFields } from '../skin/form';
import { Chosen } from '../skin/Chosen';
import { PlaceFind } from '../skin/PlaceFind';
import { BandKey, RankCell, RankChip } from '../skin/RankCell';
import { ReadingTable } from '../skin/ReadingTable';
import { Said } from '../skin/Said';
import { WindowBar } from '../skin/WindowBar';
import { Cautions, Pager, Triangle } from '../skin/small';
import { Answer, Empty, ErrorNote, Section } from '../skin/states';

const CountryMap = lazy(() => import('../skin/CountryMap'));

export default function LocalPlaces() {
  const { site, search } = useFrame();
  const known = useQuery(grids(site));
  const countries = useQuery(byCountry(site, tracked(search)));
  return (
    <>
      <WindowBar read={countries.data} ranks />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Ranks by place</Trans>
          </h1>
          <span className="r">
            <BandKey />
          </span>
        </div>
        <div className="stack">
          <Answer of={known} height={300}>
            {(all) => <Grids all={all} />}
          </Answer>
          <div className="cols side">
            <Devices />
            <Countries />
          </div>
        </div>
      </main>
    </>
  );
}

function Grids({ all }: { all: readonly GridOut[] }) {
  const { search, change } = useFrame();
  const chosen = all.find((each) => String(each.id) === search.get('grid')) ?? all[0];
  return (
    <Section title={t`Local grid`} about={t`one term, looked up from points around a place`} label={t`Local grid`}>
      {chosen ? (
        <>
          <div className="narrow small">
            <label>
              <Trans>around</Trans>{' '}
              <select className="inline" value={chosen.id} onChange={(e) => change({ grid: e.target.value })}>
                {all.map((each) => (
                  <option key={each.id} value={each.id}>
                    {each.label}: {each.term}, {named(each.device)}
                  </option>
                ))}
              </select>
            </label>{' '}
            <DropGrid key={chosen.id} grid={chosen} />
          </div>
          <GridForm key={`${chosen.id}${chosen.tag}`} grid={chosen} />
          <Grid number={chosen.id} />
        </>
      ) : (
        <Empty why={t`No local grid is kept yet. Say what is looked up and around where, below.`} />
      )}
      <GridForm />
    </Section>
  );
}

/** Asks once more, as lookups that were not made cannot be made later. */
function DropGrid({ grid }: { grid: GridOut }) {
  const { change } = useFrame();
  const [asked, setAsked] = useState(false);
  const dropping = useDroppingGrid();
  if (!asked)
    return (
      <button type="button" className="plain small" onClick={() => setAsked(true)}>
        <Trans>Stop looking it up</Trans>
      </button>
    );
  const drop = () => dropping.mutate(grid.id, { onSuccess: () => change({ grid: undefined }) });
  return (
    <>
      <Trans>
        {count(grid.size * grid.size * (grid.interval === 'daily' ? 7 : 1))} lookups a week end; ranks found so far are
        kept.
      </Trans>{' '}
      <button type="button" className="plain small" disabled={dropping.isPending} onClick={drop}>
        <Trans>Stop</Trans>
      </button>{' '}
      <button type="button" className="plain small" onClick={() => setAsked(false)}>
        <Trans>Go on</Trans>
      </button>
      {dropping.isError && <ErrorNote error={dropping.error} />}
    </>
  );
}

interface Fields {
  label: string;
  term: string;
  latitude: string;
  longitude: string;
  spacing: string;
  size: string;
  language: string;
  country: string;
  device: string;
  interval: string;
}

const OF_NEW: Fields = {
  label: '',
  term: '',
  latitude: '',
  longitude: '',
  spacing: '1',
  size: '7',
  language: 'en',
  country: 'GB',
  device: 'mobile',
  interval: 'weekly',
};

/** A new grid, or another shape of one; it is looked up with the next run, so many lookups as it has points. */
function GridForm({ grid }: { grid?: GridOut }) {
  const { site, change } = useFrame();
  const keeping = useKeepingGrid(site, grid);
  const finding = useFindingPlaces();
  const form = useFields<Fields>(
    grid
      ? {
          ...grid,
          latitude: String(grid.latitude),
          longitude: String(grid.longitude),
          spacing: String(grid.spacing),
          size: String(grid.size),
        }
      : OF_NEW,
    keeping.error,
  );
  const size = Number(form.watch('size')) || 0;
  return (
    <details className="how">
      <summary className="small">{grid ? t`Change this grid` : t`Add a local grid`}</summary>
      <form
        className="narrow"
        onSubmit={(e) => {
          e.preventDefault();
          void form.handleSubmit((fields) =>
            keeping.mutate(
              {
                label: fields.label,
                term: fields.term,
                latitude: Number(fields.latitude),
                longitude: Number(fields.longitude),
                spacing: Number(fields.spacing),
                size: Number(fields.size),
                language: fields.language,
                country: fields.country.toUpperCase(),
                engine: grid?.engine,
                device: fields.device as GridOut['device'],
                interval: fields.interval as 'daily' | 'weekly',
              },
              {
                onSuccess: (made) => {
                  if (!grid) form.reset();
                  change({ grid: String(made.id) });
                },
              },
            ),
          )();
        }}
      >
        <TextIn form={form} name="label" label={t`Around`} rules={{ required: t`Say what lies in the middle.` }} />
        <TextIn form={form} name="term" label={t`Term`} rules={{ required: t`Say what is looked up.` }} />
        <PlaceFind
          label={t`Find a place`}
          of={finding}
          choose={(chosen) => {
            form.setValue('country', chosen.country);
            form.setValue('latitude', chosen.latitude === null ? '' : chosen.latitude.toFixed(4));
            form.setValue('longitude', chosen.longitude === null ? '' : chosen.longitude.toFixed(4));
          }}
        />
        <TextIn form={form} name="latitude" label={t`Latitude`} rules={{ required: t`As 52.214.` }} />
        <TextIn form={form} name="longitude" label={t`Longitude`} rules={{ required: t`As -1.482.` }} />
        <TextIn form={form} name="language" label={t`Language`} />
        <TextIn form={form} name="country" label={t`Country`} />
        <TextIn form={form} name="spacing" label={t`Kilometres apart`} type="number" />
        <TextIn form={form} name="size" label={t`Points a side`} type="number" />
        <TextIn form={form} name="device" label={t`Device`} select slotProps={{ select: { native: true } }}>
          {['mobile', 'desktop', 'map'].map((each) => (
            <option key={each} value={each}>
              {named(each)}
            </option>
          ))}
        </TextIn>
        <TextIn form={form} name="interval" label={t`How often`} select slotProps={{ select: { native: true } }}>
          {['weekly', 'daily'].map((each) => (
            <option key={each} value={each}>
              {named(each)}
            </option>
          ))}
        </TextIn>
        <Sends text={grid ? t`Change` : t`Add`} busy={keeping.isPending} />
        <span className="small">
          <Trans>{count(size * size * (form.watch('interval') === 'daily' ? 7 : 1))} lookups a week</Trans>
          {grid && t`; other points are looked up anew, what was found is kept`}
        </span>
        {keeping.isError && <ErrorNote error={keeping.error} />}
      </form>
    </details>
  );
}

function Grid({ number }: { number: number }) {
  const { site, search, change } = useFrame();
  const whose = search.get('whose') ?? '';
  const found = useQuery(localGrid(site, number, { ...tracked(search), domain: whose || undefined }));
  const drawn = search.get('drawn') === 'moved' ? 'moved' : 'rank';
  return (
    <Answer of={found} height={320}>
      {(data) => (
        <div className={found.isPlaceholderData ? 'stale' : undefined}>
          <Said sentences={data.sentences} />
          <div className="narrow small">
            <label className="small">
              <Trans>whose</Trans>{' '}
              <select value={whose} onChange={(e) => change({ whose: e.target.value || undefined })}>
                <option value="">
                  <Trans>the site</Trans>
                </option>
                {[...new Set([...data.rivals.filter((each) => !each.own).map((each) => each.domain), whose])]
                  .filter(Boolean)
                  .map((domain) => (
                    <option key={domain}>{domain}</option>
                  ))}
              </select>
            </label>
            {data.before && (
              <Chosen
                label={t`What is drawn`}
                value={drawn}
                names={{ rank: t`Ranks`, moved: t`Change` }}
                choose={(next) => change({ drawn: next === 'moved' ? next : undefined })}
              />
            )}
          </div>
          <div className="cols side">
            <Points data={data} moved={drawn === 'moved' && data.before !== null} />
            <div>
              <h3>
                <Trans>Who stands where</Trans>
              </h3>
              <ReadingTable
                reading="local-grid"
                table="rival"
                names={['domain', 'won', 'top3', 'mean']}
                title={t`${data.label}: competitors`}
                answer={data}
              />
            </div>
          </div>
          <Cautions items={data.cautions} />
        </div>
      )}
    </Answer>
  );
}

/** How far a point moved; one that is not found stands one place beyond the depth. */
function MovedCell({ point, depth }: { point: LocalGrid['rows'][number] | undefined; depth: number }) {
  if (!point || !point.moved || point.moved === 'unknown')
    return (
      <span className="x b0">
        <span className="vh">
          <Trans>unknown</Trans>
        </span>
      </span>
    );
  const steps = Math.round((point.before ?? depth + 1) - (point.rank ?? depth + 1));
  if (steps === 0) return <span className="x same">=</span>;
  return (
    <span className={`x ${steps > 0 ? 'better' : 'worse'}`}>
      <Triangle up={steps > 0} /> {Math.abs(steps)}
    </span>
  );
}

/** North up; the margins hold the mean of each row and column, a point that found nothing counting as depth + 1. */
function Points({ data, moved }: { data: LocalGrid; moved: boolean }) {
  const at = (down: number, across: number) =>
    data.rows.find((point) => point.down === down && point.across === across);
  const sides = Array.from({ length: data.size }, (_, n) => n);
  const mean = (points: ReadonlyArray<LocalGrid['rows'][number] | undefined>) => {
    const ranks = points.filter((point) => point?.checked).map((point) => point?.rank ?? data.depth + 1);
    return ranks.length ? place(ranks.reduce((sum, rank) => sum + rank, 0) / ranks.length) : DASH;
  };
  return (
    <div className="wrap">
      <table className="gridmap" aria-label={t`${data.term} around ${data.label}, north up`}>
        <caption className="small">
          <Trans>
            north ↑ · {data.spacing} km between points · {named(data.device)}
          </Trans>
        </caption>
        <tbody>
          {sides.map((down) => (
            <tr key={down}>
              {sides.map((across) => {
                const point = at(down, across);
                const middle = down === (data.size - 1) / 2 && across === (data.size - 1) / 2;
                const said = point?.checked
                  ? `${fixed(point.latitude, 3)}, ${fixed(point.longitude, 3)}: ${point.top.join(', ') || t`nothing found`}`
                  : t`not looked up`;
                return (
                  <td key={across} className={middle ? 'middle' : undefined} title={said}>
                    {moved ? (
                      <MovedCell point={point} depth={data.depth} />
                    ) : (
                      <RankCell rank={point?.checked ? (point.rank ?? 0) : null} />
                    )}
                  </td>
                );
              })}
              <td className="small num">{mean(sides.map((across) => at(down, across)))}</td>
            </tr>
          ))}
          <tr>
            {sides.map((across) => (
              <td key={across} className="small">
                {mean(sides.map((down) => at(down, across)))}
              </td>
            ))}
            <td />
          </tr>
        </tbody>
      </table>
      <p className="small">
        <Trans>
          mean rank {place(data.now.mean)}
          {data.before?.mean ? t`, ${place(data.before.mean)} before` : ''} · among the first three at{' '}
          {percent(data.now.top3, 0)} of {count(data.now.points)} points · found at {percent(data.now.found, 0)}
        </Trans>
      </p>
    </div>
  );
}

function Devices() {
  const { site, search } = useFrame();
  const found = useQuery(deviceRanks(site, tracked(search)));
  return (
    <Section title={t`Each device`} about={t`the same term from the same place`} label={t`Each device`}>
      <Answer of={found} height={200}>
        {(data) => (
          <>
            <Said sentences={data.sentences} />
            {data.rows.length ? (
              <ReadingTable
                reading="device-ranks"
                title={t`Ranks on each device`}
                answer={data}
                most={40}
                cells={{ desktop: chip('desktop'), mobile: chip('mobile'), map: chip('map'), pack: chip('pack') }}
              />
            ) : (
              <Empty why={t`No term is tracked on two devices, nor from a town.`} />
            )}
            <Pager data={data} limit={50} />
          </>
        )}
      </Answer>
    </Section>
  );
}

const chip = (name: 'desktop' | 'mobile' | 'map' | 'pack') =>
  ((row: Record<string, number | null>) => (row[name] === null ? DASH : <RankChip rank={row[name]} />)) as never;

function Countries() {
  const { site, search } = useFrame();
  const found = useQuery(byCountry(site, tracked(search)));
  return (
    <Section title={t`Each country`} about={t`visibility of the keywords looked up from it`} label={t`Each country`}>
      <Answer of={found} height={200}>
        {(data) => (
          <>
            {data.rows.length > 1 && (
              <Suspense fallback={null}>
                <CountryMap
                  rows={data.rows.map((row) => ({
                    key: row.key,
                    value: Math.round(row.now.visibility ?? 0),
                    said: [
                      ['visibility', place(row.now.visibility)],
                      [t`average rank`, place(row.now.average)],
                      ['keywords', count(row.tracked)],
                    ],
                  }))}
                  name="visibility"
                />
              </Suspense>
            )}
            <ReadingTable
              reading="rank-summary"
              title={t`Ranks by country`}
              answer={data}
              names={['key', 'tracked', 'visibility', 'average']}
              cells={{ key: ((row: { key: string }) => countryName(row.key)) as never }}
            />
          </>
        )}
      </Answer>
    </Section>
  );
}
