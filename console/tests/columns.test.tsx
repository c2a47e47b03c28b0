import { screen } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { beforeEach, expect, it } from 'vitest';
import { COLUMNS } from '../src/mind/columns';
import { painted } from '../src/mind/filter';
import { ColumnPick } from '../src/skin/ColumnPick';
import { render } from './spoken';

beforeEach(() => localStorage.clear());

it('a column hidden is remembered, and shown again', async () => {
  const first = render(<ColumnPick />);
  await userEvent.click(screen.getByRole('button', { name: 'Columns' }));
  expect(screen.getAllByRole('checkbox')).toHaveLength(COLUMNS.length);
  await userEvent.click(screen.getByLabelText('impressions'));
  await userEvent.click(screen.getByLabelText('position'));
  expect(localStorage.getItem('noctilum-columns')).toBe('impressions,position');
  first.unmount();
  render(<ColumnPick />);
  await userEvent.click(screen.getByRole('button', { name: 'Columns (2 hidden)' }));
  expect(screen.getByLabelText<HTMLInputElement>('impressions').checked).toBe(false);
  await userEvent.click(screen.getByLabelText('impressions'));
  await userEvent.click(screen.getByLabelText('position'));
  expect(localStorage.getItem('noctilum-columns')).toBeNull();
});

it.each([
  'query has "time \\" table" and not brand',
  '(words >= 4 or path starts /guides/) and ctr < 2.5%',
  'change in clicks < 0',
  'query is "open',
  'naïve ☃ ()',
  '',
])('colours lose nothing of %s', (text) => {
  expect(
    painted(text)
      .map(([, piece]) => piece)
      .join(''),
  ).toBe(text);
});

it('colours tell fields, tests, joins, texts and numbers apart', () => {
  const kinds = painted('change in clicks < 0 and not query has "a and b"')
    .filter(([, piece]) => piece.trim())
    .map(([paint, piece]) => `${paint}:${piece}`);
  expect(kinds).toEqual([
    'field:change in clicks',
    'test:<',
    'number:0',
    'join:and',
    'join:not',
    'field:query',
    'test:has',
    'text:"a and b"',
  ]);
});
