/** What the views ask: key and fetcher defined together. */
import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import * as api from './api';
import type { Frame, StepName } from './frame';
import { spoken } from './language';

const POLL_MS = 1000;

const language = () => (spoken() === 'en' ? undefined : spoken());

function frameParams(frame: Frame): api.Params {
  return { window: frame.window, against: frame.against, ...frame.where, language: language() };
}

/** What a reading is asked that knows what the year does. */
const seasoned = (frame: Frame): api.Params => ({
  ...frameParams(frame),
  season: frame.counted ? 'false' : undefined,
});

/** What a reading is asked that compares nothing: `against` is no parameter of it. */
const alone = (frame: Frame): api.Params => ({ window: frame.window, ...frame.where, language: language() });

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

export const towns = (names: readonly string[]) =>
  queryOptions({
    queryKey: ['towns', ...names],
    queryFn: () => api.ask<api.Town[]>('/places/towns', { town: names.join(';') }),
    staleTime: Infinity,
  });

export const site = (key: string) =>
  queryOptions({ queryKey: ['site', key], queryFn: () => api.ask<api.Site>(`/sites/${api.siteKey(key)}`) });

export const sources = queryOptions({
  queryKey: ['sources'],
  queryFn: () => api.ask<api.Source[]>('/sources'),
  refetchInterval: (query) => (query.state.data?.some((source) => source.job) ? POLL_MS : false),
});

export const users = queryOptions({ queryKey: ['users'], queryFn: () => api.ask<api.UserOut[]>('/users') });
export const signIns = queryOptions({ queryKey: ['sign-ins'], queryFn: () => api.ask<api.SignInOut[]>('/sign-ins') });
export const tokens = queryOptions({ queryKey: ['tokens'], queryFn: () => api.ask<api.TokenOut[]>('/tokens') });

export const clients = queryOptions({ queryKey: ['clients'], queryFn: () => api.ask<api.Client[]>('/clients') });
export const erasures = queryOptions({ queryKey: ['erasures'], queryFn: () => api.ask<api.Erased[]>('/erasures') });
export const notices = queryOptions({
  queryKey: ['notices'],
  queryFn: () => api.ask<api.Notice[]>('/notices'),
  refetchInterval: 30_000,
});
export const mappings = queryOptions({
  queryKey: ['mappings'],
  queryFn: () => api.ask<api.NamedMapping[]>('/mappings'),
});

export const job = (number: number | undefined) =>
  queryOptions({
    queryKey: ['job', number],
    queryFn: () => api.ask<api.Job>(`/jobs/${number}`),
    enabled: number !== undefined,
    refetchInterval: (query) => (ended(query.state.data) ? false : POLL_MS),
  });

export function ended(found: api.Job | undefined): boolean {
  return found !== undefined && ['done', 'failed', 'cancelled'].includes(found.state);
}

export const making = (key: string, source: number | undefined, day: string | null) =>
  queryOptions({
    queryKey: ['making', key, source, day],
    queryFn: () => api.ask<api.DayMaking>(`/sites/${api.siteKey(key)}/days/${day}`, { source }),
    enabled: day !== null && source !== undefined,
    placeholderData: keepPreviousData,
  });

export const reconciliation = (key: string, window: string) =>
  queryOptions({
    queryKey: ['reconcile', key, window],
    queryFn: () => api.ask<api.Reconciliation>(`/sites/${api.siteKey(key)}/reconcile`, { window }),
    placeholderData: keepPreviousData,
  });

export const grant = (name: string | null) =>
  queryOptions({
    queryKey: ['grant', name],
    queryFn: () => api.ask<api.Grant>(`/grants/${name}`),
    enabled: name !== null,
    retry: false,
  });

export const timeline = (key: string, frame: Frame, by: StepName = 'day', weeks?: string) =>
  queryOptions({
    queryKey: ['timeline', key, frame, by, by === 'week' ? weeks : undefined],
    queryFn: () =>
      api.ask<api.Timeline>(`/sites/${api.siteKey(key)}/timeline`, {
        ...seasoned(frame),
        by,
        week_starts: by === 'week' ? weeks : undefined,
      }),
    placeholderData: keepPreviousData,
  });

