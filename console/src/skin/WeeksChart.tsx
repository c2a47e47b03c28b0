/** A long history by week: a site's clicks, or the place of one query or page (best up, logarithmic). */
import { t } from '@lingui/core/macro';
import { useCallback } from 'react';
import type { Life, NoteOut, Point, RankPoint } from '../mind/api';
import { byStep, type Step } from '../mind/marks';
import { NAMES, brief, count, longDay, monthOf, place, shortDay } from '../mind/words';
import { topTen, whole } from '../mind/steps';
import { MONTH_AT, laidOver, type YearLine } from '../mind/years';
import { axisText, colour, tooltipLook, useChart, type Option } from './charts';

interface Noted {
  notes?: readonly NoteOut[];
  height?: number;
}
const NONE: readonly NoteOut[] = [];

export function ClicksWeeks({ weeks, notes = NONE, height = 150 }: Noted & { weeks: readonly Point[] }) {
  const { element } = useChart(useCallback(() => clicksOption(weeks, notes), [weeks, notes]));
  return (
    <div
      ref={element}
      style={{ height }}
      role="img"
      aria-label={t`Clicks by whole week, ${weeks.length} weeks since ${monthOf(weeks[0]?.start ?? '2000-01-01')}`}
    />
  );
}

/** The clicks of every year by week, laid over each other: the newest in front, earlier ones fainter the older. */
export function YearsOver({ weeks, height = 190 }: { weeks: readonly Point[]; height?: number }) {
  const { element } = useChart(useCallback(() => yearsOption(laidOver(weeks)), [weeks]));
  const years = laidOver(weeks).map((line) => line.year);
  return (
    <div
      ref={element}
      style={{ height }}
      role="img"
      aria-label={t`Clicks by whole week, the years ${years.join(', ')} laid over each other`}
    />
  );
}

const FAINT = [1, 1, 0.65, 0.45, 0.3];

function yearsOption(lines: readonly YearLine[]): Option {
  return {
    ...plot(
      MONTH_AT.map((_, at) => String(at)),
      { interval: (at: number) => MONTH_AT[at] !== '', formatter: monthName },
      40,
    ),
    tooltip: { ...tooltipLook(), trigger: 'axis', formatter: (found: unknown) => yearsTip(lines, found) },
    yAxis: clicksAxis(),
    series: lines.map((line, n) => ({
      type: 'line',
      name: String(line.year),
      data: line.weeks.map((week) => (week ? whole(week, 'clicks') : null)),
      showSymbol: false,
      connectNulls: false,
      z: 10 - n,
      lineStyle: {
        width: n === 0 ? 2.2 : 1.4,
        color: colour(n === 0 ? 'clicks' : 'ghost'),
        opacity: FAINT[n] ?? 0.25,
        type: n < 2 ? 'solid' : 'dashed',
      },
      itemStyle: { color: colour(n === 0 ? 'clicks' : 'ghost') },
      endLabel: { show: true, formatter: '{a}', ...axisText(), color: colour(n === 0 ? 'clicks' : 'ink2') },
      labelLayout: { moveOverlap: 'shiftY' },
    })),
  };
}

const monthName = (at: string) => MONTH_AT[Number(at)] ?? '';

function yearsTip(lines: readonly YearLine[], found: unknown): string {
  const at = stepOf(found);
  const told = lines.flatMap(({ year, weeks }) => {
    const week = weeks[at];
    if (!week) return [];
    const clicks = whole(week, 'clicks');
    return t`${year}, week of ${shortDay(week.start)}: ${clicks === null ? t`not held whole` : `<b>${count(clicks)}</b>`}`;
  });
  return `Clicks<br>${told.join('<br>')}`;
}

export default function PlacesWeeks({ life, notes = NONE, height = 200 }: Noted & { life: Life }) {
  const { element } = useChart(useCallback(() => placesOption(life, notes), [life, notes]));
  return (
    <div
      ref={element}
      style={{ height }}
      role="img"
      aria-label={t`Average position of ${life.key} by week, ${life.weeks.length} weeks; best at the top`}
    />
  );
}

/** Visibility of tracked keywords by week; a week without a check breaks the line. */
export function VisibilityWeeks({ points, notes = NONE, height = 130 }: Noted & { points: readonly RankPoint[] }) {
  const { element } = useChart(useCallback(() => visibilityOption(points, notes), [points, notes]));
  return (
    <div
      ref={element}
      style={{ height }}
      role="img"
      aria-label={t`Visibility by week, ${points.length} weeks, with dated notes`}
    />
  );
}

