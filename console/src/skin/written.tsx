/** How the console writes the values of each kind of column. */
import { t } from '@lingui/core/macro';
import type { ReactNode } from 'react';
import type { Column } from '../mind/catalogue';
import { named } from '../mind/named';
import { DASH, count, fixed, monthOf, percent, place, shortDay, weekdayOf } from '../mind/words';
import { Moved, Spark } from './small';

const NUMBERS = new Set(['count', 'rate', 'money', 'place', 'places', 'points', 'number', 'share']);
export const isNumber = (column: Column) => NUMBERS.has(column.kind);

/** Writes a value; a difference has its sign, a triangle and the colour of better or worse where its column says which. */
export function Written({ column, value }: { column: Column; value: unknown }): ReactNode {
  if (value === null || value === undefined) return <span className="same">{DASH}</span>;
  if (typeof value === 'number' && isNumber(column)) {
    const text = plain(column, value);
    if (!/[1-9]/.test(text)) return text.replace('−', '');
    if (!column.signed) return text;
    const signed = value > 0 ? `+${text}` : text;
    if (!column.better) return signed;
    return <Moved text={signed} way={value > 0 === (column.better === 'higher') ? 'better' : 'worse'} up={value > 0} />;
  }
  if (column.kind === 'series' && Array.isArray(value))
    return (
      <Spark
        values={value as (number | null)[]}
        width={110}
        height={24}
        label={t`${column.title}, ${value.length} values`}
      />
    );
  return words(column, value);
}

function words(column: Column, value: unknown): string {
  switch (column.kind) {
    case 'flag':
      return value ? t`yes` : '';
    case 'texts':
      return (value as string[]).join('; ');
    case 'day':
      return shortDay(String(value));
    case 'month':
      return monthOf(String(value));
    case 'verdict':
      return String(value)
        .split(', ')
        .map((each) => column.words?.[each] ?? named(each))
        .join(', ');
    case 'weekday':
      return weekdayOf(Number(value));
    default:
      return String(value);
  }
}

export function plain(column: Column, value: number): string {
  switch (column.kind) {
    case 'rate':
      return percent(value, 2);
    case 'share':
      return percent(value, column.signed ? 1 : 0);
    case 'points':
      return fixed(value * 100, 2);
    case 'place':
    case 'places':
      return place(value).replace('-', '−');
    case 'money':
      return fixed(value, column.decimals ?? 2);
    case 'number':
      return fixed(value, column.decimals ?? 3);
    default:
      return count(Math.round(value));
  }
}
