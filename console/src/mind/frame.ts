/** The whole state of a view lives in its address, so that a link reproduces it. */
import { t } from '@lingui/core/macro';
import { useCallback, useMemo } from 'react';
import { useParams, useSearchParams } from 'react-router';

export const FILTERS = ['query', 'page', 'country', 'device', 'kind', 'engine', 'filter'] as const;
export type Filter = (typeof FILTERS)[number];

export interface Frame {
  window: string;
  against: string;
  where: Partial<Record<Filter, string>>;
  /** What the year does is not taken out. */
  counted?: boolean;
}

const DEFAULTS: Record<string, string> = { window: 'P28D', against: 'before', sort: 'clicks', offset: '0' };

export function readFrame(search: URLSearchParams): Frame {
  const where: Frame['where'] = {};
  for (const name of FILTERS) {
    const value = search.get(name);
    if (value) where[name] = value;
  }
  const frame: Frame = { window: search.get('window') ?? 'P28D', against: search.get('against') ?? 'before', where };
  return search.get('counted') === 'yes' ? { ...frame, counted: true } : frame;
}

/** Writes changes into an address; an empty or default value leaves it. */
export function changed(search: URLSearchParams, changes: Record<string, string | undefined>): URLSearchParams {
  const next = new URLSearchParams(search);
  for (const [name, value] of Object.entries(changes)) {
    if (!value || DEFAULTS[name] === value) next.delete(name);
    else next.set(name, value);
  }
  return next;
}

/** The part of an address that goes along from view to view: the window and the narrow filters. */
export function carried(search: URLSearchParams, more: Record<string, string | undefined> = {}): string {
  const kept = new URLSearchParams();
  for (const name of [
    'window',
    'against',
    'by',
    'weeks',
    'country',
    'device',
    'kind',
    'engine',
    'filter',
    'counted',
    'track',
  ]) {
    const value = search.get(name);
    if (value) kept.set(name, value);
  }
  const text = changed(kept, more).toString();
  return text ? `?${text}` : '';
}

export function useFrame() {
  const { site = '' } = useParams();
  const [search, setSearch] = useSearchParams();
  const frame = useMemo(() => readFrame(search), [search]);
  const change = useCallback(
    (changes: Record<string, string | undefined>, options: { replace?: boolean } = {}) =>
      setSearch((now) => changed(now, changes), options),
    [setSearch],
  );
  return { site, search, frame, change };
}

export const PRESETS: ReadonlyArray<readonly [string, string]> = [
  ['P7D', t`Last 7 complete days`],
  ['P3M', t`Last 3 months`],
  ['P28D', t`Last 28 complete days`],
  ['P6M', t`Last 6 months`],
  ['P84D', t`Last 12 weeks`],
  ['P182D', t`Last 26 weeks`],
  ['P12M', t`Last 12 months`],
  ['P364D', t`Last 52 weeks`],
  ['month', t`This month so far`],
  ['all', t`Everything held`],
];

export const AGAINST: ReadonlyArray<readonly [string, string]> = [
  ['before', t`the same number of days before`],
  ['year', t`a year before, weekday to weekday`],
  ['none', t`nothing`],
];

export const STEPS = ['day', 'week', 'month', 'quarter'] as const;
export type StepName = (typeof STEPS)[number];
export const WEEKDAYS = ['monday', 'tuesday', 'wednesday', 'thursday', 'friday', 'saturday', 'sunday'] as const;
const MOST_DAYS_BY_DAY = 100;

/** The steps a window is drawn in where none are chosen: days while they can be told apart, then weeks. */
export function usualStep(window: string): StepName {
  return roughDays(window) <= MOST_DAYS_BY_DAY ? 'day' : 'week';
}

