/** A line over what is expected of it, with the band that chance leaves: as trials and targets are drawn. */
import { brief, shortDay } from '../mind/words';
import { axisText, colour, tooltipLook, type Option } from './charts';

export interface Step {
  day: string;
  now: number | null;
  expected: number | null;
  low: number | null;
  high: number | null;
  /** What else there is to see, thin and dotted. */
  beside?: number | null;
}

const plain = (data: ReadonlyArray<number | null>, type: 'dashed' | 'dotted') => ({
  type: 'line',
  data,
  symbol: 'none',
  lineStyle: { width: 1.4, type, color: colour('ghost') },
});

/** Draws steps; mark: the day at which a rule stands; tip: what is said of a step. */
export function overBand(steps: readonly Step[], tip: (at: number) => string, mark?: string): Option {
  const band = (data: ReadonlyArray<number | null>, filled: boolean) => ({
    type: 'line',
    stack: 'band',
    data,
    symbol: 'none',
    lineStyle: { width: 0 },
    areaStyle: filled ? { color: colour('bar'), opacity: 0.3 } : { opacity: 0 },
    silent: true,
  });
  const at = steps.findIndex((step) => step.day === mark);
  return {
    animation: false,
    grid: { left: 48, right: 16, top: 12, bottom: 26 },
    xAxis: {
      type: 'category',
      data: steps.map((step) => step.day),
      axisLabel: { ...axisText(), formatter: (day: string) => shortDay(day), hideOverlap: true },
      axisTick: { show: false },
      axisLine: { lineStyle: { color: colour('rule2') } },
    },
    yAxis: {
      type: 'value',
      axisLabel: { ...axisText(), formatter: (value: number) => brief(value) },
      splitLine: { lineStyle: { color: colour('rule') } },
    },
    tooltip: {
      ...tooltipLook(),
      trigger: 'axis',
      formatter: (found: unknown) => {
        const seen = Array.isArray(found) ? (found[0] as { dataIndex?: number }).dataIndex : undefined;
        return seen === undefined || !steps[seen] ? '' : tip(seen);
      },
    },
    series: [
      band(
        steps.map((step) => step.low),
        false,
      ),
      band(
        steps.map((step) => (step.low === null || step.high === null ? null : step.high - step.low)),
        true,
      ),
      plain(
        steps.map((step) => step.expected),
        'dashed',
      ),
      plain(
        steps.map((step) => step.beside ?? null),
        'dotted',
      ),
      {
        type: 'line',
        data: steps.map((step) => step.now),
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
