/** What parts of the skin do, as hooks: each sends one change and has anew what hangs on it. */
import { useMutation, useQueryClient, type QueryKey } from '@tanstack/react-query';
import { speak } from './language';
import {
  ask,
  change as changeKept,
  send,
  siteKey,
  type Client,
  type CompetitorOut,
  type GrantBegun,
  type ColumnRole,
  type GridOut,
  type NewGrid,
  type Job,
  type KeywordFileTaken,
  type KeywordOut,
  type KeywordsChanged,
  type KeywordsTaken,
  type Property,
  type PageValue,
  type Site,
  type Source,
} from './api';
import { clients, notices, portfolio, sites, sources } from './questions';

/** A change, and the answers that hang on it; all of them without any. */
function useDoing<Asked, Found>(act: (asked: Asked) => Promise<Found>, keys: readonly QueryKey[], done?: () => void) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: async () => {
      done?.();
      if (keys.length) await Promise.all(keys.map((queryKey) => cache.invalidateQueries({ queryKey })));
      else await cache.invalidateQueries();
    },
  });
}

export type Addition =
  | { kind: 'client'; name: string; time_zone: string }
  | { kind: 'site'; owner: string; host: string; brand_terms: string }
  | { kind: 'files'; owner: string; label: string; engine: string; time_zone: string };

function add({ kind, ...asked }: Addition): Promise<Client | Site | Source> {
  if (kind === 'client') return send<Client>('POST', '/clients', asked);
  const { owner, ...rest } = asked as { owner: string };
  if (kind === 'site') return send<Site>('POST', `/clients/${owner}/sites`, rest);
  return send<Source>('POST', `/sites/${siteKey(owner)}/file-sources`, rest);
}

const LISTED = [clients, sites, sources, portfolio].map((each) => each.queryKey as QueryKey);

export const useAdding = (done: () => void) => useDoing(add, LISTED, done);

export interface Credential {
  url: string;
  account: string;
  secret: string;
  mapping: string;
  connector?: string;
  grant?: string | null;
}

/** Asking a feed what a credential can see. */
export const useLooking = () =>
  useMutation({ mutationFn: (asked: Credential) => send<Property[]>('POST', '/properties', asked) });

/** Going to the provider, where a person grants access. */
export const useGranting = () =>
  useMutation({
    mutationFn: (asked: Credential) => send<GrantBegun>('POST', '/grants', { ...asked, back: '/sources' }),
    onSuccess: (begun) => window.location.assign(begun.go),
  });

export const useConnecting = (done: () => void) =>
  useDoing(
    ({ site, ...asked }: Credential & { site: string; property: string; part: string }) =>
      send<Source>('POST', `/sites/${siteKey(site)}/sources`, asked),
    [sources.queryKey],
    done,
  );

export const useChangingSource = (number: number, done: () => void) =>
  useDoing(
    (change: Partial<{ schedule: string; paused: boolean; counted: boolean; secret: string }>) =>
      send<Source>('PATCH', `/sources/${number}`, change),
    [sources.queryKey, notices.queryKey],
    done,
  );

export const useErasing = (kind: 'client' | 'site', key: string, done: () => void) =>
  useDoing(
    () => ask(kind === 'client' ? `/clients/${key}` : `/sites/${siteKey(key)}`, { confirm: key }, { method: 'DELETE' }),
    [],
    done,
  );

export const useKeepingBrand = (site: string) =>
  useDoing((brand_terms: string) => send<Site>('PATCH', `/sites/${siteKey(site)}`, { brand_terms }), []);

export const useKeepingWorth = (site: string) =>
  useDoing((session_value: number) => send<Site>('PATCH', `/sites/${siteKey(site)}`, { session_value }), []);

export const useKeepingValues = (site: string) =>
  useDoing((values: readonly PageValue[]) => send<Site>('PATCH', `/sites/${siteKey(site)}`, { values }), []);

export const useStopping = (job: number) =>
  useDoing(() => send<Job>('DELETE', `/jobs/${job}`), [['job', job], sources.queryKey]);

