/** What the sources of a site hold, of whatever kind, and where it is read. */
import { queryOptions } from '@tanstack/react-query';
import * as api from './api';

export const feeds = (site: string) =>
  queryOptions({
    queryKey: ['feeds', site],
    queryFn: () => api.ask<api.Feeds>(`/sites/${api.siteKey(site)}/feeds`),
    retry: false,
  });

/** The view in which a kind of source is read first. */
export const READ_IN: Readonly<Record<string, string>> = {
  visits: 'read/visits',
  links: 'read/backlinks',
  index: 'read/presence',
  sitemap: 'read/presence',
  facts: 'read/terms',
  lookups: 'ladder',
};
