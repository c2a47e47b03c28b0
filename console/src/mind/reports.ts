/** Templates, reports and editions: what is asked for, and what can be done. */
import { keepPreviousData, queryOptions, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
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

export const allEditions = queryOptions({
  queryKey: ['editions', ''],
  queryFn: () => api.ask<api.EditionOut[]>('/editions'),
});

export const edition = (number: number) =>
  queryOptions({
    queryKey: ['edition', number],
    queryFn: () => api.ask<api.EditionOut>(`/editions/${number}`),
    enabled: number > 0,
  });

/** Every report where it stands; asked for again every few seconds, as work goes on by itself. */
export const due = queryOptions({
  queryKey: ['due'],
  queryFn: () => api.ask<api.DueLine[]>('/due'),
  refetchInterval: 5000,
});

export const deliveries = (number: number, wanted: boolean) =>
  queryOptions({
    queryKey: ['deliveries', number],
    queryFn: () => api.ask<api.DeliveryOut[]>(`/editions/${number}/deliveries`),
    enabled: wanted,
    refetchInterval: 5000,
  });

export const lookedOver = (site: string, template: string) =>
  queryOptions({
    queryKey: ['report-look', site, template],
    queryFn: () => send<api.ReportLook>('POST', `/sites/${api.siteKey(site)}/report-look`, { template }),
    enabled: template !== '',
    placeholderData: keepPreviousData,
    retry: false,
  });

export const useRevisedSince = (number: number, wanted: boolean) =>
  useQuery({
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
      await Promise.all(
        ['reports', 'editions', 'edition', 'due', 'deliveries'].map((name) =>
          cache.invalidateQueries({ queryKey: [name] }),
        ),
      );
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

/** What is changed of a report: when it is due, whom it goes to. */
export type Going = Pick<
  api.ReportOut,
  'schedule' | 'weekend' | 'when_late' | 'wait_days' | 'approval' | 'recipients' | 'attach' | 'message' | 'paused'
>;

export const useChangingReport = (seen: api.ReportOut, done: () => void) =>
  useReportDoing((asked: Partial<Going>) => api.change<api.ReportOut>(`/reports/${seen.id}`, seen, asked), done);
export const useLookingAt = () =>
  useReportDoing((number: number) => send<api.EditionOut>('POST', `/editions/${number}/looks`));
export const useSending = () =>
  useReportDoing((number: number) => send<api.EditionOut>('POST', `/editions/${number}/sending`));
export const useApproveAndSend = (done: () => void) =>
  useReportDoing(async (asked: { number: number; send: boolean }) => {
    const signed = await send<api.EditionOut>('POST', `/editions/${asked.number}/approval`);
    return asked.send ? send<api.EditionOut>('POST', `/editions/${asked.number}/sending`) : signed;
  }, done);
export const useTestMail = () =>
  useReportDoing(({ number, to }: { number: number; to: string }) =>
    send<api.TestMailSent>('POST', `/editions/${number}/test-mail`, { to }),
  );
export const useAnsweringMail = () =>
  useReportDoing(({ number, arrived }: { number: number; arrived: boolean }) =>
    send<api.DeliveryOut>('POST', `/deliveries/${number}/answer`, { arrived }),
  );
export const useMakingDue = () => useReportDoing<undefined, api.Job>(() => send<api.Job>('POST', '/due'));
export const useMakingAnyway = () => useReportDoing((slot: number) => send('POST', `/due/${slot}/making`));
export const useSkipping = () => useReportDoing((slot: number) => send('DELETE', `/due/${slot}`));

/** Whom an edition went to; asked for only once it was sent. */
export const useDeliveries = (of: api.EditionOut) => useQuery(deliveries(of.id, of.state === 'sent'));

const sharesOf = (site: string) =>
  queryOptions({ queryKey: ['shares', site], queryFn: () => api.ask<api.ShareOut[]>('/shares', { site }) });

export const useShares = (site: string) => useQuery(sharesOf(site));

function useShareDoing<Asked>(act: (asked: Asked) => Promise<unknown>) {
  const cache = useQueryClient();
  return useMutation({ mutationFn: act, onSuccess: () => cache.invalidateQueries({ queryKey: ['shares'] }) });
}

export const useSharing = () => useShareDoing((asked: api.NewShare) => send<api.ShareOut>('POST', '/shares', asked));
export const useRevoking = () => useShareDoing((number: number) => send('DELETE', `/shares/${number}`));
