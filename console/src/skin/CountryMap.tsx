/** Countries of the world, shaded by a figure in steps; the table beside it has every number. */
import { t } from '@lingui/core/macro';
import { useCallback, useMemo, useEffect } from 'react';
import { MapChart } from 'echarts/charts';
import { GeoComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { numericToAlpha2 } from 'i18n-iso-countries';
import type { FeatureCollection, Geometry } from 'geojson';
import { feature } from 'topojson-client';
import type { GeometryCollection, Topology } from 'topojson-specification';
import world from 'world-atlas/countries-50m.json';
import { count, countryName } from '../mind/words';
import { colour, safe, tooltipLook, useChart, type Option } from './charts';

/** One country: its ISO 3166 code, the figure it is shaded by, and what is said of it. */
export interface Area {
  key: string;
  value: number;
  said: ReadonlyArray<readonly [string, string]>;
}

export const NAME = 'world';
const STEPS = 5;
const ANTARCTICA = '010';

echarts.use([MapChart, GeoComponent]);

let known: FeatureCollection<Geometry, { name: string }> | undefined;

/** Makes the shapes of all countries known to the charts, by their codes. */
export const worldKnown = () => void shapes();

/** Gives the shapes, each named by its ISO 3166 code. */
function shapes(): FeatureCollection<Geometry, { name: string }> {
  if (known) return known;
  const atlas = world as unknown as Topology<{ countries: GeometryCollection<{ name: string }> }>;
  const all = feature(atlas, atlas.objects.countries);
  const features = all.features
    .filter((shape) => shape.id !== ANTARCTICA)
    .map((shape) => ({
      ...shape,
      geometry: unbroken(shape.geometry),
      properties: {
        name: (shape.id === undefined ? undefined : numericToAlpha2(String(shape.id))) ?? shape.properties.name,
      },
    }));
  known = { ...all, features };
  echarts.registerMap(NAME, known as never);
  return known;
}

type Ring = number[][];

/** Puts the parts of a ring that crosses the date line on one side of it, so that it is not drawn across the world. */
function joined(ring: Ring): Ring {
  const lons = ring.map(([lon]) => lon ?? 0);
  if (Math.max(...lons) - Math.min(...lons) <= 180) return ring;
  return ring.map(([lon = 0, lat = 0]) => [lon < 0 ? lon + 360 : lon, lat]);
}

function unbroken(geometry: Geometry): Geometry {
  if (geometry.type === 'Polygon') return { ...geometry, coordinates: geometry.coordinates.map(joined) };
  if (geometry.type === 'MultiPolygon')
    return { ...geometry, coordinates: geometry.coordinates.map((polygon) => polygon.map(joined)) };
  return geometry;
}

const MARGIN = 7;
const LEAST_SHARE = 0.005;

/** Frames the countries that matter, each by its largest part; undefined for the whole world. */
function framed(rows: readonly Area[]): [[number, number], [number, number]] | undefined {
  const least = LEAST_SHARE * rows.reduce((sum, row) => sum + row.value, 0);
  const wanted = new Set(rows.filter((row) => row.value > least).map((row) => row.key));
  const boxes = shapes()
    .features.filter((shape) => wanted.has(shape.properties.name))
    .map((shape) => largest(shape.geometry));
  if (!boxes.length) return undefined;
  const [west, south, east, north] = [0, 1, 2, 3].map((n) =>
    (n < 2 ? Math.min : Math.max)(...boxes.map((box) => box[n] ?? 0)),
  ) as Box;
  return [
    [west - MARGIN, Math.min(84, north + MARGIN)],
    [east + MARGIN, Math.max(-56, south - MARGIN)],
  ];
}

type Box = [number, number, number, number];

function largest(geometry: Geometry): Box {
  const polygons =
    geometry.type === 'Polygon' ? [geometry.coordinates] : geometry.type === 'MultiPolygon' ? geometry.coordinates : [];
  const boxes = polygons.map((polygon): Box => {
    const [lons, lats] = [0, 1].map((n) => (polygon[0] ?? []).map((point) => point[n] ?? 0)) as [number[], number[]];
    return [Math.min(...lons), Math.min(...lats), Math.max(...lons), Math.max(...lats)];
  });
  const size = (box: Box) => (box[2] - box[0]) * (box[3] - box[1]);
  return boxes.reduce((most, box) => (size(box) > size(most) ? box : most));
}

/** Cuts a range of counts into steps that grow by the same factor; returns the lower end of each. */
export function stepsOf(most: number): number[] {
  if (most < 1) return [];
  const factor = most ** (1 / STEPS);
  return [...new Set(Array.from({ length: STEPS }, (_, n) => Math.max(1, Math.round(factor ** n))))];
}

export default function CountryMap({
  rows,
  name,
  choose,
}: {
  rows: readonly Area[];
  name: string;
  choose?: (country: string) => void;
}) {
  shapes();
  const most = Math.max(0, ...rows.map((row) => row.value));
  const steps = useMemo(() => stepsOf(most), [most]);
  const { element, chart } = useChart(useCallback(() => option(rows, steps), [rows, steps]));
  useEffect(() => {
    const made = chart.current;
    const listed = new Set(rows.map((row) => row.key));
    const go = (event: { name?: string }) => {
      if (event.name && listed.has(event.name)) choose?.(event.name);
    };
    made?.on('click', go as never);
    return () => {
      made?.off('click', go as never);
    };
  });
  const first = rows[0];
  return (
    <figure className="map">
      <div
        ref={element}
        className="plot"
        style={{ height: 300 }}
        role="img"
        aria-label={
          first
            ? t`${name} by country; ${countryName(first.key)} ${count(first.value)} first. Every number is in the table.`
            : t`${name} by country. Every number is in the table.`
        }
      />
      <figcaption className="small key">
        {steps.map((from, n) => (
          <span key={from}>
            <b style={{ background: `var(--m${n + 1})` }} />
            {n === steps.length - 1
              ? t`${count(from)} and more`
              : `${count(from)} – ${count((steps[n + 1] ?? from) - 1)}`}
          </span>
        ))}
        <span className="mut">
          {choose
            ? t`${name}; a country opens when it is clicked, small ones are in the table only`
            : t`${name}; small ones are in the table only`}
        </span>
      </figcaption>
    </figure>
  );
}

function option(rows: readonly Area[], steps: readonly number[]): Option {
  const box = framed(rows);
  const middle = box ? (box[0][1] + box[1][1]) / 2 : 35;
  const shade = (clicks: number) => {
    const at = steps.filter((from) => clicks >= from).length;
    return colour(at ? `m${at}` : 'sunk');
  };
  return {
    animation: false,
    tooltip: { ...tooltipLook(), trigger: 'item', formatter: (of: { name: string }) => tip(rows, of.name) },
    series: [
      {
        type: 'map',
        map: NAME,
        roam: false,
        selectedMode: false,
        left: 0,
        right: 0,
        top: 0,
        bottom: 0,
        boundingCoords: box,
        preserveAspect: true,
        aspectScale: Math.cos((middle * Math.PI) / 180),
        itemStyle: { areaColor: colour('sunk'), borderColor: colour('paper'), borderWidth: 0.5 },
        emphasis: { label: { show: false }, itemStyle: { areaColor: colour('lamp') } },
        label: { show: false },
        data: rows.map((row) => ({
          name: row.key,
          value: row.value,
          itemStyle: { areaColor: shade(row.value) },
        })),
      },
    ],
  };
}

function tip(rows: readonly Area[], key: string): string {
  const said = rows.find((each) => each.key === key)?.said ?? [];
  return [
    `<b>${safe(countryName(key))}</b>`,
    ...said.map(([name, value]) => `${safe(name)} <b>${safe(value)}</b>`),
  ].join('<br>');
}
