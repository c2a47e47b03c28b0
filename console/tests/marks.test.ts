import { describe, expect, it } from 'vitest';
import type { NoteOut, Point } from '../src/mind/api';
import { bearing, byStep } from '../src/mind/marks';

const note = (id: number, first: string, last = first, page: string | null = null) =>
  ({ id, first, last, page, text: `note ${id}` }) as NoteOut;
const weeks = ['2026-03-02', '2026-03-09', '2026-03-16'].map(
  (start) => ({ start, end: `2026-03-${String(Number(start.slice(-2)) + 6).padStart(2, '0')}` }) as Point,
);

describe('notes on a chart', () => {
  it('are those of the whole, and on a page its own', () => {
    const all = [
      note(1, '2026-03-02'),
      note(2, '2026-03-02', '2026-03-02', '/a'),
      note(3, '2026-03-02', '2026-03-02', '/b'),
    ];
    expect(bearing(all, '/a').map((each) => each.id)).toEqual([1, 2]);
    expect(bearing(all).map((each) => each.id)).toEqual([1]);
    expect(bearing(undefined)).toEqual([]);
  });

  it('stand at the first step that has a day of theirs, several at one step', () => {
    const found = byStep(weeks, [
      note(1, '2026-03-08'),
      note(2, '2026-03-05', '2026-03-18'),
      note(3, '2026-02-01', '2026-03-20'),
      note(4, '2026-03-22'),
    ]);
    expect([...found].map(([start, notes]) => `${start}: ${notes.map((each) => each.id).join(' ')}`)).toEqual([
      '2026-03-02: 1 2 3',
      '2026-03-16: 4',
    ]);
  });

  it('stand nowhere before or after what is drawn', () => {
    expect(byStep(weeks, [note(1, '2026-03-01'), note(2, '2026-03-23')]).size).toBe(0);
  });
});
