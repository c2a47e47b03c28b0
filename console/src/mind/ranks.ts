/** What the views of tracked keywords ask, and what they say of ranks. */
import { t } from '@lingui/core/macro';
import { keepPreviousData, queryOptions } from '@tanstack/react-query';
import * as api from './api';
import { readFrame } from './frame';
import { spoken } from './language';

export const BANDS: ReadonlyArray<readonly [number, string]> = [
  [1, '1'],
  [3, '2–3'],
  [10, '4–10'],
  [20, '11–20'],
  [50, '21–50'],
  [100, '51–100'],
];

/** The band of a rank, 1 to 6; 7 for looked up and not found, 0 for no check. */
export function bandOf(rank: number | null | undefined): number {
  if (rank === null || rank === undefined) return 0;
  if (rank === 0) return 7;
  const at = BANDS.findIndex(([last]) => Math.round(rank) <= last);
  return at < 0 ? 7 : at + 1;
}

export const rankText = (rank: number | null | undefined) =>
  rank === null || rank === undefined ? '' : rank === 0 ? t`n/f` : String(Math.round(rank));

const CHOSEN = ['tag', 'device', 'place', 'track', 'on', 'find', 'pinned'] as const;

/** What narrows keywords, as the address says; a window of its own where the address names none. */
export function tracked(search: URLSearchParams): api.Params {
  const frame = readFrame(search);
  const language = spoken() === 'en' ? undefined : spoken();
  const params: api.Params = {
    window: search.get('window') ?? undefined,
    against: frame.against === 'before' ? undefined : frame.against,
    language,
  };
  for (const name of CHOSEN) params[name] = search.get(name) ?? undefined;
  return params;
}

const of = (key: string) => `/sites/${api.siteKey(key)}`;

export const ladder = (key: string, asked: api.Params) =>
  queryOptions({
    queryKey: ['ladder', key, asked],
    queryFn: () => api.ask<api.Ladder>(`${of(key)}/ladder`, { ...asked, limit: 1000 }),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const rankSummary = (key: string, asked: api.Params) =>
  queryOptions({
    queryKey: ['rank-summary', key, asked],
    queryFn: () => api.ask<api.RankSummary>(`${of(key)}/rank-summary`, asked),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const keywords = (key: string) =>
  queryOptions({
    queryKey: ['keywords', key],
    queryFn: () => api.ask<api.KeywordOut[]>('/keywords', { site: key }),
  });

export const lookupCost = (key: string) =>
  queryOptions({
    queryKey: ['lookup-cost', key],
    queryFn: () => api.ask<api.LookupCost>(`${of(key)}/lookup-cost`),
  });

export const suggestions = (key: string, enabled: boolean) =>
  queryOptions({
    queryKey: ['suggestions', key],
    queryFn: () => api.ask<api.Suggestion[]>(`${of(key)}/keyword-suggestions`, { most: 40 }),
    enabled,
    retry: false,
  });

export const keywordHistory = (key: string, number: string, window: string | undefined) =>
  queryOptions({
    queryKey: ['keyword', key, number, window],
    queryFn: () =>
      api.ask<api.KeywordHistory>(`${of(key)}/keywords/${number}/history`, {
        window,
        language: spoken() === 'en' ? undefined : spoken(),
      }),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const captures = (number: string) =>
  queryOptions({
    queryKey: ['captures', number],
    queryFn: () => api.ask<api.CaptureLine[]>(`/keywords/${number}/captures`),
    retry: false,
  });

export const capture = (key: string, number: number | undefined) =>
  queryOptions({
    queryKey: ['capture', key, number],
    queryFn: () => api.ask<api.Capture>(`${of(key)}/captures/${number}`),
    enabled: number !== undefined,
    staleTime: Infinity,
    placeholderData: keepPreviousData,
  });

export const voice = (key: string, asked: api.Params) =>
  queryOptions({
    queryKey: ['voice', key, asked],
    queryFn: () => api.ask<api.ShareOfVoice>(`${of(key)}/share-of-voice`, asked),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const domain = (key: string, name: string, asked: api.Params) =>
  queryOptions({
    queryKey: ['domain', key, name, asked],
    queryFn: () => api.ask<api.DomainReading>(`${of(key)}/domain`, { ...asked, domain: name, limit: 1000 }),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const competitors = (key: string) =>
  queryOptions({
    queryKey: ['competitors', key],
    queryFn: () => api.ask<api.CompetitorOut[]>('/competitors', { site: key }),
  });

export const resultFeatures = (key: string, asked: api.Params) =>
  queryOptions({
    queryKey: ['result-features', key, asked],
    queryFn: () => api.ask<api.ResultFeatures>(`${of(key)}/result-features`, asked),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const featureEffect = (key: string, feature: string, asked: api.Params) =>
  queryOptions({
    queryKey: ['feature-effect', key, feature, asked],
    queryFn: () => api.ask<api.FeatureEffect>(`${of(key)}/feature-effect`, { ...asked, window: undefined, feature }),
    enabled: feature !== '',
    placeholderData: keepPreviousData,
    retry: false,
  });

export const places = (find: string, country: string) =>
  queryOptions({
    queryKey: ['places', find, country],
    queryFn: () => api.ask<api.PlaceOut[]>('/places', { find, country: country || undefined }),
    enabled: find.trim().length > 1,
    placeholderData: keepPreviousData,
    retry: false,
  });

export const featureTurns = (key: string, feature: string, asked: api.Params) =>
  queryOptions({
    queryKey: ['feature-turns', key, feature, asked],
    queryFn: () =>
      api.ask<api.FeatureTurns>(`${of(key)}/feature-turns`, {
        ...asked,
        window: asked.window ?? 'P84D',
        feature,
        limit: 20,
        language: spoken() === 'en' ? undefined : spoken(),
      }),
    enabled: feature !== '',
    placeholderData: keepPreviousData,
    retry: false,
  });

export const featureOwners = (key: string, feature: string, asked: api.Params) =>
  queryOptions({
    queryKey: ['feature-owners', key, feature, asked],
    queryFn: () => api.ask<api.FeatureOwners>(`${of(key)}/feature-owners`, { ...asked, feature, limit: 12 }),
    enabled: feature !== '',
    placeholderData: keepPreviousData,
    retry: false,
  });

export const crossCheck = (key: string, asked: api.Params) =>
  queryOptions({
    queryKey: ['cross-check', key, asked],
    queryFn: () => api.ask<api.CrossChecks>(`${of(key)}/cross-check`, { ...asked, limit: 100 }),
    placeholderData: keepPreviousData,
    retry: false,
  });

export const grids = (key: string) =>
  queryOptions({ queryKey: ['grids', key], queryFn: () => api.ask<api.GridOut[]>('/grids', { site: key }) });

export const localGrid = (key: string, number: number, asked: api.Params) =>
  queryOptions({
    queryKey: ['local-grid', key, number, asked],
    queryFn: () => {
      const { window, against, language, domain: whose } = asked;
      return api.ask<api.LocalGrid>(`${of(key)}/grids/${number}/ranks`, { window, against, language, domain: whose });
    },
    placeholderData: keepPreviousData,
    retry: false,
  });

export const deviceRanks = (key: string, asked: api.Params) =>
  queryOptions({
    queryKey: ['device-ranks', key, asked],
    queryFn: () => api.ask<api.DeviceRanks>(`${of(key)}/device-ranks`, asked),
    placeholderData: keepPreviousData,
    retry: false,
  });

/** The summary of tracked keywords by the country they are looked up from. */
export const byCountry = (key: string, asked: api.Params) => rankSummary(key, { ...asked, by: 'country' });
