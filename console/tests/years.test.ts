import { expect, test } from 'vitest';
import type { Point } from '../src/mind/api';
import { MONTH_AT, PLACES, laidOver, placeInYear } from '../src/mind/years';

const week = (start: string) => ({ start }) as Point;
const weeksFrom = (first: string, count: number) =>
  Array.from({ length: count }, (_, n) =>
    week(new Date(Date.parse(`${first}T00:00:00Z`) + n * 7 * 86_400_000).toISOString().slice(0, 10)),
  );

test('a week is of the year of its Thursday, as calendars number weeks', () => {
  expect(placeInYear('2025-12-29')).toEqual({ year: 2026, place: 0 });
  expect(placeInYear('2026-12-28')).toEqual({ year: 2026, place: 52 });
  expect(placeInYear('2027-01-04')).toEqual({ year: 2027, place: 0 });
});

test('every week is laid down once, in order, the newest year first', () => {
  const weeks = weeksFrom('2023-03-06', 158);
  const lines = laidOver(weeks);
  expect(lines.map((line) => line.year)).toEqual([2026, 2025, 2024, 2023]);
  expect(lines.every((line) => line.weeks.length === PLACES)).toBe(true);
  const again = lines.toReversed().flatMap((line) => line.weeks.filter((each) => each !== undefined));
  expect(again).toEqual(weeks);
});

test('each month begins once', () => {
  expect(MONTH_AT.filter(Boolean)).toHaveLength(12);
});
