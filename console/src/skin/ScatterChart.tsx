/** Each row as a point: place or click-through against clicks, both in logarithms; a frame drawn over points keeps them. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useCallback, useEffect } from 'react';
import { ScatterChart as Points } from 'echarts/charts';
import { BrushComponent, ToolboxComponent } from 'echarts/components';
import * as echarts from 'echarts/core';
import { named } from '../mind/named';
import type { Breakdown, Row } from '../mind/api';
import { brief, count, percent, place } from '../mind/words';
import { axisText, colour, safe, tooltipLook, useChart, type Option } from './charts';

echarts.use([Points, BrushComponent, ToolboxComponent]);

export type Across = 'position' | 'ctr';
/** Where rows without clicks stand, on an axis that has no zero. */
const NO_CLICKS = 0.5;
const NO_RATE = 0.0003;

interface Area {
  range: [[number, number], [number, number]];
}

export default function ScatterChart({
  data,
  across,
  keep,
}: {
  data: Breakdown;
  across: Across;
  keep: (filter: string) => void;
}) {
  const { element, chart } = useChart(useCallback(() => option(data, across), [data, across]));
  useEffect(() => {
    const made = chart.current;
    if (!made) return undefined;
    made.dispatchAction({
      type: 'takeGlobalCursor',
      key: 'brush',
      brushOption: { brushType: 'rect', brushMode: 'single' },
    });
    const ended = (event: { areas: Area[] }) => {
      const area = event.areas[0];
      if (!area) return;
      const [[left, right], [top, bottom]] = area.range;
      const from = made.convertFromPixel({ gridIndex: 0 }, [left, bottom]) as [number, number];
      const to = made.convertFromPixel({ gridIndex: 0 }, [right, top]) as [number, number];
      keep(framed(across, [from[0], to[0]], [from[1], to[1]]));
    };
    made.on('brushEnd', ended as never);
    return () => {
      made.off('brushEnd', ended as never);
    };
  });
  return (
    <>
      <div
        ref={element}
        className="plot"
        style={{ height: 440 }}
        role="img"
        aria-label={
          across === 'ctr'
            ? t`${count(data.rows.length)} rows as points: click-through against clicks. The same rows are in the table under Across: figures.`
            : t`${count(data.rows.length)} rows as points: average place against clicks. The same rows are in the table under Across: figures.`
        }
      />
      <p className="small">
        <Trans>
          The {count(data.rows.length)} rows with most clicks. Draw a frame over points to keep only those, as a filter;
          both axes are logarithmic{across === 'position' ? t`, best places at the right` : ''}.
        </Trans>
      </p>
    </>
  );
}

/** Writes a frame drawn over points as a filter; an edge beyond the last step of an axis sets no bound. */
export function framed(across: Across, x: readonly [number, number], y: readonly [number, number]): string {
  const [low, high] = [Math.min(...x), Math.max(...x)];
  const [few, many] = [Math.min(...y), Math.max(...y)];
  const written = (value: number) => (across === 'ctr' ? value.toFixed(4) : value.toFixed(1));
  const parts = [`${across} <= ${written(high)}`];
  if (across === 'position' || low > NO_RATE * 1.5) parts.unshift(`${across} >= ${written(low)}`);
  if (few >= 1) parts.push(`clicks >= ${Math.ceil(few)}`);
  parts.push(`clicks <= ${Math.max(0, Math.floor(many))}`);
  return parts.join(' and ');
}

function option(data: Breakdown, across: Across): Option {
  const value = (row: Row) =>
    across === 'ctr' ? Math.max(NO_RATE, row.now.ctr ?? 0) : Math.max(1, row.now.position ?? 1);
  const most = Math.max(1, ...data.rows.map((row) => row.now.impressions));
  return {
    animation: false,
    grid: { left: 56, right: 16, top: 12, bottom: 40, outerBoundsMode: 'none' },
    tooltip: {
      ...tooltipLook(),
      trigger: 'item',
      formatter: (of: { dataIndex: number }) => tip(data.rows[of.dataIndex]),
    },
    toolbox: { show: false },
    brush: {
      toolbox: [],
      xAxisIndex: 0,
      yAxisIndex: 0,
      brushStyle: { color: colour('lampWash'), borderColor: colour('lampText'), borderWidth: 1 },
      outOfBrush: { colorAlpha: 0.25 },
    },
    xAxis: {
      type: 'log',
      logBase: across === 'ctr' ? 10 : 2,
      inverse: across === 'position',
      name: across === 'ctr' ? t`click-through` : t`average place`,
      nameLocation: 'middle',
      nameGap: 26,
      nameTextStyle: axisText(),
      axisLabel: { ...axisText(), formatter: (v: number) => (across === 'ctr' ? percent(v, 2) : place(v)) },
      splitLine: { lineStyle: { color: colour('rule') } },
      axisLine: { lineStyle: { color: colour('rule2') } },
    },
    yAxis: {
      type: 'log',
      name: named('clicks'),
      min: NO_CLICKS,
      nameTextStyle: axisText(),
      axisLabel: { ...axisText(), formatter: (v: number) => (v < 1 ? '0' : brief(v)) },
      splitLine: { lineStyle: { color: colour('rule') } },
    },
    series: [
      {
        type: 'scatter',
        itemStyle: { color: colour('clicks'), opacity: 0.62, borderColor: colour('paper'), borderWidth: 0.5 },
        emphasis: { itemStyle: { opacity: 1, borderColor: colour('ink') } },
        data: data.rows.map((row) => ({
          value: [value(row), Math.max(NO_CLICKS, row.now.clicks)],
          symbolSize: 5 + 19 * Math.sqrt(row.now.impressions / most),
        })),
      },
    ],
  };
}

function tip(row: Row | undefined): string {
  if (!row) return '';
  return t`<b>${safe(row.key)}</b><br>clicks <b>${count(row.now.clicks)}</b>, place <b>${place(row.now.position)}</b><br>click-through <b>${percent(row.now.ctr, 2)}</b>, shown <b>${count(row.now.impressions)}</b>`;
}
