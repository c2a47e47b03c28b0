/** Writing figures and days the way readers expect. */
import { t } from '@lingui/core/macro';
import { named } from './named';
import { WEEKDAYS } from './frame';
import { localeOf, spoken } from './language';
import type { Change, Measure } from './api';

const locale = localeOf(spoken());
const whole = new Intl.NumberFormat(locale, { maximumFractionDigits: 0 });
const tenth = new Intl.NumberFormat(locale, { minimumFractionDigits: 1, maximumFractionDigits: 1 });
const compact = new Intl.NumberFormat(locale, { notation: 'compact', maximumFractionDigits: 1 });
const short = new Intl.DateTimeFormat(locale, { day: 'numeric', month: 'short', timeZone: 'UTC' });
const long = new Intl.DateTimeFormat(locale, {
  weekday: 'short',
  day: 'numeric',
  month: 'short',
  year: 'numeric',
  timeZone: 'UTC',
});
const monthYear = new Intl.DateTimeFormat(locale, { month: 'short', year: 'numeric', timeZone: 'UTC' });

const minus = (text: string) => text.replace('-', '−');
export const DASH = '–';

export function count(value: number | null | undefined): string {
  return value === null || value === undefined ? DASH : minus(whole.format(value));
}

export function brief(value: number): string {
  return Math.abs(value) < 10_000 ? minus(whole.format(value)) : minus(compact.format(value));
}

export function signed(value: number): string {
  return value > 0 ? `+${count(value)}` : count(value);
}

/** A difference with its sign, to so many decimals. */
export function signedBy(value: number, digits: number): string {
  const text = Math.abs(value).toLocaleString(locale, { minimumFractionDigits: digits, maximumFractionDigits: digits });
  return value < 0 ? `−${text}` : `+${text}`;
}

/** A figure to exactly so many decimals. */
export const fixed = (value: number, digits: number) =>
  minus(new Intl.NumberFormat(locale, { minimumFractionDigits: digits, maximumFractionDigits: digits }).format(value));

export function percent(value: number | null | undefined, digits = 1): string {
  if (value === null || value === undefined) return DASH;
  return minus(
    new Intl.NumberFormat(locale, {
      style: 'percent',
      minimumFractionDigits: digits,
      maximumFractionDigits: digits,
    }).format(value),
  );
}

/** A change as a whole share, with its sign. */
export const signedPercent = (value: number | null | undefined) =>
  value === null || value === undefined ? DASH : `${value > 0 ? '+' : ''}${percent(value, 0)}`;

export function place(value: number | null | undefined): string {
  return value === null || value === undefined ? DASH : tenth.format(value);
}

/** Writes any figure: whole as it is, others with one digit. */
export const anyFigure = (value: number | null | undefined) =>
  value === null || value === undefined || Number.isInteger(value) ? count(value) : place(value);

export function figure(measure: Measure, value: number | null | undefined): string {
  if (measure === 'ctr') return percent(value, 2);
  return measure === 'position' ? place(value) : count(value);
}

const asDate = (day: string) => new Date(`${day}T00:00:00Z`);
export const shortDay = (day: string) => short.format(asDate(day));
export const longDay = (day: string) => long.format(asDate(day));
export const monthOf = (day: string) => monthYear.format(asDate(day));
const longMonthYear = new Intl.DateTimeFormat(locale, { month: 'long', year: 'numeric', timeZone: 'UTC' });
export const longMonth = (day: string) => longMonthYear.format(asDate(day));

const MONDAY = Date.UTC(2024, 0, 1);
/** The name of a day of the week; 0 is Monday. */
export const weekdayOf = (number: number) =>
  new Intl.DateTimeFormat(locale, { weekday: 'long', timeZone: 'UTC' }).format(new Date(MONDAY + number * 86_400_000));

