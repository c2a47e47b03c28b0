/** Targets: those of a site as they stand, one with its way; setting and deleting them. */
import { queryOptions, useMutation, useQueryClient } from '@tanstack/react-query';
import * as api from './api';
import { spoken } from './language';

export type Metric = api.TargetRow['metric'];
export const METRICS: readonly Metric[] = [
  'clicks',
  'impressions',
  'sessions',
  'conversions',
  'revenue',
  'top3',
  'top10',
  'top20',
];
export const isStanding = (metric: Metric) => metric.startsWith('top');
const language = () => (spoken() === 'en' ? undefined : spoken());

export const course = (site: string) =>
  queryOptions({
    queryKey: ['course', site, spoken()],
    queryFn: () => api.ask<api.CourseRead>(`/sites/${api.siteKey(site)}/course`, { language: language() }),
  });

export const target = (site: string, number: number) =>
  queryOptions({
    queryKey: ['target', site, number, spoken()],
    queryFn: () => api.ask<api.TargetRead>(`/sites/${api.siteKey(site)}/targets/${number}`, { language: language() }),
  });

export interface NewTarget {
  site: string;
  name: string;
  metric: Metric;
  over: 'site' | 'client';
  filter: string;
  tagged: string;
  value: number;
  starts: string;
  by: string;
}

function useTrying<Said, Found>(act: (asked: Said) => Promise<Found>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: () => Promise.all(['course', 'target'].map((name) => cache.invalidateQueries({ queryKey: [name] }))),
  });
}

export const useSettingTarget = () =>
  useTrying((asked: NewTarget) => api.send<api.TargetOut>('POST', '/targets', asked));

export const useDroppingTarget = () => useTrying((number: number) => api.send('DELETE', `/targets/${number}`));
