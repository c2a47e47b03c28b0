/** Templates, reports and editions: what is asked for, and what can be done. */
import { keepPreviousData, queryOptions, useMutation, useQueryClient } from '@tanstack/react-query';
import * as api from './api';
import { send } from './api';

export const templates = queryOptions({
  queryKey: ['templates'],
  queryFn: () => api.ask<api.TemplateOut[]>('/templates'),
});

export const reports = (site: string) =>
  queryOptions({ queryKey: ['reports', site], queryFn: () => api.ask<api.ReportOut[]>('/reports', { site }) });

export const editions = (site: string) =>
  queryOptions({ queryKey: ['editions', site], queryFn: () => api.ask<api.EditionOut[]>('/editions', { site }) });

export const lookedOver = (site: string, template: string) =>
  queryOptions({
    queryKey: ['report-look', site, template],
    queryFn: () => send<api.ReportLook>('POST', `/sites/${api.siteKey(site)}/report-look`, { template }),
    enabled: template !== '',
    placeholderData: keepPreviousData,
    retry: false,
  });

export const revisedSince = (number: number, wanted: boolean) =>
  queryOptions({
    queryKey: ['revised', number],
    queryFn: () => api.ask<api.EditionRevised>(`/editions/${number}/revised`),
    enabled: wanted,
    retry: false,
  });

/** The address of an edition as a file, or as the page that is looked at. */
export const fileOf = (number: number, kind: 'pdf' | 'html' | 'xlsx' | 'zip') =>
  `/api/v1/editions/${number}/file.${kind}`;
export const pageOf = (number: number) => `/api/v1/editions/${number}/file/page`;

function useReportDoing<Asked, Found>(act: (asked: Asked) => Promise<Found>, done?: (found: Found) => void) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: async (found) => {
      done?.(found);
      await Promise.all(['reports', 'editions'].map((name) => cache.invalidateQueries({ queryKey: [name] })));
    },
  });
}

export const useMakingReport = (site: string, done: () => void) =>
  useReportDoing(
    (asked: { name: string; template: string }) => send<api.ReportOut>('POST', '/reports', { site, ...asked }),
    done,
  );
export const useDroppingReport = () => useReportDoing((number: number) => send('DELETE', `/reports/${number}`));
export const useDrafting = (done: (made: api.EditionOut) => void) =>
  useReportDoing((number: number) => send<api.EditionOut>('POST', `/reports/${number}/editions`), done);
export const useWriting = () =>
  useReportDoing(({ number, summary }: { number: number; summary: string[] }) =>
    send<api.EditionOut>('PATCH', `/editions/${number}`, { summary }),
  );
export const useApproving = () =>
  useReportDoing((number: number) => send<api.EditionOut>('POST', `/editions/${number}/approval`));
export const useDroppingEdition = (done: () => void) =>
  useReportDoing((number: number) => send('DELETE', `/editions/${number}`), done);
