/** Putting a report together: its blocks as they are edited, what the service makes of them, and keeping them. */
import { useEffect, useState } from 'react';
import { keepPreviousData, queryOptions, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import * as api from './api';
import { send } from './api';
import { spoken } from './language';

export type Block = api.BlockSpec;
export type Body = api.ReportBody;

export const blockKinds = () =>
  queryOptions({
    queryKey: ['blocks', spoken()],
    queryFn: () => api.ask<api.BlockAbout[]>('/blocks', { language: spoken() }),
    staleTime: Infinity,
  });

/** What readings are called as a client reads them, by their names. */
export function useTitles(): ReadonlyMap<string, string> {
  return new Map((useQuery(blockKinds()).data ?? []).map((each) => [each.kind, each.title]));
}

export const NEW: Block = {
  kind: 'text',
  title: '',
  commentary: '',
  options: {},
  filter: '',
  window: '',
  against: '',
  columns: [],
  limit: null,
  stay: false,
};

/** A value that has stood still for a while, so that typing asks nothing. */
function useStill<T>(value: T, ms: number): T {
  const [still, setStill] = useState(value);
  useEffect(() => {
    const later = setTimeout(() => setStill(value), ms);
    return () => clearTimeout(later);
  }, [value, ms]);
  return still;
}

/** The report as it would be, soon after each change; and, when nothing changes any more, where its pages end. */
export function useDraft(site: string, body: Body | undefined, language: string) {
  const soon = useStill(body, 500);
  const later = useStill(body, 1800);
  const ask = (asked: Body | undefined, paged: boolean) =>
    queryOptions({
      queryKey: ['report-draft', site, asked, language, paged],
      queryFn: () =>
        send<api.ReportDraft>('POST', `/sites/${api.siteKey(site)}/report-draft`, { body: asked, language, paged }),
      enabled: asked !== undefined,
      placeholderData: keepPreviousData,
      retry: 1,
      staleTime: 60_000,
    });
  const drawn = useQuery(ask(soon, false));
  const laid = useQuery({ ...ask(later, true), enabled: later !== undefined && later === body && drawn.isSuccess });
  const pages = laid.data && later === body && !laid.isPlaceholderData ? laid.data : undefined;
  return { drawn, pages };
}

export const same = (one: unknown, other: unknown) => JSON.stringify(one) === JSON.stringify(other);

/** Moves a block up or down; where it cannot go it stays. */
export function moved<T>(all: readonly T[], from: number, to: number): T[] {
  if (to < 0 || to >= all.length || from === to) return [...all];
  const next = [...all];
  const [taken] = next.splice(from, 1);
  next.splice(to, 0, taken as T);
  return next;
}

/** What a person typed as the value of an option: numbers and yes or no as such, the rest as text. */
export function optionOf(text: string): string | number | boolean | undefined {
  const plain = text.trim();
  if (plain === '') return undefined;
  if (plain === 'true' || plain === 'false') return plain === 'true';
  return /^-?\d+(\.\d+)?$/.test(plain) ? Number(plain) : plain;
}

export function useKeepingBody() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: async ({ report, body }: { report: api.ReportOut; body: Body | null }) =>
      api.change<api.ReportOut>(`/reports/${report.id}`, report, { body }),
    onSuccess: () =>
      Promise.all(['reports', 'report-look'].map((name) => cache.invalidateQueries({ queryKey: [name] }))),
  });
}

export function useKeepingTemplate() {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: ({ name, body, kept }: { name: string; body: Body; kept?: api.TemplateOut }) =>
      kept
        ? api.change<api.TemplateOut>(`/templates/${kept.id}`, kept, { body })
        : send<api.TemplateOut>('POST', '/templates', { name, body }),
    onSuccess: () => Promise.all(['templates', 'reports'].map((name) => cache.invalidateQueries({ queryKey: [name] }))),
  });
}
