/** Webhooks: addresses that are told when something happens. */
import { queryOptions, useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import * as api from './api';

const webhooks = queryOptions({
  queryKey: ['webhooks'],
  queryFn: () => api.ask<api.WebhookOut[]>('/webhooks'),
  refetchInterval: (query) => (query.state.data?.some((each) => each.waiting > 0) ? 5_000 : false),
});

export const useWebhooks = () => useQuery(webhooks);

export type WebhookAsked = Pick<api.NewWebhook, 'url' | 'label' | 'time_zone' | 'quiet_from' | 'quiet_to'> & {
  events: NonNullable<api.NewWebhook['events']>;
};

export const EVENTS: WebhookAsked['events'] = ['alert.opened', 'alert.closed', 'edition.approved', 'edition.sent'];

function useSeeingTo<Asked, Answer>(mutationFn: (asked: Asked) => Promise<Answer>) {
  const cache = useQueryClient();
  return useMutation({ mutationFn, onSuccess: () => cache.invalidateQueries({ queryKey: webhooks.queryKey }) });
}

export const useAddingWebhook = () =>
  useSeeingTo((asked: WebhookAsked) => api.send<api.WebhookMade>('POST', '/webhooks', asked));
export const useTryingWebhook = () => useSeeingTo((number: number) => api.send('POST', `/webhooks/${number}/try`));
export const useDroppingWebhook = () => useSeeingTo((number: number) => api.send('DELETE', `/webhooks/${number}`));
