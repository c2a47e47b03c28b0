// @vitest-environment jsdom
import { describe, expect, it } from 'vitest';
import {
  changeText,
  count,
  duration,
  percent,
  place,
  places,
  signed,
  span,
  wayOf,
  beforeName,
  periodName,
  scheduleTyped,
  scheduleWords,
  windowName,
} from '../src/mind/words';

const change = {
  basis: 'total',
  clicks: -784,
  clicks_ratio: -0.0408,
  impressions: 5,
  impressions_ratio: null,
  ctr: -0.0024,
  position: 0.8,
  ways: { clicks: 'worse', impressions: 'better', ctr: 'worse', position: 'worse' },
} as const;

describe('figures', () => {
  it('have a true minus, and an en dash where they are not known', () => {
    expect([count(-1234), signed(5), percent(null), place(null)]).toEqual(['−1,234', '+5', '–', '–']);
  });

  it('say a change with its size and share', () => {
    expect(changeText('clicks', change)).toBe('−784 (−4.1%)');
    expect(changeText('impressions', change)).toBe('+5 (new)');
    expect(changeText('ctr', change)).toBe('−0.24 points');
    expect(changeText('position', change)).toBe('0.8 places down');
  });

  it('are whole where windows differ in length', () => {
    expect(changeText('clicks', { ...change, basis: 'scaled', clicks: 3.4, clicks_ratio: 0.1 })).toBe('+3 (+10.0%)');
  });
});

describe('direction', () => {
  it('is what the service says, and level where nothing is compared', () => {
    expect([wayOf('position', change), wayOf('impressions', change), wayOf('clicks', null)]).toEqual([
      'worse',
      'better',
      'level',
    ]);
    const level = { ...change, position: 0.2, ways: { ...change.ways, position: 'level' } } as const;
    expect([places(change), places(level), changeText('position', level)]).toEqual(['0.8', 'level', 'level']);
  });
});

describe('days', () => {
  it('name the year only where it changes', () => {
    expect(span('2026-02-16', '2026-03-15')).not.toContain('2026');
    expect(span('2025-12-20', '2026-01-16')).toContain('2025');
  });

  it('say how long is left in words', () => {
    expect([duration(0.2), duration(59), duration(90), duration(7200)]).toEqual(['1 s', '59 s', '2 min', '2.0 h']);
  });
});

describe('schedules', () => {
  const RULES = [
    ['FREQ=HOURLY;BYMINUTE=0;BYSECOND=0', 'hourly'],
    ['FREQ=DAILY;BYHOUR=6;BYMINUTE=5;BYSECOND=0', 'daily at 06:05'],
    ['FREQ=WEEKLY;BYDAY=SU;BYHOUR=18;BYMINUTE=30;BYSECOND=0', 'weekly on sunday at 18:30'],
    ['FREQ=MONTHLY;BYMONTHDAY=3;BYHOUR=6;BYMINUTE=0;BYSECOND=0', 'monthly on 3 at 06:00'],
    ['FREQ=YEARLY;BYMONTH=2', 'FREQ=YEARLY;BYMONTH=2'],
    ['', ''],
  ] as const;

  it('are typed as the service reads them, and in English said so, too', () => {
    expect(RULES.map(([rule]) => scheduleTyped(rule))).toEqual(RULES.map(([, typed]) => typed));
    expect(RULES.map(([rule]) => scheduleWords(rule))).toEqual(RULES.map(([, typed]) => typed));
  });
});

describe('windows', () => {
  it('are called as people call them', () => {
    expect([
      windowName('2026-03'),
      windowName('2026-Q1'),
      windowName('2025'),
      windowName('2026-03-01/2026-03-09'),
    ]).toEqual(['Mar 2026', 'Quarter 1 of 2026', '2025', 'Chosen days']);
    expect(['P3M', '2026-03-01/2026-03-09', '2026-Q5'].map(periodName)).toEqual([undefined, undefined, undefined]);
    expect([beforeName(1, 'before'), beforeName(3, 'year'), beforeName(12, 'year'), beforeName(2, 'before')]).toEqual([
      'the month before',
      'the same quarter a year before',
      'the year before',
      undefined,
    ]);
  });
});
