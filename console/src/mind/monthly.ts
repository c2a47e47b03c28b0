/** The monthly check: how far a client's month was gone through, and what each step reads. */
import { queryOptions, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { t } from '@lingui/core/macro';
import * as api from './api';

export type Step = api.MonthlyStep['step'];

export const STEP_NAMES: Record<Step, string> = {
  change: t`What changed, and why`,
  fading: t`Fading pages`,
  work: t`What came of the work`,
  keywords: t`Keywords that moved`,
  outcomes: t`What search brought`,
  commentary: t`Commentary`,
  report: t`Sign the report off`,
};

export const monthly = (client: string, month: string | undefined) =>
  queryOptions({
    queryKey: ['monthly', client, month],
    queryFn: () => api.ask<api.Monthly>(`/clients/${client}/monthly`, { month }),
    enabled: client !== '',
  });

/** Every client's last whole month in a line. */
export const useMonths = () =>
  useQuery({
    queryKey: ['monthly'],
    queryFn: () => api.ask<api.MonthlyAtAGlance[]>('/monthly'),
    retry: false,
  }).data ?? [];

/** Notes that a step was gone through, or not after all. */
export function useGoingThrough(client: string, month: string | undefined) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ step, done }: { step: Step; done: boolean }) =>
      api.send<api.Monthly>('PATCH', `/clients/${client}/monthly${month ? `?month=${month}` : ''}`, { step, done }),
    onSuccess: () => cache.invalidateQueries({ queryKey: ['monthly'] }),
  });
}

/** The reading that a step looks at, and what it is asked besides the month. */
export const READS: Partial<Record<Step, readonly [string, Readonly<Record<string, string>>]>> = {
  change: ['drivers', { most: '10' }],
  fading: ['fading', {}],
  work: ['worked', {}],
  keywords: ['ladder', { step: 'month', back: '1' }],
  outcomes: ['outcomes', { by: 'query' }],
};

/** The window a step reads: keywords are set beside the month before, what came of work is of a year. */
export function windowOf(step: Step, month: string, last: string): string {
  if (step === 'work') return 'P12M';
  return step === 'keywords' ? `${monthAfter(month, -1)}-01/${last}` : month;
}

interface Moving {
  movement?: string | null;
  change?: number | null;
}

/** Puts what moved first, the farthest before all others; what stayed or is not known comes after it. */
export function movedFirst<T>(answer: T): T {
  const { rows } = answer as { rows?: Moving[] };
  if (!rows) return answer;
  const far = (row: Moving) =>
    row.movement === 'entered' || row.movement === 'lost' ? 100 : Math.abs(row.change ?? 0);
  return { ...answer, rows: rows.toSorted((one, other) => far(other) - far(one)) };
}

/** Columns that the month is looked over by, where a reading has many more. */
export const COLUMNS: Partial<Record<Step, readonly string[]>> = {
  fading: ['key', 'verdict', 'clicks', 'clicks_before', 'clicks_change', 'expected', 'beyond_season', 'reason'],
  keywords: ['term', 'place', 'device', 'before', 'now', 'change', 'movement', 'best'],
};

/** The step after one or before it among those that apply; the same at either end. */
export function stepBeside(steps: readonly api.MonthlyStep[], step: Step, way: 1 | -1): Step {
  const wanted = steps.filter((each) => each.applies || each.step === step);
  const at = wanted.findIndex((each) => each.step === step) + way;
  return wanted[Math.min(wanted.length - 1, Math.max(0, at))]?.step ?? step;
}

/** A month so many later, as 2026-02. */
export function monthAfter(month: string, many: number): string {
  const [year, number] = month.split('-').map(Number) as [number, number];
  return new Date(Date.UTC(year, number - 1 + many, 1)).toISOString().slice(0, 7);
}
