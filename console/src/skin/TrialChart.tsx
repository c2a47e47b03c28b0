/** Treated clicks by week over what the control lets expect, with what chance alone would do to a week. */
import { t } from '@lingui/core/macro';
import { useCallback } from 'react';
import type { TrialWeek } from '../mind/api';
import { brief, count, longDay, shortDay } from '../mind/words';
import { axisText, colour, tooltipLook, useChart, type Option } from './charts';

export function TrialChart({ weeks, starts }: { weeks: readonly TrialWeek[]; starts: string }) {
  const { element } = useChart(useCallback(() => option(weeks, starts), [weeks, starts]));
  return (
    <div
      ref={element}
      style={{ height: 220 }}
      role="img"
      aria-label={t`Treated clicks by week beside those expected from the control, ${weeks.length} weeks, from ${longDay(weeks[0]?.first ?? starts)}`}
    />
  );
}

function option(weeks: readonly TrialWeek[], starts: string): Option {
  const band = (values: ReadonlyArray<number | null>, filled: boolean) => ({
    type: 'line',
    stack: 'band',
    data: values,
    symbol: 'none',
    lineStyle: { width: 0 },
    areaStyle: filled ? { color: colour('bar'), opacity: 0.3 } : { opacity: 0 },
    silent: true,
  });
  const at = weeks.findIndex((week) => week.first === starts);
  return {
    animation: false,
    grid: { left: 48, right: 16, top: 12, bottom: 26 },
    xAxis: {
      type: 'category',
      data: weeks.map((week) => week.first),
      axisLabel: { ...axisText(), formatter: (day: string) => shortDay(day), hideOverlap: true },
      axisTick: { show: false },
      axisLine: { lineStyle: { color: colour('rule2') } },
    },
    yAxis: {
      type: 'value',
      axisLabel: { ...axisText(), formatter: (value: number) => brief(value) },
      splitLine: { lineStyle: { color: colour('rule') } },
    },
    tooltip: { ...tooltipLook(), trigger: 'axis', formatter: (found: unknown) => tip(weeks, found) },
    series: [
      band(
        weeks.map((week) => week.low),
        false,
      ),
      band(
        weeks.map((week) => (week.low === null || week.high === null ? null : week.high - week.low)),
        true,
      ),
      {
        type: 'line',
        data: weeks.map((week) => week.expected),
        symbol: 'none',
        lineStyle: { width: 1.4, type: 'dashed', color: colour('ghost') },
      },
      {
        type: 'line',
        data: weeks.map((week) => week.treated),
        symbolSize: 5,
        lineStyle: { width: 2, color: colour('clicks') },
        itemStyle: { color: colour('clicks') },
        ...(at < 0
          ? {}
          : {
              markLine: {
                silent: true,
                symbol: 'none',
                label: { show: false },
                lineStyle: { color: colour('ink'), type: 'solid' },
                data: [{ xAxis: at }],
              },
            }),
      },
    ],
  };
}

function tip(weeks: readonly TrialWeek[], found: unknown): string {
  const at = Array.isArray(found) ? (found[0] as { dataIndex?: number }).dataIndex : undefined;
  const week = weeks[at ?? -1];
  if (!week) return '';
  const expected = week.expected === null ? null : Math.round(week.expected);
  return t`Week of ${shortDay(week.first)}<br>treated <b>${count(week.treated)}</b>, expected ${count(expected)}`;
}
