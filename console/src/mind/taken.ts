/** What a view shows as rows, for whoever copies or saves it: the values themselves, not what is drawn of them. */
import { t } from '@lingui/core/macro';
import { useEffect, useId } from 'react';
import { rowsOf, titleOf, useReadings, valueOf, columnsOf, type Column } from './catalogue';
import type { Cell } from './taking';

export interface Taken {
  title: string;
  cells: Cell[][];
}

const shown = new Map<string, Taken>();

export function taken(): Taken[] {
  return [...shown.values()];
}

function cell(value: unknown): Cell {
  if (value === null || value === undefined) return null;
  if (typeof value === 'number' || typeof value === 'string') return value;
  if (typeof value === 'boolean') return value ? t`yes` : t`no`;
  return JSON.stringify(value);
}

/** Writes rows as cells under the titles of their columns. */
export function cellsFor(columns: readonly Column[], rows: readonly unknown[], whole?: unknown): Cell[][] {
  const kept = columns.filter((each) => each.kind !== 'series');
  return [kept.map((each) => titleOf(each, whole)), ...rows.map((row) => kept.map((each) => cell(valueOf(each, row))))];
}

/** Offers the rows of a reading while the view is open: every column of them, also those that are not drawn. */
export function useTaken(title: string, reading: string, answer: unknown, table = '', rows?: readonly unknown[]): void {
  const readings = useReadings();
  const id = useId();
  useEffect(() => {
    const about = readings.find((each) => each.name === reading)?.tables.find((each) => each.name === table);
    if (!about || answer === undefined) return undefined;
    shown.set(id, {
      title,
      cells: cellsFor(columnsOf(readings, reading, table), rows ?? rowsOf(answer, about.rows), answer),
    });
    return () => void shown.delete(id);
  }, [readings, reading, table, title, answer, rows, id]);
}