function visibilityOption(points: readonly RankPoint[], notes: readonly NoteOut[]): Option {
  const weeks = points.map((point) => ({ ...point, start: point.first, end: point.last }));
  const says = (week: (typeof weeks)[number]) =>
    week.checked
      ? t`Visibility <b>${place(week.visibility)}</b>, average rank ${place(week.average)}<br>` +
        t`${count(week.top3)} in top 3, ${count(week.top10)} in top 10 of ${count(week.checked)}<br>` +
        t`estimated clicks ${count(week.clicks ?? null)}, value ${count(week.value ?? null)} a month`
      : t`not looked up`;
  return {
    ...plot(
      weeks.map((week) => week.start),
      { formatter: monthOf, interval: Math.max(1, Math.floor(weeks.length / 4)), hideOverlap: true },
    ),
    tooltip: {
      ...tooltipLook(),
      trigger: 'axis',
      formatter: (found: unknown) => {
        const week = weeks[stepOf(found)];
        return week
          ? t`<b>${shortDay(week.start)} to ${longDay(week.end)}</b><br>${says(week)}${noteText(weeks, week, notes)}`
          : '';
      },
    },
    yAxis: clicksAxis(),
    series: [
      {
        type: 'line',
        markLine: { silent: true, symbol: 'none', data: noteLines(weeks, notes) },
        data: weeks.map((week) => week.visibility),
        showSymbol: false,
        connectNulls: false,
        lineStyle: { width: 1.8, color: colour('clicks') },
        itemStyle: { color: colour('clicks') },
      },
    ],
  };
}

/** One measure by day in the window; days not held break the line, provisional days are left out. */
export function Days({
  points,
  measure,
  name,
  notes = NONE,
  height = 92,
}: Noted & { points: readonly Point[]; measure: 'clicks' | 'position'; name: string }) {
  const { element } = useChart(useCallback(() => daysOption(points, measure, notes), [points, measure, notes]));
  return (
    <div
      ref={element}
      style={{ height }}
      role="img"
      aria-label={t`${NAMES[measure]} of ${name} by day, ${points.length} days`}
    />
  );
}

/** A line for each step with notes; what they say is told with the step's figures. */
function noteLines(points: readonly Step[], notes: readonly NoteOut[]) {
  return [...byStep(points, notes).keys()].map((start) => ({
    xAxis: start,
    lineStyle: { color: colour('lampText'), type: 'solid' as const, width: 1, opacity: 0.7 },
    label: { show: false },
  }));
}

const noteText = (points: readonly Step[], at: Step, notes: readonly NoteOut[]) =>
  (byStep(points, notes).get(at.start) ?? [])
    .map((note) => t`<br>▮ ${longDay(note.first)}: ${escaped(note.text)}`)
    .join('');

const escaped = (text: string) => text.replace(/[&<>]/g, (sign) => `&#${sign.charCodeAt(0)};`);

function daysOption(days: readonly Point[], measure: 'clicks' | 'position', notes: readonly NoteOut[]): Option {
  const upside = measure === 'position';
  return {
    animation: false,
    grid: { left: 34, right: 12, top: 8, bottom: upside ? 20 : 8, outerBoundsMode: 'none' },
    xAxis: {
      type: 'category',
      data: days.map((d) => d.start),
      axisTick: { show: false },
      axisLine: { lineStyle: { color: colour('rule2') }, onZero: false },
      axisLabel: { ...axisText(), show: upside, formatter: shortDay, hideOverlap: true },
    },
    tooltip: { ...tooltipLook(), trigger: 'axis', formatter: (found: unknown) => dayTip(days, found, notes) },
    yAxis: {
      type: 'value',
      inverse: upside,
      scale: upside,
      min: upside ? undefined : 0,
      splitNumber: 2,
      axisLabel: { ...axisText(), formatter: upside ? place : brief },
      splitLine: { lineStyle: { color: colour('rule') } },
    },
    series: [
      {
        type: 'line',
        markLine: { silent: true, symbol: 'none', data: noteLines(days, notes) },
        data: days.map((d) => d[measure]),
        showSymbol: days.length < 40,
        symbolSize: 3,
        connectNulls: false,
        lineStyle: { width: 1.5, color: colour(measure) },
        itemStyle: { color: colour(measure) },
      },
    ],
  };
}

function dayTip(days: readonly Point[], found: unknown, notes: readonly NoteOut[]): string {
  const day = days[stepOf(found)];
  if (!day) return '';
  const said =
    day.clicks === null
      ? t`not held`
      : t`Clicks <b>${count(day.clicks)}</b><br>Impressions ${count(day.impressions)}<br>Position ${place(day.position)}`;
  return `<b>${longDay(day.start)}</b><br>${said}${noteText(days, day, notes)}`;
}

/** The plot of a long history, a category a week. */
const plot = (weeks: readonly string[], label: Record<string, unknown>, right = 12): Option => ({
  animation: false,
  grid: { left: 34, right, top: 14, bottom: 22, outerBoundsMode: 'none' },
  xAxis: {
    type: 'category',
    data: weeks,
    axisTick: { show: false },
    axisLine: { lineStyle: { color: colour('rule2') }, onZero: false },
    axisLabel: { ...axisText(), ...label },
  },
});

