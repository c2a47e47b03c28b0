/** Towns as rings on the outlines of countries, their areas as their figures; the table beside it has every number. */
import { t } from '@lingui/core/macro';
import { ScatterChart as Points } from 'echarts/charts';
import { GeoComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { useCallback } from 'react';
import { count } from '../mind/words';
import { NAME, worldKnown, type Area } from './CountryMap';
import { axisText, colour, safe, tooltipLook, useChart, type Option } from './charts';

/** A town: what stands in its row, and where it lies. */
export interface Spot extends Area {
  latitude: number;
  longitude: number;
}

echarts.use([Points, GeoComponent]);

const MARGIN = 1.5;
const NAMED = 12;
const LARGEST = 46;
const SMALLEST = 7;

export default function TownMap({ spots, name, unknown }: { spots: readonly Spot[]; name: string; unknown: string[] }) {
  worldKnown();
  const { element } = useChart(useCallback(() => option(spots), [spots]));
  const first = spots[0];
  return (
    <figure className="map">
      <div
        ref={element}
        className="plot"
        hidden={!first}
        style={{ height: 360 }}
        role="img"
        aria-label={
          first
            ? t`${name} by city; ${first.key} ${count(first.value)} first. Every number is in the table.`
            : t`${name} by city. Every number is in the table.`
        }
      />
      <figcaption className="small key">
        {first && <span className="mut">{t`Rings: ${name}, by their area.`}</span>}
        {unknown.length > 0 && (
          <span className="mut">{t`Not on the map, as the gazetteer does not know them: ${unknown.slice(0, 5).join(', ')}${unknown.length > 5 ? ' …' : ''}.`}</span>
        )}
      </figcaption>
    </figure>
  );
}

/** Frames the towns with some room around them, at least so wide that their coast can be told. */
function framed(spots: readonly Spot[]): [[number, number], [number, number]] {
  const lons = spots.map((spot) => spot.longitude);
  const lats = spots.map((spot) => spot.latitude);
  const room = Math.max(MARGIN, (Math.max(...lats) - Math.min(...lats)) * 0.12);
  return [
    [Math.min(...lons) - room * 2, Math.min(85, Math.max(...lats) + room)],
    [Math.max(...lons) + room * 2, Math.max(-85, Math.min(...lats) - room)],
  ];
}

function option(spots: readonly Spot[]): Option {
  if (!spots.length) return {};
  const box = framed(spots);
  const middle = (box[0][1] + box[1][1]) / 2;
  const most = Math.max(1, ...spots.map((spot) => spot.value));
  return {
    animation: false,
    tooltip: { ...tooltipLook(), trigger: 'item', formatter: (of: { name: string }) => tip(spots, of.name) },
    geo: {
      map: NAME,
      roam: false,
      silent: true,
      left: 0,
      right: 0,
      top: 0,
      bottom: 0,
      boundingCoords: box,
      preserveAspect: true,
      aspectScale: Math.cos((middle * Math.PI) / 180),
      itemStyle: { areaColor: colour('sunk'), borderColor: colour('rule'), borderWidth: 0.8 },
      emphasis: { disabled: true },
    },
    series: [
      {
        type: 'scatter',
        coordinateSystem: 'geo',
        symbolSize: (value: number[]) => Math.max(SMALLEST, LARGEST * Math.sqrt((value[2] ?? 0) / most)),
        itemStyle: { color: colour('m3'), opacity: 0.75, borderColor: colour('m5'), borderWidth: 1.5 },
        label: {
          ...axisText(),
          show: true,
          position: 'right',
          formatter: (of: { name: string; dataIndex: number }) => (of.dataIndex < NAMED ? of.name : ''),
        },
        labelLayout: { hideOverlap: true },
        data: spots.map((spot) => ({ name: spot.key, value: [spot.longitude, spot.latitude, spot.value] })),
      },
    ],
  };
}

function tip(spots: readonly Spot[], key: string): string {
  const said = spots.find((each) => each.key === key)?.said ?? [];
  return [`<b>${safe(key)}</b>`, ...said.map(([name, value]) => `${safe(name)} <b>${safe(value)}</b>`)].join('<br>');
}
