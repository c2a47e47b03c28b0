import { describe, expect, it } from 'vitest';
import type { Point, Timeline } from '../src/mind/api';
import { divided, topTen, whole } from '../src/mind/steps';

const step = (clicks: number | null, given: Partial<Point> = {}): Point =>
  ({
    start: '2026-03-02',
    end: '2026-03-08',
    state: 'final',
    days: 7,
    held: 7,
    partial: false,
    clicks,
    impressions: clicks,
    ctr: 0.1,
    position: 4,
    whole_month: false,
    changed: false,
    ...given,
  }) as Point;
const line = (bucket: Timeline['bucket'], points: Point[]) =>
  ({ bucket, points, before_points: [], tail: [] }) as unknown as Timeline;

describe('what of a step is drawn', () => {
  it('is no sum of fewer days, but is their average', () => {
    const cut = step(20, { held: 2, partial: true });
    expect([
      whole(cut, 'clicks'),
      whole(cut, 'impressions'),
      whole(cut, 'position'),
      whole(step(70), 'clicks'),
    ]).toEqual([null, null, 4, 70]);
  });

  it('is joined on to its neighbours where it is open', () => {
    const points = [step(20, { partial: true }), step(70), step(75), step(71), step(30, { partial: true })];
    expect(divided(line('week', points), points, 'clicks')).toEqual({
      settled: [null, 70, 75, 71, null],
      open: [20, 70, null, 71, 30],
    });
    expect(divided(line('week', points), points, 'position')).toEqual({
      settled: [4, 4, 4, 4, 4],
      open: [null, null, null, null, null],
    });
  });

  it('stays a gap where nothing is held', () => {
    const points = [step(70), step(null, { held: 0, partial: true }), step(71)];
    expect(divided(line('week', points), points, 'clicks').settled).toEqual([70, null, 71]);
  });

  it('is shaded where it stood among the first ten, a gap between', () => {
    const weeks = [12, 10.4, 3, null, 9, 10.5, 8].map((position, n) =>
      step(5, { start: `2026-03-0${n + 1}`, position }),
    );
    expect(topTen(weeks).map((run) => run.map((week) => week.start.slice(-1)).join('–'))).toEqual([
      '2–3',
      '5–5',
      '7–7',
    ]);
    expect(topTen([])).toEqual([]);
  });

  it('of days is open only while provisional', () => {
    const points = [step(10), step(11), step(9, { state: 'provisional' })];
    expect(divided(line('day', points), points, 'clicks')).toEqual({ settled: [10, 11, null], open: [null, 11, 9] });
  });
});
