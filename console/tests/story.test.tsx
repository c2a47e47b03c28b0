import { screen, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { MemoryRouter } from 'react-router';
import { describe, expect, it } from 'vitest';
import { render } from './asked';
import type { NoteOut, OddDay, Point, Timeline } from '../src/mind/api';
import { Said } from '../src/skin/Said';
import { Storyline } from '../src/skin/Storyline';
import { HeldCells, Spark } from '../src/skin/small';
import { Answer, ErrorNote } from '../src/skin/states';
import { Trouble } from '../src/mind/api';

const figures = { clicks: 120, impressions: 1200, position_sum: 4800, ctr: 0.1, position: 4 };
const week = (start: string, clicks: number | null, given: Partial<Point> = {}) =>
  ({
    start,
    end: start,
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
const days = { first: '2026-02-28', last: '2026-03-15', days: 16, held: 15, provisional: 0, missing: 1, counted: 15 };

function line(given: Partial<Timeline> = {}): Timeline {
  return {
    site: 's',
    grain: 'site',
    window: days,
    against: null,
    asked_window: 'P16D',
    asked_against: 'none',
    filter: {},
    complete_through: '2026-03-15',
    first_held: '2023-03-21',
    generation: 1,
    cautions: [],
    bucket: 'week',
    points: [
      week('2026-02-28', 20, { days: 2, held: 2, partial: true }),
      week('2026-03-02', 60, { held: 6, partial: true }),
      week('2026-03-09', null, { held: 0, partial: true, state: 'missing', ctr: null, position: null }),
    ],
    before_points: [],
    tail: [],
    now: figures,
    before: null,
    change: null,
    ...given,
  } as unknown as Timeline;
}

const shown = (element: React.ReactNode) => render(<MemoryRouter>{element}</MemoryRouter>);

describe('a storyline as a table', () => {
  it('tells how many days a step is of, and writes no zero where nothing is held', async () => {
    shown(<Storyline line={line()} />);
    await userEvent.click(screen.getByRole('button', { name: 'Show as table' }));
    const rows = within(screen.getByRole('region', { name: 'Storyline as a table' }))
      .getAllByRole('row')
      .slice(1)
      .map((row) => row.textContent ?? '');
    expect(rows[0]).toContain('2 days of it');
    expect(rows[1]).toContain('6 days of it');
    expect(rows[2]).toMatch(/missing–/);
  });

  it('lists notes by number and odd days by their range', () => {
    const notes = [
      { id: 7, first: '2026-03-03', last: '2026-03-03', text: 'Fares rewritten' },
      { id: 8, first: '2025-01-01', last: '2025-01-01', text: 'Long ago' },
    ] as NoteOut[];
    const odd = [
      {
        day: '2026-03-04',
        measure: 'impressions',
        value: 900,
        expected: 300,
        low: 200.4,
        high: 400,
        score: 9,
        kind: 'shown, not clicked',
        beside: [],
      },
    ] as unknown as OddDay[];
    shown(<Storyline line={line()} marks={{ notes, odd }} />);
    const marks = within(screen.getByRole('list', { name: 'Marked on the chart' }))
      .getAllByRole('listitem')
      .map((item) => item.textContent ?? '');
    expect(marks).toHaveLength(2);
    expect(marks[0]).toMatch(/^1 .*Fares rewritten$/);
    expect(marks[1]).toContain('900 impressions where 200 to 400 were to be expected; shown, not clicked');
  });
});

describe('small drawings', () => {
  it('a spark has a dot for a value alone and a gap where nothing is known', () => {
    shown(<Spark values={[null, 5, null, 4, 6]} label="Clicks" />);
    const path = screen.getByRole('img', { name: 'Clicks' }).querySelectorAll('path')[1]?.getAttribute('d') ?? '';
    expect(path.match(/M/g)).toHaveLength(2);
    expect(path.match(/h0\.1/g)).toHaveLength(1);
    expect(path).not.toContain('NaN');
  });

  it('cells of held days say in words what they show', () => {
    shown(<HeldCells states={['final', 'final', 'missing', 'provisional']} />);
    expect(screen.getByRole('img').getAttribute('aria-label')).toBe('last days: 2 final, 1 provisional, 1 missing');
  });
});

describe('states of a part of a view', () => {
  it('what is no failure is told as a state, without asking to try again', () => {
    shown(
      <ErrorNote
        error={new Trouble('grain-not-held', 'No queries of this site are held.', 'import files that list them', 404)}
        again={() => undefined}
      />,
    );
    expect(screen.getByRole('status').textContent).toBe(
      'No queries of this site are held.Import files that list them.',
    );
    expect(screen.queryByRole('button')).toBeNull();
  });

  it('a failure is an alert that can be tried again, and old data outlive it', () => {
    const broken = {
      data: undefined,
      isError: true,
      error: new Trouble('surprise', 'The service does not answer.', '', 0),
      refetch: () => Promise.resolve(),
    };
    const { rerender } = shown(<Answer of={broken as never}>{() => <p>never</p>}</Answer>);
    expect(screen.getByRole('alert').textContent).toContain('The service does not answer.');
    rerender(
      <MemoryRouter>
        <Answer of={{ ...broken, data: 'kept' } as never}>{(data: string) => <p>{data}</p>}</Answer>
      </MemoryRouter>,
    );
    expect(screen.getByText('kept')).toBeTruthy();
  });
});

describe('what a reading says', () => {
  it('opens the exact value and formula of a figure, and only shows a name', async () => {
    const sentence = {
      text: 'Most clicks: ferry, 1,234, preguntas.',
      figures: [
        { text: 'ferry', field: '/rows/0/key', value: 'ferry' },
        { text: '1,234', field: '/rows/0/now/clicks', value: 1234 },
        { text: 'preguntas', field: '/rows/0/feature', value: 'questions' },
      ],
    };
    shown(<Said sentences={[sentence]} />);
    expect(screen.getAllByRole('button')).toHaveLength(1);
    await userEvent.click(screen.getByRole('button', { name: '1,234' }));
    const dialog = screen.getByRole('dialog', { name: 'How this figure is computed' });
    expect(dialog.textContent).toContain('/rows/0/now/clicks');
  });
});
