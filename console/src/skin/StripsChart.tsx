/** The plot of a storyline: four linked grids in one drawing, moved over by mouse or arrow keys. */
import { t } from '@lingui/core/macro';
import { useCallback, useMemo, useState } from 'react';
import { named } from '../mind/named';
import type { Measure, Point, Timeline } from '../mind/api';
import { NAMES, brief, count, figure, longDay, monthOf, percent, place, shortDay } from '../mind/words';
import { divided, whole } from '../mind/steps';
import { MEASURES, drawn, type Marks } from './Storyline';
import { axisText, colour, tooltipLook, useChart, type Option } from './charts';

const STRIP = 74;
const GAP = 9;
const PINS = 18;

export default function StripsChart({ line, marks }: { line: Timeline; marks: Marks }) {
  const points = useMemo(() => [...line.points, ...line.tail], [line]);
  const { element, chart } = useChart(useCallback(() => option(line, points, marks), [line, points, marks]));
  const [at, setAt] = useState<number | null>(null);
  const move = (event: React.KeyboardEvent) => {
    const steps: Record<string, number> = { ArrowRight: 1, ArrowLeft: -1 };
    const step = steps[event.key];
    const last = points.length - 1;
    let next: number | null = null;
    if (step) next = Math.min(last, Math.max(0, (at ?? (step > 0 ? -1 : last + 1)) + step * (event.shiftKey ? 7 : 1)));
    else if (event.key === 'Home') next = 0;
    else if (event.key === 'End') next = last;
    else if (event.key === 'Escape') {
      chart.current?.dispatchAction({ type: 'hideTip' });
      setAt(null);
      return;
    } else return;
    event.preventDefault();
    setAt(next);
    chart.current?.dispatchAction({ type: 'showTip', seriesIndex: 0, dataIndex: next });
  };
  return (
    <div>
      {/* oxlint-disable-next-line jsx-a11y/no-noninteractive-element-interactions -- a chart is one stop; arrows move its reading line */}
      <div
        ref={element}
        className="plot"
        role="img"
        tabIndex={0}
        aria-label={t`Clicks, impressions, click-through and position by ${named(line.bucket)}, ${points.length} steps. Arrow keys move by ${named(line.bucket)}.`}
        onKeyDown={move}
      />
      <p className="vh" aria-live="polite">
        {at === null ? '' : spoken(line, points, at)}
      </p>
    </div>
  );
}

function spoken(line: Timeline, points: readonly Point[], at: number): string {
  const point = points[at];
  if (!point) return '';
  const before = line.before_points[at];
  const past = before && at < line.points.length ? t`, before ${figure('clicks', before.clicks)}` : '';
  return t`${longDay(point.start)}: clicks ${figure('clicks', point.clicks)}${past}, position ${figure('position', point.position)}`;
}

function option(line: Timeline, points: readonly Point[], marks: Marks): Option {
  const days = points.map((p) => p.start);
  const firstProvisional = line.points.length;
  return {
    animation: false,
    grid: MEASURES.map((_, n) => ({
      left: 0,
      right: 44,
      top: PINS + n * (STRIP + GAP),
      height: STRIP,
      outerBoundsMode: 'none',
    })),
    axisPointer: {
      link: [{ xAxisIndex: 'all' }],
      lineStyle: { color: colour('edge'), type: 'solid', width: 1 },
      label: { show: false },
    },
    tooltip: { ...tooltipLook(), trigger: 'axis', formatter: (found: unknown) => tip(line, points, found) },
    xAxis: MEASURES.map((_, n) => ({
      type: 'category',
      gridIndex: n,
      data: days,
      boundaryGap: true,
      axisTick: { show: false },
      axisLine: { lineStyle: { color: colour('rule') }, onZero: false },
      axisLabel: {
        ...axisText(),
        show: n === MEASURES.length - 1,
        formatter: dated(line),
        hideOverlap: true,
        margin: 6,
        alignMinLabel: 'left',
        alignMaxLabel: 'right',
      },
      axisPointer: { show: true },
    })),
    yAxis: MEASURES.map((name, n) => ({
      type: 'value',
      gridIndex: n,
      scale: true,
      inverse: name === 'position',
      position: 'right',
      splitNumber: 2,
      axisLabel: {
        ...axisText(),
        formatter: (v: number) => tick(name, v),
        margin: 6,
        showMinLabel: false,
        showMaxLabel: true,
        hideOverlap: true,
      },
      axisLine: { show: false },
      axisTick: { show: false },
      splitLine: { lineStyle: { color: colour('rule') } },
    })),
    series: MEASURES.flatMap((name, n) => strips(name, n, line, points, firstProvisional, marks)),
  };
}

/** Writes days under the strips: months with their year where steps are months, or the days of more than one year. */
function dated(line: Timeline): (day: string) => string {
  return line.bucket === 'month' || line.bucket === 'quarter' || line.window.days > 366 ? monthOf : shortDay;
}

