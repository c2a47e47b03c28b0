/** What parts of the skin show beside a reading, as hooks: a part is told what it shows and fetches nothing itself. */
import { useEffect, useState } from 'react';
import { keepPreviousData, useQueries, useQuery } from '@tanstack/react-query';
import type { Dimension } from './api';
import { Trouble } from './api';
import type { Frame } from './frame';
import * as questions from './questions';
import { keywords } from './ranks';

export const useSites = (enabled = true) => useQuery({ ...questions.sites, enabled });
export const useClients = (enabled = true) => useQuery({ ...questions.clients, enabled });
export const useSite = (key: string) => useQuery(questions.site(key));
export const useGrant = (name: string | null) => useQuery(questions.grant(name));
export const useNotes = (site: string) => useQuery(questions.notes(site));
export const useWeekdays = (site: string, frame: Frame) => useQuery(questions.weekdays(site, frame));
export const useLine = (site: string, frame: Frame) => useQuery(questions.timeline(site, frame));
export const useLife = (site: string, item: 'query' | 'page', text: string) =>
  useQuery(questions.life(site, item, text));
export const useRows = (site: string, dimension: Dimension, frame: Frame, limit: number) =>
  useQuery(questions.breakdown(site, dimension, frame, { limit }));

/** The sets that a site's filters may name. */
export function useSetsOf(site: string) {
  const client = useSite(site).data?.client;
  return useQuery(questions.sets(client));
}

/** A site's engines that count, each with its own line; none where there is but one. */
export function useEngines(site: string, frame: Frame) {
  const counted = (useSite(site).data?.sources ?? []).filter((source) => source.counted);
  const engines = [...new Set(counted.map((source) => source.engine))];
  const lines = useQueries({
    queries: engines.map((engine) => questions.timeline(site, { ...frame, where: { ...frame.where, engine } })),
  });
  return engines.map((engine, n) => ({ engine, line: lines[n]?.data }));
}

/** The languages and countries that a site's keywords are looked up in, with how many are; none asked, none given. */
export function useTracks(site: string, enabled: boolean): ReadonlyArray<readonly [string, number]> {
  const known = useQuery({ ...keywords(site), enabled });
  const counts = new Map<string, number>();
  for (const each of known.data ?? []) {
    const track = `${each.language}-${each.country}`;
    counts.set(track, (counts.get(track) ?? 0) + 1);
  }
  return [...counts].sort((a, b) => b[1] - a[1] || a[0].localeCompare(b[0]));
}

/** Where towns lie, of those that are known. */
export const useTowns = (names: readonly string[]) => useQuery(questions.towns(names));

/** What a filter finds, and what is wrong with it as the service reads it. */
export function useTried(site: string, text: string, enabled = true) {
  const asked = enabled ? text : '';
  const queries = useQuery(questions.tried(site, asked, 'query'));
  const pages = useQuery(questions.tried(site, asked, 'page'));
  return { found: queries.data ?? pages.data, fault: faultOf(queries.error, text) };
}

/** What only cannot be tried on one kind of term is no fault. */
function faultOf(error: unknown, text: string): Trouble | null {
  if (!(error instanceof Trouble) || error.code === 'not-to-be-tried' || !text.trim()) return null;
  return /^(filter|pattern|no-such-set|set)/.test(error.code) ? error : null;
}

const SETTLED_MS = 250;

/** A text once it has stood still for a moment. */
function useSettled(text: string): string {
  const [settled, setSettled] = useState(text);
  useEffect(() => {
    const timer = window.setTimeout(() => setSettled(text), SETTLED_MS);
    return () => window.clearTimeout(timer);
  }, [text]);
  return settled;
}

/** What brand words find, once whoever types them has paused. */
export const useBrandTried = (site: string, terms: string, text: string) =>
  useQuery({
    ...questions.brandTried(site, useSettled(terms), useSettled(text)),
    placeholderData: keepPreviousData,
  });

/** Whether who is signed in only reads. */
export const useReads = () => useQuery(questions.me).data?.role === 'reader';

/** The agency's name, as its guests see it. */
export const useAgency = () => useQuery(questions.agencyLook);
