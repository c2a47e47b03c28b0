import { expect, it } from 'vitest';
import { columnNamed, explained, rowsOf, titleOf, valueOf, type Column, type Reading } from '../src/mind/catalogue';
import { cellsFor } from '../src/mind/taken';

const column = (name: string, path: string[], more: Partial<Column> = {}): Column => ({
  name,
  path,
  kind: 'count',
  title: name,
  group: '',
  titled_by: '',
  how: `how of ${path.join('.')}`,
  better: null,
  decimals: null,
  signed: false,
  shown: true,
  ...more,
});
const parcels: Reading = {
  name: 'parcels',
  group: 'Read',
  summary: 'Show parcels',
  about: '',
  path: 'parcels',
  compares: true,
  paged: 'limit',
  parameters: [],
  by: [],
  figures: [column('clicks', ['now', 'clicks'], { how: 'of the whole' })],
  tables: [
    {
      name: '',
      rows: 'rows.parts',
      columns: [
        column('key', ['key'], { titled_by: 'dimension', kind: 'text' }),
        column('clicks', ['now', 'clicks']),
        column('clicks_before', ['before', 'clicks'], { title: 'clicks', group: 'before' }),
        column('weeks', ['weeks'], { kind: 'series' }),
      ],
    },
    { name: 'page', rows: 'pages', columns: [column('gain', ['gain'])] },
  ],
};
const answer = {
  dimension: 'depot',
  rows: [
    { parts: [{ key: 'a', now: { clicks: 1 }, before: null, weeks: [1, 2] }] },
    { parts: [{ key: 'b', now: { clicks: 2.5 }, before: { clicks: 1 }, weeks: [] }] },
  ],
};

it('a figure in a sentence is explained by the column that stands where it points', () => {
  expect(explained([parcels], '/now/clicks')).toBe('of the whole');
  expect(explained([parcels], '/rows/0/parts/3/now/clicks')).toBe('how of now.clicks');
  expect(explained([parcels], '/pages/2/gain')).toBe('how of gain');
  expect(explained([parcels], '/rows/0/parts/3/elsewhere')).toBeUndefined();
});

it('a column is found by its reading and name, in any of its tables', () => {
  expect(columnNamed([parcels], 'parcels.gain')?.path).toEqual(['gain']);
  expect(columnNamed([parcels], 'letters.gain')).toBeUndefined();
});

it('rows are taken whole, by the titles of their columns, as they are and not as they are drawn', () => {
  const columns = parcels.tables[0]?.columns ?? [];
  expect(cellsFor(columns, rowsOf(answer, 'rows.parts'), answer)).toEqual([
    ['depot', 'clicks', 'clicks before'],
    ['a', 1, null],
    ['b', 2.5, 1],
  ]);
  expect(titleOf(columns[0] as Column)).toBe('key');
  expect(valueOf(columns[2] as Column, { before: undefined })).toBeNull();
});