/** Signing out: nothing that was read stays in this browser. */
export function useLeaving() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: () => send('DELETE', '/session'),
    onSuccess: () => {
      cache.clear();
      window.location.assign('/');
    },
  });
}

/** Speaking another language from now on: what is said stands in modules, so the page is loaded anew. */
export function useSpeaking() {
  return async (language: string) => {
    speak(language);
    await send('PATCH', '/me', { language }).catch(() => undefined);
    window.location.reload();
  };
}

/** Work that makes a text or a file here, as copying a table. */
export const useMaking = (done: (said: string) => void) =>
  useMutation({ mutationFn: (work: () => Promise<string>) => work(), onSuccess: (said) => done(said) });

/** What is followed alike by keywords that come together. */
export interface Following {
  engine: string;
  language: string;
  country: string;
  page: string;
  weight: number;
  tags: string[];
  interval: 'hourly' | 'daily' | 'weekly';
  devices: string[];
}

const RANKED: readonly QueryKey[] = [
  ['keywords'],
  ['lookup-cost'],
  ['ladder'],
  ['rank-summary'],
  ['suggestions'],
  ['keyword'],
  ['voice'],
  ['domain'],
  ['reading'],
];

/** Tracking many keywords, or only hearing what they would cost. */
export const useTaking = (site: string, done: () => void) =>
  useDoing(
    (asked: Partial<Following> & { terms: string[]; places?: string[]; dry_run?: boolean }) =>
      send<KeywordsTaken>('POST', '/keywords/take', { site, ...asked }),
    RANKED,
    done,
  );

export const useTakingFile = (site: string) =>
  useDoing(
    (asked: Partial<Following> & { text: string; columns?: Record<string, ColumnRole>; dry_run?: boolean }) =>
      send<KeywordFileTaken>('POST', '/keywords/import', { site, ...asked }),
    RANKED,
  );

export interface KeywordsChange {
  numbers: number[];
  weight?: number;
  pinned?: boolean;
  interval?: string;
  add_tags?: string[];
  drop_tags?: string[];
  drop?: boolean;
}

export const useChangingKeywords = (site: string, done: () => void) =>
  useDoing(
    (asked: KeywordsChange) => send<KeywordsChanged>('POST', '/keywords/change', { site, ...asked }),
    RANKED,
    done,
  );

export const useChangingKeyword = () =>
  useDoing(
    ({ seen, ...asked }: { seen: KeywordOut } & Partial<Omit<KeywordOut, 'id' | 'tag'>>) =>
      changeKept<KeywordOut>(`/keywords/${seen.id}`, seen, asked),
    RANKED,
  );

/** Looking keywords up now. */
export const useChecking = (site: string) =>
  useDoing(
    (numbers: number[] | undefined) => send<Job>('POST', `/sites/${siteKey(site)}/checks`, numbers ? { numbers } : {}),
    [['sources']],
  );

export const useNaming = (site: string) =>
  useDoing(
    (domain: string) => send<CompetitorOut>('POST', '/competitors', { site, domain }),
    [['competitors'], ['voice'], ['keyword']],
  );

export const useUnnaming = () =>
  useDoing((number: number) => send('DELETE', `/competitors/${number}`), [['competitors'], ['voice'], ['keyword']]);

/** A new grid; or, of one that is kept, what differs. */
export const useKeepingGrid = (site: string, kept?: GridOut) =>
  useDoing(
    (asked: Omit<NewGrid, 'site'>) =>
      kept
        ? changeKept<GridOut>(`/grids/${kept.id}`, kept, asked)
        : send<GridOut>('POST', '/grids', { site, ...asked }),
    [['grids'], ['lookup-cost'], ['local-grid']],
  );

/** Its ranks stay; only looking up ends. */
export const useDroppingGrid = () =>
  useDoing((number: number) => send('DELETE', `/grids/${number}`), [['grids'], ['lookup-cost']]);