export const drivers = (key: string, frame: Frame, driver?: string) =>
  queryOptions({
    queryKey: ['drivers', key, frame, driver],
    queryFn: () => api.ask<api.Drivers>(`/sites/${api.siteKey(key)}/drivers`, { ...seasoned(frame), driver }),
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

export interface Part {
  limit?: number;
  offset?: number;
}

const part = (rows: Part) => ({ ...rows, offset: rows.offset || undefined });

export const fading = (key: string, item: 'query' | 'page', frame: Frame, verdict: string, rows: Part = {}) =>
  queryOptions({
    queryKey: ['fading', key, item, frame, verdict, rows],
    queryFn: () =>
      api.ask<api.Judgements>(`/sites/${api.siteKey(key)}/fading/${item}`, {
        ...seasoned(frame),
        verdict,
        ...part(rows),
      }),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const cross = (key: string, rows: string, columns: string | undefined, frame: Frame, part_: Part = {}) =>
  queryOptions({
    queryKey: ['cross', key, rows, columns, frame, part_],
    queryFn: () =>
      api.ask<api.Cross>(`/sites/${api.siteKey(key)}/cross`, { ...alone(frame), rows, columns, ...part(part_) }),
    enabled: columns !== undefined,
    placeholderData: keepPreviousData,
  });

export const bands = (key: string, of: 'query' | 'page', frame: Frame) =>
  queryOptions({
    queryKey: ['bands', key, of, frame],
    queryFn: () => api.ask<api.BandCounts>(`/sites/${api.siteKey(key)}/bands`, { ...alone(frame), of }),
    placeholderData: keepPreviousData,
  });

export const reach = (key: string, frame: Frame, rows: Part = {}) =>
  queryOptions({
    queryKey: ['reach', key, frame, rows],
    queryFn: () => api.ask<api.Reach>(`/sites/${api.siteKey(key)}/within-reach`, { ...alone(frame), ...part(rows) }),
    placeholderData: keepPreviousData,
  });

export const weekdays = (key: string, frame: Frame) =>
  queryOptions({
    queryKey: ['weekdays', key, frame],
    queryFn: () => api.ask<api.Weekdays>(`/sites/${api.siteKey(key)}/weekdays`, frameParams(frame)),
    placeholderData: keepPreviousData,
  });

export const unclicked = (key: string, frame: Frame, rows: Part = {}) =>
  queryOptions({
    queryKey: ['unclicked', key, frame, rows],
    queryFn: () => api.ask<api.Unclicked>(`/sites/${api.siteKey(key)}/unclicked`, { ...alone(frame), ...part(rows) }),
    placeholderData: keepPreviousData,
  });

export const deviceGap = (key: string, frame: Frame, rows: Part = {}) =>
  queryOptions({
    queryKey: ['device-gap', key, frame, rows],
    queryFn: () => api.ask<api.DeviceGap>(`/sites/${api.siteKey(key)}/device-gap`, { ...alone(frame), ...part(rows) }),
    placeholderData: keepPreviousData,
    retry: false,
  });

/** Any reading, asked with what the view narrows to, as far as it takes it. */
export const anyReading = (
  key: string,
  reading: api.ReadingAbout | undefined,
  frame: Frame,
  rows: Part = {},
  goes: Readonly<Record<string, string>> = {},
) =>
  queryOptions({
    queryKey: ['reading', reading?.name, key, frame, rows, goes],
    queryFn: () => {
      const given: api.Params = {
        ...frameParams(frame),
        ...goes,
        ...(reading?.paged ? { [reading.paged]: rows.limit, offset: rows.offset || undefined } : {}),
      };
      const taken = Object.fromEntries(
        Object.entries(given).filter(([name]) => reading?.parameters.some((each) => each.name === name)),
      );
      const words = (path: string) =>
        path.replace(/\{(\w+)\}/g, (_, name: string) =>
          encodeURIComponent(
            String(
              reading?.parameters.find((each) => each.name === name)?.default ??
                reading?.parameters.find((each) => each.name === name)?.choices[0] ??
                '',
            ),
          ),
        );
      return api.ask<unknown>(`/sites/${api.siteKey(key)}/${words(reading?.path ?? '')}`, taken);
    },
    enabled: reading !== undefined,
    placeholderData: keepPreviousData,
    retry: false,
  });

export const clusters = (key: string, frame: Frame, rows: Part = {}) =>
  queryOptions({
    queryKey: ['clusters', key, frame, rows],
    queryFn: () =>
      api.ask<api.Clusters>(`/sites/${api.siteKey(key)}/clusters`, { ...frameParams(frame), ...part(rows) }),
    placeholderData: keepPreviousData,
  });

export const overlap = (key: string, frame: Frame, rows: Part = {}) =>
  queryOptions({
    queryKey: ['overlap', key, frame, rows],
    queryFn: () => api.ask<api.Overlap>(`/sites/${api.siteKey(key)}/overlap`, { ...alone(frame), ...part(rows) }),
    placeholderData: keepPreviousData,
  });

export const oddDays = (key: string, frame: Frame) =>
  queryOptions({
    queryKey: ['odd', key, frame],
    queryFn: () => api.ask<api.OddDays>(`/sites/${api.siteKey(key)}/odd-days`, alone(frame)),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const sets = (client?: string) =>
  queryOptions({ queryKey: ['sets', client], queryFn: () => api.ask<api.SetOut[]>('/sets', { client }) });

export const tried = (key: string, filter: string, item: 'query' | 'page') =>
  queryOptions({
    queryKey: ['tried', key, filter, item],
    queryFn: () => api.ask<api.FilterTry>(`/sites/${api.siteKey(key)}/try-filter`, { filter, item }),
    enabled: filter.trim() !== '',
    retry: false,
  });

export const brandTried = (key: string, terms: string, text: string) =>
  queryOptions({
    queryKey: ['brand', key, terms, text],
    queryFn: () => api.ask<api.BrandTry>(`/sites/${api.siteKey(key)}/try-brand`, { terms: terms.trim() || ',', text }),
  });

export const notes = (key: string) =>
  queryOptions({ queryKey: ['notes', key], queryFn: () => api.ask<api.NoteOut[]>('/notes', { site: key }) });

export const effect = (key: string, note: number | undefined) =>
  queryOptions({
    queryKey: ['effect', key, note],
    queryFn: () => api.ask<api.NoteEffect>(`/sites/${api.siteKey(key)}/notes/${note}/effect`, { language: language() }),
    enabled: note !== undefined,
  });

export const life = (key: string, item: 'query' | 'page', text: string) =>
  queryOptions({
    queryKey: ['life', key, item, text],
    queryFn: () => api.ask<api.Life>(`/sites/${api.siteKey(key)}/life/${item}`, { key: text, language: language() }),
  });

export const ledger = (key: string, source: number | undefined, grain: string | undefined) =>
  queryOptions({
    queryKey: ['ledger', key, source, grain],
    queryFn: () => api.ask<api.Ledger>(`/sites/${api.siteKey(key)}/ledger`, { source, grain }),
    placeholderData: keepPreviousData,
  });

export const agencyLook = queryOptions({
  queryKey: ['agency'],
  queryFn: () => api.ask<api.AgencyLookOut>('/agency'),
  staleTime: 60_000,
});
