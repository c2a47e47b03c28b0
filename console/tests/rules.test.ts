// @vitest-environment jsdom
import { describe, expect, it } from 'vitest';
import type { AlertRule, AlertRuleOut } from '../src/mind/api';
import { asked } from '../src/mind/rules';
import { monthAfter, movedFirst, stepBeside, windowOf } from '../src/mind/monthly';
import type { MonthlyStep } from '../src/mind/api';

const shipped = ['page gone', 'odd day'].map(
  (name) => ({ name, reading: 'silent', condition: 'days >= 1' }) as AlertRule,
);
const kept = (name: string, more: Partial<AlertRuleOut>) =>
  ({ id: 7, name, shipped: true, on: true, sites: [], lasting: 1, condition: '', ...more }) as AlertRuleOut;

describe('rules as they are asked', () => {
  it('are the shipped ones where nobody changed any', () => {
    expect(asked(shipped, []).map((each) => [each.name, each.on, each.condition])).toEqual([
      ['page gone', true, 'days >= 1'],
      ['odd day', true, 'days >= 1'],
    ]);
  });

  it('are what somebody keeps in their place, and keep the condition that ships where none is said', () => {
    const found = asked(shipped, [kept('odd day', { on: false, lasting: 3 })]);
    expect(found[1]).toMatchObject({ name: 'odd day', on: false, lasting: 3, condition: 'days >= 1' });
    expect(asked(shipped, [kept('odd day', { condition: 'days >= 5' })])[1]?.condition).toBe('days >= 5');
  });

  it('end with those of one’s own', () => {
    const own = kept('mine', { shipped: false, condition: 'clicks > 9' });
    expect(asked(shipped, [own]).map((each) => each.name)).toEqual(['page gone', 'odd day', 'mine']);
  });
});

describe('a month', () => {
  const steps = (['change', 'fading', 'keywords', 'report'] as const).map(
    (step) => ({ step, applies: step !== 'keywords' }) as MonthlyStep,
  );

  it('is gone through over what there is, and ends at either end', () => {
    expect(stepBeside(steps, 'fading', 1)).toBe('report');
    expect(stepBeside(steps, 'report', 1)).toBe('report');
    expect(stepBeside(steps, 'report', -1)).toBe('fading');
    expect(stepBeside(steps, 'change', -1)).toBe('change');
    expect(stepBeside(steps, 'keywords', 1)).toBe('report');
  });

  it('reads keywords beside the month before, those that moved farthest first', () => {
    expect(windowOf('keywords', '2026-01', '2026-01-31')).toBe('2025-12-01/2026-01-31');
    expect(windowOf('fading', '2026-01', '2026-01-31')).toBe('2026-01');
    const rows = [{ change: null }, { change: 2 }, { change: -9 }, { movement: 'lost', change: null }];
    expect(movedFirst({ rows }).rows.map((each) => each.change)).toEqual([null, -9, 2, null]);
  });

  it('comes after another over the turn of the year', () => {
    expect([monthAfter('2025-12', 1), monthAfter('2026-01', -1), monthAfter('2026-02', 13)]).toEqual([
      '2026-01',
      '2025-12',
      '2027-03',
    ]);
  });
});
