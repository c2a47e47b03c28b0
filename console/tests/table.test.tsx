import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { describe, expect, it, vi } from 'vitest';
import { render } from './asked';
import type { Breakdown, Change, Figures, Row } from '../src/mind/api';
import { BreakdownTable } from '../src/skin/BreakdownTable';
import { ErrorNote } from '../src/skin/states';
import { Trouble } from '../src/mind/api';

const figures = (clicks: number, impressions = 100): Figures => ({
  clicks,
  impressions,
  position_sum: 420,
  ctr: clicks / impressions,
  position: 4.2,
});
const change = (clicks: number): Change => ({
  basis: 'total',
  clicks,
  clicks_ratio: 0.1,
  impressions: 0,
  impressions_ratio: 0,
  ctr: 0,
  position: -0.6,
  ways: { clicks: clicks < 0 ? 'worse' : 'better', impressions: 'level', ctr: 'level', position: 'better' },
});
const row = (key: string, clicks: number, verdict: Row['verdict'] = null): Row => ({
  key,
  now: figures(clicks),
  before: figures(5),
  change: change(clicks - 5),
  band: '4–10',
  verdict,
});

function data(): Breakdown {
  const days = { first: '2026-02-16', last: '2026-03-15', days: 28, held: 28, provisional: 0, missing: 0, counted: 28 };
  const part = (clicks: number, rows: number | null = null) => ({
    rows,
    now: figures(clicks),
    before: figures(1),
    change: change(clicks - 1),
  });
  return {
    site: 's',
    grain: 'query',
    window: days,
    against: days,
    asked_window: 'P28D',
    asked_against: 'before',
    filter: {},
    complete_through: '2026-03-15',
    first_held: '2023-03-21',
    generation: 1,
    cautions: [],
    dimension: 'query',
    rows: [row('ferry', 60), row('boat', 8, 'too few to tell')],
    sort: 'clicks',
    offset: 0,
    matching: 40,
    rest: part(7, 38),
    outside: null,
    unlisted: part(25),
    total: part(100),
  };
}

describe('a breakdown', () => {
  it('shows the rest, what is unlisted and the total, so that it adds up', () => {
    render(<BreakdownTable data={data()} sort="clicks" onSort={() => {}} label={(r) => r.key} />);
    const cells = (name: string) => screen.getByRole('row', { name: new RegExp(name) }).textContent;
    expect(cells('38 more')).toContain('7');
    expect(cells('Unlisted queries')).toContain('withheld by the source');
    expect(cells('Total')).toContain('100');
  });

  it('gives words, not a number, where there is too little to tell', () => {
    render(<BreakdownTable data={data()} sort="clicks" onSort={() => {}} label={(r) => r.key} />);
    const text = screen.getByRole('row', { name: /boat/ }).textContent;
    expect(text).toContain('too few to tell');
    expect(text).not.toContain('+3');
  });

  it('sorts by a header, and turns round on the second press', async () => {
    const onSort = vi.fn();
    const { rerender } = render(<BreakdownTable data={data()} sort="clicks" onSort={onSort} label={(r) => r.key} />);
    await userEvent.click(screen.getByRole('button', { name: 'before' }));
    expect(onSort).toHaveBeenLastCalledWith('before');
    rerender(<BreakdownTable data={data()} sort="before" onSort={onSort} label={(r) => r.key} />);
    await userEvent.click(screen.getByRole('button', { name: 'before' }));
    expect(onSort).toHaveBeenLastCalledWith('-before');
    expect(screen.getByRole('columnheader', { name: 'before' })).toHaveAttribute('aria-sort', 'descending');
  });
});

describe('trouble', () => {
  it('that is emptiness is told quietly, with what would fill it', () => {
    render(
      <ErrorNote
        error={new Trouble('nothing-held', 'No complete day is held yet.', 'pull its source', 404)}
        again={() => {}}
      />,
    );
    expect(screen.getByRole('status')).toHaveTextContent('Pull its source.');
    expect(screen.queryByRole('button')).toBeNull();
  });

  it('that may pass offers to try again', async () => {
    const again = vi.fn();
    render(<ErrorNote error={new Trouble('unreachable', 'Gone.', '', 0)} again={again} />);
    await userEvent.click(screen.getByRole('button', { name: 'Try again' }));
    expect(again).toHaveBeenCalledOnce();
  });
});
