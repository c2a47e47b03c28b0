/** The rows of a reading on a map, where they are countries or cities. */
import { lazy, Suspense } from 'react';
import { rowsOf, titleOf, valueOf, type Column, type Reading } from '../mind/catalogue';
import { useTowns } from '../mind/asked';
import { isNumber, plain } from './written';

const CountryMap = lazy(() => import('./CountryMap'));
const TownMap = lazy(() => import('./TownMap'));

type Table = Reading['tables'][number];

export function OnMap({
  about,
  answer,
  change,
}: {
  about: Reading;
  answer: unknown;
  change: (changes: Record<string, string | undefined>) => void;
}) {
  const by = (answer as { by?: string }).by;
  const table = about.tables[0];
  if (!table || (by !== 'country' && by !== 'city')) return null;
  const { name, areas } = areasOf(table, answer);
  if (areas.length === 0) return null;
  const further = about.parameters.some((each) => each.name === 'region');
  return (
    <Suspense fallback={<div style={{ height: 330 }} />}>
      {by === 'country' ? (
        <CountryMap
          rows={areas}
          name={name}
          choose={further ? (country) => change({ country, rows_by: 'region' }) : undefined}
        />
      ) : (
        <Cities areas={areas} name={name} />
      )}
    </Suspense>
  );
}

type Areas = ReturnType<typeof areasOf>['areas'];

function Cities({ areas, name }: { areas: Areas; name: string }) {
  const found = useTowns(areas.map((each) => each.key));
  if (!found.data) return <div style={{ height: 390 }} />;
  const towns = new Map(found.data.map((town) => [town.name, town]));
  const spots = areas.flatMap((each) => {
    const town = towns.get(each.key);
    return town ? [{ ...each, latitude: town.latitude, longitude: town.longitude }] : [];
  });
  const unknown = areas.filter((each) => !towns.has(each.key)).map((each) => each.key);
  return <TownMap spots={spots} name={name} unknown={unknown} />;
}

/** The first figure of each row, and all that is shown of it. */
function areasOf(table: Table, answer: unknown) {
  const shown = table.columns.filter((each) => each.shown);
  const [key, ...figures] = shown;
  const counted = figures.find((each) => ['count', 'number'].includes(each.kind));
  if (!key || !counted) return { name: '', areas: [] };
  const areas = rowsOf(answer, table.rows)
    .map((row) => ({
      key: String(valueOf(key, row) ?? ''),
      value: Number(valueOf(counted, row) ?? 0),
      said: saidOf(figures, row),
    }))
    .filter((each) => each.key);
  return { name: titleOf(counted), areas };
}

const saidOf = (figures: readonly Column[], row: unknown) =>
  figures
    .filter((each) => isNumber(each) && !each.signed && typeof valueOf(each, row) === 'number')
    .slice(0, 6)
    .map((each) => [titleOf(each), plain(each, valueOf(each, row) as number)] as const);
