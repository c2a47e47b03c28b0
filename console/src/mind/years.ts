/** Years laid over each other: each week in the place it has in its year, so that the same weeks stand above another. */
import type { Point } from './api';

export const PLACES = 53;
const DAY = 86_400_000;
const THURSDAY = 3;

export interface YearLine {
  year: number;
  weeks: (Point | undefined)[];
}

/** The year a week belongs to and its place in it, from 0: those of its middle day, so that weeks of two years share one. */
export function placeInYear(start: string): { year: number; place: number } {
  const middle = new Date(Date.parse(`${start}T00:00:00Z`) + THURSDAY * DAY);
  const year = middle.getUTCFullYear();
  return { year, place: Math.floor((middle.getTime() - Date.UTC(year, 0, 1)) / DAY / 7) };
}

/** Lays weeks over each other by year, the newest year first; weeks that are not there are undefined. */
export function laidOver(weeks: readonly Point[]): YearLine[] {
  const lines = new Map<number, YearLine>();
  for (const week of weeks) {
    const { year, place } = placeInYear(week.start);
    const line = lines.get(year) ?? { year, weeks: Array.from<Point | undefined>({ length: PLACES }) };
    line.weeks[place] = week;
    lines.set(year, line);
  }
  return [...lines.values()].sort((one, other) => other.year - one.year);
}

/** The month that begins in each place of a year, or nothing. */
export const MONTH_AT: readonly string[] = Array.from({ length: PLACES }, (_, place) => {
  const [first, before] = [place * 7, (place - 1) * 7].map((days) => new Date(Date.UTC(2025, 0, 1 + days)));
  return place > 0 && first?.getUTCMonth() === before?.getUTCMonth()
    ? ''
    : (first?.toLocaleDateString('en-GB', { month: 'short', timeZone: 'UTC' }) ?? '');
});
