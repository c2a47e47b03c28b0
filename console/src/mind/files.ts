/** Files of keywords: the names of their columns, and what a column can be. */
import type { ColumnRole } from './api';

export const ROLES: readonly ColumnRole[] = [
  'term',
  'device',
  'place',
  'country',
  'language',
  'engine',
  'page',
  'weight',
  'tags',
  'pinned',
  'note',
  'volume',
  'cpc',
  'interval',
  'ignore',
];

/** The names in a file's first line, by the sign that parts it most. */
export function columnsOf(text: string): string[] {
  const head = (text.replace(/^\uFEFF/, '').split(/\r?\n/, 1)[0] ?? '').trim();
  const many = (sign: string) => head.split(sign).length;
  const sign = [',', ';', '\t'].reduce((best, each) => (many(each) > many(best) ? each : best));
  return head
    .split(sign)
    .map((name) =>
      name
        .trim()
        .replace(/^"(.*)"$/, '$1')
        .replaceAll('""', '"'),
    )
    .filter(Boolean);
}
