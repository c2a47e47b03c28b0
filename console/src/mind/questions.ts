/** What the views ask: key and fetcher defined together. */
import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import * as api from './api';
import type { Frame } from './frame';

const POLL_MS = 1000;

function frameParams(frame: Frame): api.Params {
  return { window: frame.window, against: frame.against, ...frame.where };
}

export const me = queryOptions({
  queryKey: ['me'],
  queryFn: async () => {
    const found = await api.ask<api.Me>('/me');
    api.rememberCsrf(found.csrf);
    return found;
  },
  retry: false,
  staleTime: Infinity,
});

export const portfolio = queryOptions({ queryKey: ['portfolio'], queryFn: () => api.ask<api.Portfolio>('/portfolio') });
export const sites = queryOptions({ queryKey: ['sites'], queryFn: () => api.ask<api.SiteSummary[]>('/sites') });

export const site = (key: string) =>
  queryOptions({ queryKey: ['site', key], queryFn: () => api.ask<api.Site>(`/sites/${api.siteKey(key)}`) });

export const sources = queryOptions({
  queryKey: ['sources'],
  queryFn: () => api.ask<api.Source[]>('/sources'),
  refetchInterval: (query) => (query.state.data?.some((source) => source.job) ? POLL_MS : false),
});

export const timeline = (key: string, frame: Frame, by: 'day' | 'week' | 'month' = 'day') =>
  queryOptions({
    queryKey: ['timeline', key, frame, by],
    queryFn: () => api.ask<api.Timeline>(`/sites/${api.siteKey(key)}/timeline`, { ...frameParams(frame), by }),
    placeholderData: keepPreviousData,
  });

export const drivers = (key: string, frame: Frame) =>
  queryOptions({
    queryKey: ['drivers', key, frame],
    queryFn: () => api.ask<api.Drivers>(`/sites/${api.siteKey(key)}/drivers`, frameParams(frame)),
    placeholderData: keepPreviousData,
    retry: false,
  });

export interface Rows {
  find?: string;
  sort?: string;
  limit?: number;
  offset?: number;
}

export const breakdown = (key: string, dimension: api.Dimension, frame: Frame, rows: Rows) =>
  queryOptions({
    queryKey: ['breakdown', key, dimension, frame, rows],
    queryFn: () =>
      api.ask<api.Breakdown>(`/sites/${api.siteKey(key)}/breakdown/${dimension}`, {
        ...frameParams(frame),
        ...rows,
        offset: rows.offset || undefined,
      }),
    placeholderData: keepPreviousData,
  });

export const life = (key: string, item: 'query' | 'page', text: string) =>
  queryOptions({
    queryKey: ['life', key, item, text],
    queryFn: () => api.ask<api.Life>(`/sites/${api.siteKey(key)}/life/${item}`, { key: text }),
  });

export const ledger = (key: string, source: number | undefined, grain: string) =>
  queryOptions({
    queryKey: ['ledger', key, source, grain],
    queryFn: () => api.ask<api.Ledger>(`/sites/${api.siteKey(key)}/ledger`, { source, grain }),
    placeholderData: keepPreviousData,
  });