const moment = new Intl.DateTimeFormat(locale, { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' });
/** The name of a month, quarter or year as a window is written; nothing of other windows. */
export function periodName(window: string): string | undefined {
  if (/^\d{4}-\d{2}$/.test(window)) return monthOf(`${window}-01`);
  const quarter = /^(\d{4})-Q([1-4])$/.exec(window);
  if (quarter) return t`Quarter ${quarter[2] ?? ''} of ${quarter[1] ?? ''}`;
  return /^\d{4}$/.test(window) ? window : undefined;
}

/** What a window is called; those that are no month, quarter or year are chosen days. */
export const windowName = (window: string) => periodName(window) ?? t`Chosen days`;

/** What a window of whole months is compared with, said as people say it; nothing where it is not by the calendar. */
export function beforeName(months: number, against: string): string | undefined {
  const before: Record<number, string> = { 1: t`the month before`, 3: t`the quarter before`, 12: t`the year before` };
  const year: Record<number, string> = {
    1: t`the same month a year before`,
    3: t`the same quarter a year before`,
    12: t`the year before`,
  };
  return against === 'before' ? before[months] : against === 'year' ? year[months] : undefined;
}

export const when = (at: string) => moment.format(new Date(at));

const IN_RULES = ['MO', 'TU', 'WE', 'TH', 'FR', 'SA', 'SU'];
type Steps = { every: 'hour' } | { every: 'day' | 'week' | 'month'; on: string; time: string };

/** What a recurrence rule of the plain kind says; nothing of any other. */
function stepsOf(rule: string): Steps | undefined {
  if (rule === 'FREQ=HOURLY;BYMINUTE=0;BYSECOND=0') return { every: 'hour' };
  const found =
    /^FREQ=(DAILY|WEEKLY;BYDAY=([A-Z]{2})|MONTHLY;BYMONTHDAY=(\d+));BYHOUR=(\d+);BYMINUTE=(\d+);BYSECOND=0$/.exec(rule);
  if (!found) return undefined;
  const [, , weekday, monthday, hour = '', minute = ''] = found;
  const time = `${hour.padStart(2, '0')}:${minute.padStart(2, '0')}`;
  if (monthday) return { every: 'month', on: monthday, time };
  return weekday ? { every: 'week', on: weekday, time } : { every: 'day', on: '', time };
}

/** A recurrence rule the way people say it; others stay as they are. */
export function scheduleWords(rule: string): string {
  const steps = stepsOf(rule);
  if (!steps) return rule;
  if (steps.every === 'hour') return named('hourly');
  const { every, on, time } = steps;
  if (every === 'day') return t`daily at ${time}`;
  if (every === 'month') return t`monthly on ${on} at ${time}`;
  const weekday = IN_RULES.includes(on) ? weekdayOf(IN_RULES.indexOf(on)).toLocaleLowerCase(locale) : on;
  return t`weekly on ${weekday} at ${time}`;
}

/** A recurrence rule as it is typed, which the service reads in one language; others stay as they are. */
export function scheduleTyped(rule: string): string {
  const steps = stepsOf(rule);
  if (!steps) return rule;
  if (steps.every === 'hour') return 'hourly';
  const { every, on, time } = steps;
  if (every === 'day') return `daily at ${time}`;
  return every === 'month'
    ? `monthly on ${on} at ${time}`
    : `weekly on ${WEEKDAYS[IN_RULES.indexOf(on)] ?? on} at ${time}`;
}

/** A run of days; the year only where it is not the same on both sides. */
export function span(first: string, last: string): string {
  return first.slice(0, 4) === last.slice(0, 4)
    ? `${shortDay(first)} – ${shortDay(last)}`
    : `${shortDay(first)} ${first.slice(0, 4)} – ${shortDay(last)} ${last.slice(0, 4)}`;
}

export const NAMES: Record<Measure, string> = {
  clicks: t`Clicks`,
  impressions: t`Impressions`,
  ctr: t`Click-through`,
  position: t`Position`,
};

export type Tone = 'better' | 'worse' | 'level';

/** Which way a measure of a change went, as the service judges it; too small a change is level. */
export const wayOf = (measure: Measure, change: Change | null | undefined): Tone => change?.ways[measure] ?? 'level';

/** Which way a sum went of which more is better. */
export const gained = (difference: number): Tone => (difference > 0 ? 'better' : difference < 0 ? 'worse' : 'level');

export function places(change: Change | null | undefined): string {
  if (change?.position === null || change?.position === undefined) return DASH;
  return change.ways.position === 'level' ? named('level') : tenth.format(Math.abs(change.position));
}

/** Says a window's change of one measure in full. */
export function changeText(measure: Measure, change: Change): string {
  if (measure === 'position') {
    if (change.ways.position === 'level') return named('level');
    return change.ways.position === 'better' ? t`up ${places(change)}` : t`${places(change)} places down`;
  }
  if (measure === 'ctr') {
    if (change.ctr === null) return DASH;
    return t`${change.ctr > 0 ? '+' : ''}${fixed(change.ctr * 100, 2)} points`;
  }
  const ratio = change[`${measure}_ratio`];
  const amount = signed(Math.round(change[measure]));
  return ratio === null ? t`${amount} (new)` : `${amount} (${ratio > 0 ? '+' : ''}${percent(ratio)})`;
}

export function duration(seconds: number): string {
  if (seconds < 60) return `${Math.max(1, Math.round(seconds))} s`;
  return seconds < 3600 ? t`${Math.round(seconds / 60)} min` : `${tenth.format(seconds / 3600)} h`;
}

const countries =
  typeof Intl.DisplayNames === 'undefined' ? undefined : new Intl.DisplayNames([locale], { type: 'region' });

const languages =
  typeof Intl.DisplayNames === 'function' ? new Intl.DisplayNames([locale], { type: 'language' }) : null;

/** A language and country in words: "en-GB" is "English, United Kingdom". */
export function trackName(track: string): string {
  const [language = '', country = ''] = track.split('-');
  try {
    return `${languages?.of(language) ?? language}, ${countryName(country)}`;
  } catch {
    return track;
  }
}

export function countryName(code: string): string {
  try {
    return countries?.of(code) ?? code;
  } catch {
    return code;
  }
}