function roughDays(window: string): number {
  const lengths: ReadonlyArray<readonly [RegExp, (found: RegExpExecArray) => number]> = [
    [
      /^P(?:(\d+)Y)?(?:(\d+)M)?(?:(\d+)W)?(?:(\d+)D)?$/,
      ([, y, m, w, d]) => Number(y ?? 0) * 365 + Number(m ?? 0) * 30.4 + Number(w ?? 0) * 7 + Number(d ?? 0),
    ],
    [/^\d{4}$/, () => 365],
    [/^\d{4}-Q\d$/, () => 91],
    [
      /^(\d{4}-\d\d-\d\d)\/(\d{4}-\d\d-\d\d)$/,
      ([, first, last]) => (Date.parse(`${last}`) - Date.parse(`${first}`)) / 86_400_000 + 1,
    ],
  ];
  for (const [pattern, days] of lengths) {
    const found = pattern.exec(window);
    if (found) return days(found);
  }
  return window === 'all' ? Infinity : 31;
}

/** How a storyline is stepped: as the address says, or as suits the window. */
export function stepping(search: URLSearchParams): { by: StepName; weeks: (typeof WEEKDAYS)[number] } {
  const by = STEPS.find((step) => step === search.get('by')) ?? usualStep(search.get('window') ?? 'P28D');
  return { by, weeks: WEEKDAYS.find((day) => day === search.get('weeks')) ?? 'monday' };
}

export interface Periods {
  years: string[];
  quarters: string[];
  months: string[];
}

/** The years, quarters and months that began within held days, newest first, as windows are written. */
export function periods(first: string, last: string): Periods {
  const from = Number(first.slice(0, 4)) * 12 + Number(first.slice(5, 7)) - 1;
  const to = Number(last.slice(0, 4)) * 12 + Number(last.slice(5, 7)) - 1;
  const all = Array.from({ length: Math.max(0, to - from + 1) }, (_, n) => to - n);
  const year = (n: number) => String(Math.floor(n / 12));
  const months = all.map((n) => `${year(n)}-${String((n % 12) + 1).padStart(2, '0')}`);
  const quarters = all.map((n) => `${year(n)}-Q${Math.floor((n % 12) / 3) + 1}`);
  return { years: [...new Set(all.map(year))], quarters: [...new Set(quarters)], months };
}

/** How many whole calendar months an interval is; 0 when it is none. */
export function wholeMonths(first: string, last: string): number {
  const next = new Date(Date.parse(`${last}T00:00:00Z`) + 86_400_000);
  if (!first.endsWith('-01') || next.getUTCDate() !== 1) return 0;
  return (next.getUTCFullYear() - Number(first.slice(0, 4))) * 12 + next.getUTCMonth() + 1 - Number(first.slice(5, 7));
}

/** Moves an interval by its own length, whole months by months; n = −1 goes back. Durations become the interval they stand for. */
export function moved(first: string, last: string, steps: number): string {
  const months = wholeMonths(first, last);
  if (months) return monthsAt(Number(first.slice(0, 4)) * 12 + Number(first.slice(5, 7)) - 1 + steps * months, months);
  const day = 86_400_000;
  const from = Date.parse(`${first}T00:00:00Z`);
  const to = Date.parse(`${last}T00:00:00Z`);
  const shift = (to - from + day) * steps;
  const text = (ms: number) => new Date(ms).toISOString().slice(0, 10);
  return `${text(from + shift)}/${text(to + shift)}`;
}

/** Writes a run of whole months: 2026-03, 2026-Q1, 2026, or as an interval. */
function monthsAt(index: number, months: number): string {
  const at = (n: number) => `${Math.floor(n / 12)}-${String((n % 12) + 1).padStart(2, '0')}`;
  if (months === 1) return at(index);
  if (months === 3 && index % 3 === 0) return `${Math.floor(index / 12)}-Q${Math.floor((index % 12) / 3) + 1}`;
  if (months === 12 && index % 12 === 0) return String(index / 12);
  const end = index + months;
  const last = new Date(Date.UTC(Math.floor(end / 12), end % 12, 1) - 86_400_000).toISOString().slice(0, 10);
  return `${at(index)}-01/${last}`;
}
