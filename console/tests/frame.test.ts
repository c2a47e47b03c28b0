// @vitest-environment jsdom
import { describe, expect, it } from 'vitest';
import { carried, changed, moved, periods, readFrame, stepping, usualStep } from '../src/mind/frame';

const search = (text: string) => new URLSearchParams(text);

describe('the address of a view', () => {
  it('stands for the last 28 complete days when it says nothing', () => {
    expect(readFrame(search(''))).toEqual({ window: 'P28D', against: 'before', where: {} });
  });

  it('reads filters and leaves what it does not know', () => {
    expect(readFrame(search('device=mobile&page=/a&colour=red')).where).toEqual({ device: 'mobile', page: '/a' });
  });

  it('drops what is empty or the default', () => {
    const next = changed(search('sort=position&find=ferry&window=P7D'), { sort: 'clicks', find: '', window: 'P28D' });
    expect(next.toString()).toBe('');
  });

  it('carries the window and narrow filters to another view, and no page of rows', () => {
    expect(carried(search('window=P7D&device=mobile&offset=50&find=x'), { page: '/a' })).toBe(
      '?window=P7D&device=mobile&page=%2Fa',
    );
  });

  it('steps a window by days while they can be told apart', () => {
    const days = ['P7D', 'P28D', 'P3M', 'P12W', 'month', '2026-03', '2026-Q1', '2026-01-01/2026-04-10'];
    const weeks = ['P6M', 'P1Y', '2026', 'all', '2026-01-01/2026-04-11'];
    expect([...days, ...weeks].filter((window) => usualStep(window) === 'day')).toEqual(days);
  });

  it('steps as it is asked to, and by nothing unheard of', () => {
    expect(stepping(search('window=P6M&by=month'))).toEqual({ by: 'month', weeks: 'monday' });
    expect(stepping(search('by=fortnight&weeks=someday'))).toEqual({ by: 'day', weeks: 'monday' });
    expect(carried(search('by=week&weeks=sunday'))).toBe('?by=week&weeks=sunday');
  });

  it('moves a window by its own length, over month ends', () => {
    expect(moved('2026-02-16', '2026-03-15', -1)).toBe('2026-01-19/2026-02-15');
    expect(moved('2026-02-16', '2026-03-15', 1)).toBe('2026-03-16/2026-04-12');
  });

  it('goes by months where it is of whole months', () => {
    expect(moved('2026-03-01', '2026-03-31', -1)).toBe('2026-02');
    expect(moved('2026-01-01', '2026-01-31', -1)).toBe('2025-12');
    expect(moved('2026-01-01', '2026-03-31', -1)).toBe('2025-Q4');
    expect(moved('2025-01-01', '2025-12-31', 1)).toBe('2026');
    expect(moved('2025-12-01', '2026-02-28', 1)).toBe('2026-03-01/2026-05-31');
    expect(moved('2026-02-01', '2026-02-27', 1)).toBe('2026-02-28/2026-03-26');
  });

  it('offers every year, quarter and month that is held, newest first', () => {
    expect(periods('2025-08-17', '2026-02-03')).toEqual({
      years: ['2026', '2025'],
      quarters: ['2026-Q1', '2025-Q4', '2025-Q3'],
      months: ['2026-02', '2026-01', '2025-12', '2025-11', '2025-10', '2025-09', '2025-08'],
    });
    expect(periods('2026-02-03', '2026-02-03').months).toEqual(['2026-02']);
  });
});
