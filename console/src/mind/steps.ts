/** What of a step may be drawn: a step not wholly held adds up fewer days, and would look like a fall. */
import type { Measure, Point, Timeline } from './api';

const ADDED: readonly Measure[] = ['clicks', 'impressions'];

/** A step's figure, or nothing where fewer days than the step has make it smaller; averages stand. */
export const whole = (point: Point, name: Measure): number | null =>
  point.partial && ADDED.includes(name) ? null : point[name];

/** Says whether a step's figure is not the last word: provisional, or the sum of a part of its days. */
const open = (line: Timeline, point: Point, name: Measure): boolean =>
  point.state === 'provisional' || (line.bucket !== 'day' && whole(point, name) !== point[name]);

const TOP_TEN = 10.5;

/** The runs of weeks in which something stood among the first ten, as first and last week; a gap ends a run. */
export function topTen(weeks: readonly Point[]): Array<[Point, Point]> {
  const runs: Array<[Point, Point]> = [];
  weeks.forEach((week, at) => {
    if (week.position === null || week.position >= TOP_TEN) return;
    const last = runs.at(-1);
    if (last && last[1] === weeks[at - 1]) last[1] = week;
    else runs.push([week, week]);
  });
  return runs;
}

/** Divides a measure into what is settled and what is open; an open run shares its neighbours, so that it is joined on. */
export function divided(
  line: Timeline,
  points: readonly Point[],
  name: Measure,
): { settled: (number | null)[]; open: (number | null)[] } {
  const opened = points.map((point) => open(line, point, name));
  return {
    settled: points.map((point, at) => (opened[at] ? null : point[name])),
    open: points.map((point, at) => (opened[at] || opened[at - 1] || opened[at + 1] ? point[name] : null)),
  };
}
