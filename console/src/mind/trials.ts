/** Trials: those of a site, one as it stands, what one could show before it starts; planning and ending them. */
import { queryOptions, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import * as api from './api';
import { spoken } from './language';

export type Trial = api.TrialOut;
export type TrialKind = Trial['of'];
const language = () => (spoken() === 'en' ? undefined : spoken());

export const trials = (site: string) =>
  queryOptions({
    queryKey: ['trials', site],
    queryFn: () => api.ask<Trial[]>('/trials', { site: site.replaceAll('~', '/') }),
  });

export const trial = (site: string, number: number) =>
  queryOptions({
    queryKey: ['trial', site, number, spoken()],
    queryFn: () => api.ask<api.TrialRead>(`/sites/${api.siteKey(site)}/trials/${number}`, { language: language() }),
  });

export interface Asked {
  of: TrialKind;
  treated: readonly string[];
  weeks: number;
}

/** What a trial of these could show; asked when somebody wants to know. */
export const usePlanOf = (site: string, asked: Asked | undefined) =>
  useQuery({
    queryKey: ['trial-plan', site, asked, spoken()],
    queryFn: () =>
      api.ask<api.TrialPlan>(
        `/sites/${api.siteKey(site)}/trial-plan`,
        {},
        {
          method: 'POST',
          body: JSON.stringify({ ...asked, ...(language() ? { language: language() } : {}) }),
        },
      ),
    enabled: asked !== undefined && asked.treated.length > 0,
    retry: false,
  });

function useTrying<Said, Found>(act: (asked: Said) => Promise<Found>, done?: () => void) {
  const cache = useQueryClient();
  return useMutation({
    mutationFn: act,
    onSuccess: async () => {
      done?.();
      await Promise.all(['trials', 'trial'].map((name) => cache.invalidateQueries({ queryKey: [name] })));
    },
  });
}

export interface NewTrial extends Asked {
  site: string;
  name: string;
  what: string;
  control: readonly string[];
  starts: string;
}

export const usePlanning = (done: () => void) =>
  useTrying((asked: NewTrial) => api.send<Trial>('POST', '/trials', asked), done);

export const useEnding = () =>
  useTrying(({ of, on }: { of: Trial; on: string }) => api.change<Trial>(`/trials/${of.id}`, of, { ended_on: on }));

export const useDroppingTrial = (done: () => void) =>
  useTrying((of: Trial) => api.send('DELETE', `/trials/${of.id}`), done);
