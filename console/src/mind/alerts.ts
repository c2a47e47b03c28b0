/** What calls out: what is asked of alerts, and seeing to them. */
import { queryOptions, useMutation, useQueryClient } from '@tanstack/react-query';
import * as api from './api';
import { spoken } from './language';

export type Alert = api.AlertOut;
export type AlertChange = api.AlertChange;
export interface WhichAlerts {
  site?: string | undefined;
  state?: string | undefined;
}

export const alerts = (which: WhichAlerts) =>
  queryOptions({
    queryKey: ['alerts', which, spoken()],
    queryFn: () => api.ask<Alert[]>('/alerts', { ...which, language: spoken() === 'en' ? undefined : spoken() }),
  });

/** Days on which many sites moved at once. */
export const fleet = queryOptions({ queryKey: ['fleet'], queryFn: () => api.ask<api.Fleet>('/fleet') });

/** Keeps such a day as a dated note of the agency. */
export function useNoting() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ day, text }: { day: string; text: string }) =>
      api.send('POST', '/notes', { first: day, kind: 'engine update', text }),
    onSuccess: () => Promise.all(['fleet', 'notes'].map((name) => cache.invalidateQueries({ queryKey: [name] }))),
  });
}

/** Acknowledges, snoozes, mutes or reopens an alert. */
export function useSeeingTo() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ id, change }: { id: number; change: AlertChange }) =>
      api.send<Alert>('PATCH', `/alerts/${id}`, change),
    onSuccess: () => cache.invalidateQueries({ queryKey: ['alerts'] }),
  });
}

/** Puts what has one cause together: alerts of one rule that several sites have since about the same day. */
export function byCause(found: readonly Alert[]): Alert[][] {
  const causes: Alert[][] = [];
  for (const alert of found) {
    const shared = causes.find(
      ([first]) => first && alert.together > 1 && first.together > 1 && first.rule === alert.rule && near(first, alert),
    );
    if (shared) shared.push(alert);
    else causes.push([alert]);
  }
  return causes;
}

const DAY = 86_400_000;
const near = (one: Alert, other: Alert) =>
  one.since !== null && other.since !== null && Math.abs(Date.parse(one.since) - Date.parse(other.since)) <= 3 * DAY;

/** A day so many days after another. */
export const daysAfter = (day: string, days: number) =>
  new Date(Date.parse(day) + days * DAY).toISOString().slice(0, 10);