function strips(
  name: Measure,
  n: number,
  line: Timeline,
  points: readonly Point[],
  firstProvisional: number,
  marks: Marks,
) {
  const { settled, open } = divided(line, points, name);
  const past = line.before_points.map((p) => (line.bucket === 'day' ? p[name] : whole(p, name)));
  const before = points.map((_, at) => (at < firstProvisional ? (past[at] ?? null) : null));
  const base = {
    type: 'line',
    xAxisIndex: n,
    yAxisIndex: n,
    connectNulls: false,
    silent: true,
    emphasis: { disabled: true },
  };
  const lonely = points.length < 3;
  return [
    {
      ...base,
      name: t`${NAMES[name]} now`,
      data: settled,
      markLine: noteLines(name, line, points, marks),
      markPoint: oddPoints(name, points, marks),
      showSymbol: lonely,
      symbolSize: 4,
      itemStyle: { color: colour(name) },
      lineStyle: { width: 1.9, color: colour(name) },
      z: 3,
      markArea: line.tail.length
        ? {
            silent: true,
            itemStyle: { color: colour('sunk'), opacity: 0.7 },
            data: [[{ xAxis: line.tail[0]?.start }, { xAxis: line.tail.at(-1)?.start }]],
          }
        : undefined,
    },
    {
      ...base,
      name: t`${NAMES[name]} before`,
      data: before,
      showSymbol: false,
      lineStyle: { width: 1.1, color: colour('ghost') },
      z: 2,
    },
    {
      ...base,
      name: t`${NAMES[name]} open`,
      data: open,
      symbol: 'emptyCircle',
      symbolSize: 5,
      showAllSymbol: true,
      itemStyle: { color: colour(name) },
      lineStyle: { width: 1.4, type: [2, 3], color: colour(name) },
      z: 3,
    },
    ...(name === 'clicks' && line.expected.length ? expectedBand(base, line, points) : []),
  ];
}

/** What earlier years let expect, drawn as the ground behind the lines. */
function expectedBand(base: object, line: Timeline, points: readonly Point[]) {
  const of = new Map(line.expected.map((each) => [each.start, each]));
  const steps = points.map((point) => of.get(point.start));
  const common = { ...base, stack: 'expected', showSymbol: false, lineStyle: { opacity: 0 }, z: 1 };
  return [
    { ...common, name: t`expected, at least`, data: steps.map((each) => each?.low ?? null) },
    {
      ...common,
      name: t`expected, up to`,
      data: steps.map((each) => (each?.high === null || !each ? null : each.high - (each.low ?? 0))),
      areaStyle: { color: colour('clicks'), opacity: 0.13 },
    },
  ];
}

function stepOf(points: readonly Point[], day: string): string | undefined {
  return (
    points.find((p) => p.start <= day && day <= p.end)?.start ??
    (points[0] && day < points[0].start ? points[0].start : undefined)
  );
}

/** A line through every strip where a note lies; its number stands on the first. */
function noteLines(name: Measure, line: Timeline, points: readonly Point[], marks: Marks) {
  const data = drawn(line, marks.notes).flatMap((note, n) => {
    const at = stepOf(points, note.first);
    return at === undefined
      ? []
      : [
          {
            xAxis: at,
            label: {
              show: name === 'clicks',
              formatter: String(n + 1),
              position: 'end' as const,
              distance: 1,
              ...axisText(),
              color: colour('onLamp'),
              backgroundColor: colour('lamp'),
              padding: [0, 4] as [number, number],
            },
          },
        ];
  });
  return data.length
    ? { silent: true, symbol: 'none', lineStyle: { color: colour('lampText'), type: 'solid' as const, width: 1 }, data }
    : undefined;
}

function oddPoints(name: Measure, points: readonly Point[], marks: Marks) {
  const data = marks.odd
    .filter((day) => day.measure === name)
    .flatMap((day) => {
      const at = points.find((p) => p.start === day.day && p.end === day.day);
      return at ? [{ coord: [at.start, day.value] as [string, number] }] : [];
    });
  return data.length
    ? {
        silent: true,
        symbol: 'circle',
        symbolSize: 10,
        itemStyle: { color: 'transparent', borderColor: colour('worse'), borderWidth: 1.5 },
        label: { show: false },
        data,
      }
    : undefined;
}

function tick(name: Measure, value: number): string {
  if (name === 'ctr') return percent(value);
  return name === 'position' ? place(value) : brief(value);
}

function tip(line: Timeline, points: readonly Point[], found: unknown): string {
  const first = Array.isArray(found) ? (found[0] as { dataIndex: number } | undefined) : undefined;
  const at = first?.dataIndex ?? 0;
  const point = points[at];
  if (!point) return '';
  const before = at < line.points.length ? line.before_points[at] : undefined;
  const rows = MEASURES.map(
    (m) => `${NAMES[m]} <b>${figure(m, point[m])}</b>${before ? t`, before ${figure(m, before[m])}` : ''}`,
  );
  const year = line.expected.find((each) => each.start === point.start);
  if (typeof year?.low === 'number') rows.push(t`as every year ${count(year.low)} to ${count(year.high)} clicks`);
  const state =
    point.state === 'final' ? (point.partial ? t` · ${point.held} days of it` : '') : ` · ${named(point.state)}`;
  return [`<b>${longDay(point.start)}</b>${state}`, ...rows].join('<br>');
}