const clicksAxis = () => ({
  type: 'value',
  min: 0,
  splitNumber: 3,
  axisLabel: { ...axisText(), formatter: brief },
  splitLine: { lineStyle: { color: colour('rule') } },
});

const frame = (weeks: readonly Point[]): Option =>
  plot(
    weeks.map((w) => w.start),
    { formatter: monthOf, interval: Math.max(1, Math.floor(weeks.length / 4)), hideOverlap: true },
  );

/** Which step a tooltip is about. */
const stepOf = (found: unknown): number =>
  Array.isArray(found) ? ((found[0] as { dataIndex: number } | undefined)?.dataIndex ?? 0) : 0;

function clicksOption(weeks: readonly Point[], notes: readonly NoteOut[]): Option {
  return {
    ...frame(weeks),
    tooltip: {
      ...tooltipLook(),
      trigger: 'axis',
      formatter: (found: unknown) => tip(weeks, found, notes, (w) => t`Clicks <b>${count(w.clicks)}</b>`),
    },
    yAxis: clicksAxis(),
    series: [
      {
        type: 'line',
        markLine: { silent: true, symbol: 'none', data: noteLines(weeks, notes) },
        data: weeks.map((w) => whole(w, 'clicks')),
        showSymbol: false,
        connectNulls: false,
        lineStyle: { width: 1.6, color: colour('clicks') },
        itemStyle: { color: colour('clicks') },
      },
    ],
  };
}

function placesOption(life: Life, notes: readonly NoteOut[]): Option {
  const weeks = life.weeks;
  const known = weeks.map((w) => w.position).filter((p): p is number => p !== null);
  const deepest = [3, 5, 10, 20, 50, 100].find((d) => d >= Math.max(1, ...known)) ?? 100;
  const best = life.best_week;
  return {
    ...frame(weeks),
    tooltip: {
      ...tooltipLook(),
      trigger: 'axis',
      formatter: (found: unknown) =>
        tip(
          weeks,
          found,
          notes,
          (w) =>
            t`Position <b>${place(w.position)}</b><br>Clicks <b>${count(w.clicks)}</b>, impressions ${count(w.impressions)}`,
        ),
    },
    yAxis: {
      type: 'log',
      logBase: 10,
      inverse: true,
      min: 1,
      max: Math.max(deepest, 10),
      axisLabel: { ...axisText(), customValues: [1, 2, 3, 5, 10, 20, 50, 100], formatter: (v: number) => String(v) },
      axisTick: { show: false },
      splitLine: { lineStyle: { color: colour('rule') } },
      minorSplitLine: { show: false },
    },
    series: [
      {
        type: 'line',
        data: weeks.map((w) => w.position),
        showSymbol: known.length < 8,
        symbolSize: 4,
        connectNulls: false,
        lineStyle: { width: 1.6, color: colour('position') },
        itemStyle: { color: colour('position') },
        markArea: {
          silent: true,
          itemStyle: { color: colour('b6'), opacity: 0.35 },
          data: topTen(weeks).map(([first, last]) => [
            { xAxis: first.start, yAxis: 1 },
            { xAxis: weeks[weeks.indexOf(last) + 1]?.start ?? last.start, yAxis: 10 },
          ]),
        },
        markLine: {
          silent: true,
          symbol: 'none',
          lineStyle: { color: colour('b3'), type: 'solid', width: 1 },
          label: { show: true, position: 'insideEndBottom', formatter: t`top 10`, ...axisText() },
          data: [{ yAxis: 10 }, ...noteLines(weeks, notes)],
        },
        markPoint: best
          ? {
              silent: true,
              symbol: 'circle',
              symbolSize: 6,
              itemStyle: { color: colour('ink') },
              label: {
                show: true,
                position: nearEnd(life) ? 'left' : 'top',
                formatter: t`best ${place(best.position)}`,
                ...axisText(),
                color: colour('ink'),
              },
              data: [{ coord: [best.start, best.position] }],
            }
          : undefined,
      },
    ],
  };
}

function nearEnd(life: Life): boolean {
  const at = life.weeks.findIndex((w) => w.start === life.best_week?.start);
  return at > life.weeks.length * 0.85;
}

function tip(weeks: readonly Point[], found: unknown, notes: readonly NoteOut[], say: (week: Point) => string): string {
  const at = stepOf(found);
  const week = weeks[at];
  if (!week) return '';
  const held = week.held < 7 ? t` · ${week.held} of 7 days held` : '';
  return t`<b>Week of ${longDay(week.start)}</b>${held}<br>${week.clicks === null ? t`not held` : say(week)}${noteText(weeks, week, notes)}`;
}
