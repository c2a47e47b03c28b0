/** The worklist: what is asked of it, what changes it, and which rows of a view are marked to be put on it. */
import { useSyncExternalStore } from 'react';
import { queryOptions, useMutation, useQueryClient } from '@tanstack/react-query';
import * as api from './api';
import { spoken } from './language';

export type Item = api.WorkOut;
export type Of = Item['of'];
export type Kind = Item['kind'];
export interface Thing {
  of: Of;
  key: string;
}
export interface Which {
  site?: string | undefined;
  owner?: string | undefined;
  state?: string | undefined;
}

export const KINDS: readonly Kind[] = ['refresh', 'new content', 'title and snippet', 'links', 'technical', 'other'];

export const work = (which: Which) =>
  queryOptions({ queryKey: ['work', which], queryFn: () => api.ask<Item[]>('/work', { ...which }) });

/** What came of the work of a site. */
export const worked = (site: string) =>
  queryOptions({
    queryKey: ['worked', site, spoken()],
    queryFn: () =>
      api.ask<api.Worked>(`/sites/${api.siteKey(site)}/worked`, {
        limit: 1000,
        language: spoken() === 'en' ? undefined : spoken(),
      }),
    retry: false,
  });

const HANG_ON_IT = ['work', 'worked', 'notes', 'reading'];

function useWorking<Asked, Found>(act: (asked: Asked) => Promise<Found>) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: () => Promise.all(HANG_ON_IT.map((name) => cache.invalidateQueries({ queryKey: [name] }))),
  });
}

export interface Put {
  site: string;
  things: readonly Thing[];
  todo: string;
  why: string;
  kind: Kind;
  owner: string | null;
  due: string | null;
}

/** Puts the same on the list about several things, which may be of different kinds; nothing twice. */
export const usePutting = () =>
  useWorking(async ({ things, ...said }: Put): Promise<{ added: number; repeated: string[] }> => {
    const found = { added: 0, repeated: [] as string[] };
    if (!things.length) {
      await api.send<Item>('POST', '/work', { ...said, of: 'site' });
      return { ...found, added: 1 };
    }
    for (const of of new Set(things.map((each) => each.of))) {
      const keys = things.filter((each) => each.of === of).map((each) => each.key);
      const taken = await api.send<api.WorkTaken>('POST', '/worklist', { ...said, of, keys });
      found.added += taken.added.length;
      found.repeated.push(...taken.repeated);
    }
    return found;
  });

export type ItemChange = Partial<
  Pick<Item, 'state' | 'done_on' | 'reason' | 'owner' | 'due' | 'kind' | 'todo' | 'why'>
>;

export const useChangingItem = () =>
  useWorking(({ item, change }: { item: Item; change: ItemChange }) =>
    api.change<Item>(`/work/${item.id}`, item, change),
  );

export const useDroppingItem = () => useWorking((item: Item) => api.send('DELETE', `/work/${item.id}`));

export const useCalendar = () => useMutation({ mutationFn: () => api.send<api.CalendarOut>('POST', '/me/calendar') });

let marks: readonly Thing[] = [];
const listeners = new Set<() => void>();

const same = (one: Thing, other: Thing) => one.of === other.of && one.key === other.key;

function keep(next: readonly Thing[]): void {
  marks = next;
  for (const listen of listeners) listen();
}

export function toggleMark(thing: Thing): void {
  keep(marks.some((each) => same(each, thing)) ? marks.filter((each) => !same(each, thing)) : [...marks, thing]);
}

export function clearMarks(): void {
  if (marks.length) keep([]);
}

export function useMarks(): readonly Thing[] {
  return useSyncExternalStore(
    (listen) => {
      listeners.add(listen);
      return () => listeners.delete(listen);
    },
    () => marks,
    () => marks,
  );
}

export const isMarked = (all: readonly Thing[], thing: Thing | undefined) =>
  thing !== undefined && all.some((each) => same(each, thing));

/** What the row that has the focus is about. */
export function focusedThing(): (Thing & { why: string }) | undefined {
  const row = document.activeElement?.closest<HTMLElement>('tr[data-key]');
  const { of, key, why } = row?.dataset ?? {};
  return of && key ? { of: of as Of, key, why: why ?? '' } : undefined;
}

/** Moves the focus to the next or the last row that something can be done about. */
export function stepRows(way: number): void {
  const links = [...document.querySelectorAll<HTMLElement>('.main tr[data-key] th a')];
  const at = links.findIndex((link) => link === document.activeElement);
  links[Math.min(links.length - 1, Math.max(0, at + way))]?.focus();
}
