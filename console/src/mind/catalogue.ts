/** What readings there are, and what their columns are: told by the service, in the language that readings speak. */
import { useMemo } from 'react';
import { queryOptions, useQuery } from '@tanstack/react-query';
import * as api from './api';
import { spoken } from './language';
import { named } from './named';

export type Reading = api.ReadingAbout;
export type Column = api.ColumnAbout;
type Row = Readonly<Record<string, unknown>>;

export const catalogue = () =>
  queryOptions({
    queryKey: ['readings', spoken()],
    queryFn: () => api.ask<Reading[]>('/readings', { language: spoken() === 'en' ? undefined : spoken() }),
    staleTime: Infinity,
  });

export function useReadings(): readonly Reading[] {
  return useQuery(catalogue()).data ?? [];
}

/** The columns of a reading's rows, or of another of its tables. */
export function columnsOf(readings: readonly Reading[], name: string, table = ''): readonly Column[] {
  return readings.find((each) => each.name === name)?.tables.find((each) => each.name === table)?.columns ?? [];
}

/** The column that "reading.column" names, in whichever of the reading's tables it is. */
export function columnNamed(readings: readonly Reading[], name: string): Column | undefined {
  const [reading, column] = name.split('.');
  const found = readings.find((each) => each.name === reading);
  return [...(found?.tables.flatMap((table) => table.columns) ?? []), ...(found?.figures ?? [])].find(
    (each) => each.name === column,
  );
}

/** Explains the figure that a JSON pointer names, in any reading that has one there. */
export function explained(readings: readonly Reading[], pointer: string): string | undefined {
  const parts = pointer.split('/').filter((part) => part !== '' && !/^\d+$/.test(part));
  const fits = (path: readonly string[]) => path.length === parts.length && path.every((part, n) => part === parts[n]);
  for (const reading of readings) {
    const figure = reading.figures.find((each) => fits(each.path));
    if (figure?.how) return figure.how;
    for (const table of reading.tables) {
      const column = table.columns.find((each) => fits([...table.rows.split('.').filter(Boolean), ...each.path]));
      if (column?.how) return column.how;
    }
  }
  return undefined;
}

export function valueOf(column: Column, row: unknown): unknown {
  let found = row;
  for (const part of column.path) found = found === null || found === undefined ? null : (found as Row)[part];
  return found ?? null;
}

/** The title of a column, with its group; whole: the answer, which may say what the rows are. */
export function titleOf(column: Column, whole?: unknown): string {
  const titled = column.titled_by
    ? named(String((whole as Row | undefined)?.[column.titled_by] ?? column.title))
    : column.title;
  return column.group ? `${titled} ${column.group}` : titled;
}

/** The rows of an answer that a path like "rows.pages" leads to; some answers are their rows. */
export function rowsOf(answer: unknown, path: string): unknown[] {
  if (Array.isArray(answer)) return answer;
  return path
    .split('.')
    .filter(Boolean)
    .reduce<unknown[]>(
      (rows, part) => rows.flatMap((row) => (row as Record<string, unknown[]>)[part] ?? []),
      path ? [answer] : [],
    );
}

/** The columns that a table of a reading shows, those named or those that tables for people show. */
export function useColumns(reading: string, table = '', names?: readonly string[]): readonly Column[] {
  const readings = useReadings();
  return useMemo(() => {
    const every = columnsOf(readings, reading, table);
    if (!names) return every.filter((each) => each.shown);
    return names.flatMap((name) => every.find((each) => each.name === name) ?? []);
  }, [readings, reading, table, names]);
}
