/** Figures by day or week, each in a small chart of its own: they differ too much in size for one. */
import { t } from '@lingui/core/macro';
import { useCallback } from 'react';
import { titleOf, valueOf, type Column } from '../mind/catalogue';
import { brief, longDay, shortDay } from '../mind/words';
import { axisText, colour, tooltipLook, useChart, type Option } from './charts';
import { How } from './How';
import { isNumber, plain } from './written';

const MOST = 4;

interface Drawn {
  columns: readonly Column[];
  rows: readonly unknown[];
  /** The day of each row. */
  days: readonly string[];
}

export function StepsCharts({ columns, rows, days }: Drawn) {
  if (rows.length < 2) return null;
  return (
    <div className="small-charts">
      {columns
        .filter((each) => isNumber(each) && !each.group)
        .slice(0, MOST)
        .map((column) => (
          <figure key={column.name}>
            <figcaption className="small">
              <How says={column.how || undefined}>{titleOf(column)}</How>
            </figcaption>
            <StepChart column={column} days={days} values={rows.map((row) => valueOf(column, row) as number | null)} />
          </figure>
        ))}
    </div>
  );
}

function StepChart({
  column,
  days,
  values,
}: {
  column: Column;
  days: readonly string[];
  values: readonly (number | null)[];
}) {
  const { element } = useChart(useCallback(() => option(column, days, values), [column, days, values]));
  const name = titleOf(column);
  return (
    <div
      ref={element}
      style={{ height: 110 }}
      role="img"
      aria-label={t`${name} since ${longDay(days[0] ?? '2000-01-01')}, ${days.length} steps`}
    />
  );
}

function option(column: Column, days: readonly string[], values: readonly (number | null)[]): Option {
  return {
    animation: false,
    grid: { left: 40, right: 12, top: 8, bottom: 20, outerBoundsMode: 'none' },
    xAxis: {
      type: 'category',
      data: [...days],
      axisTick: { show: false },
      axisLine: { lineStyle: { color: colour('rule2') }, onZero: false },
      axisLabel: { ...axisText(), formatter: shortDay, hideOverlap: true },
    },
    tooltip: {
      ...tooltipLook(),
      trigger: 'axis',
      formatter: (found: unknown) => {
        const at = (Array.isArray(found) ? found[0] : found)?.dataIndex ?? 0;
        const value = values[at];
        const told = value === null || value === undefined ? t`not known` : plain(column, value);
        return `<b>${longDay(days[at] ?? '')}</b><br>${told}`;
      },
    },
    yAxis: {
      type: 'value',
      min: (range: { min: number; max: number }) => (range.min > range.max * 0.6 ? Math.floor(range.min * 0.98) : 0),
      splitNumber: 2,
      axisLabel: { ...axisText(), formatter: brief },
      splitLine: { lineStyle: { color: colour('rule') } },
    },
    series: [
      {
        type: 'line',
        data: [...values],
        showSymbol: days.length < 40,
        symbolSize: 3,
        connectNulls: false,
        lineStyle: { width: 1.6, color: colour('clicks') },
        itemStyle: { color: colour('clicks') },
      },
    ],
  };
}
