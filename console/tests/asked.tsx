/** Rendering parts that ask the service: what it would say is given, and nothing is fetched. */
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { catalogue, type Column, type Reading } from '../src/mind/catalogue';
import { render as plain } from './spoken';

const column = (path: string[], how: string): Column => ({
  name: path.join('_'),
  path,
  kind: 'count',
  title: path.at(-1) ?? '',
  group: '',
  titled_by: '',
  how,
  better: null,
  decimals: null,
  signed: false,
  shown: true,
});

export const READINGS: Reading[] = [
  {
    name: 'timeline',
    group: 'Read',
    summary: '',
    about: '',
    path: 'timeline',
    compares: true,
    paged: '',
    parameters: [],
    by: [],
    figures: [column(['now', 'clicks'], 'Clicks as the provider counted them, summed over held days.')],
    tables: [{ name: '', rows: 'points', columns: [] }],
  },
];

export function asked(children: ReactNode) {
  const client = new QueryClient({ defaultOptions: { queries: { staleTime: Infinity, retry: false } } });
  client.setQueryData(catalogue().queryKey, READINGS);
  return <QueryClientProvider client={client}>{children}</QueryClientProvider>;
}

export const render = (children: ReactNode) => {
  const found = plain(asked(children));
  return { ...found, rerender: (next: ReactNode) => found.rerender(asked(next)) };
};
