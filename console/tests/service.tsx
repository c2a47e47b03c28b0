/** The service as the console meets it: who is signed in and one site are known, whatever else is asked is as told. */
import { ThemeProvider } from '@mui/material/styles';
import { QueryClientProvider } from '@tanstack/react-query';
import { MemoryRouter } from 'react-router';
import { screen, waitFor } from '@testing-library/react';
import { expect, vi } from 'vitest';
import { App } from '../src/App';
import { Asking } from '../src/mind/asking';
import { theme } from '../src/skin/theme';
import { READINGS } from './asked';
import { described, referred, type Schema } from './models';
import { render } from './spoken';

export const SITE = '/sites/hivewright.example';
export const VIEWS = [
  '/',
  '/sources',
  '/imports',
  '/keeping',
  '/people',
  '/due',
  '/work',
  '/alerts',
  '/looks',
  ...[
    'overview',
    'queries',
    'pages',
    'places',
    'held',
    'fading',
    'reach',
    'unclicked',
    'device-gap',
    'clusters',
    'overlap',
    'reports',
    'reports/1/edit',
    'read/timeline',
    'ladder',
    'keywords',
    'keywords/1',
    'competitors',
    'competitors/rival.example',
    'rank-places',
    'features',
    'notes',
    'sets',
    'targets',
    'trials',
    'monthly',
  ].map((name) => `${SITE}/${name}`),
];
export const ME = { csrf: 'c', email: 'ines@tallowlane.example', id: 1, language: 'en', name: 'Ines', role: 'owner' };
export const KNOWN: Record<string, unknown> = {
  '/api/v1/me': { ...ME, second_factor: false, today: '2026-03-20' },
  '/api/v1/readings': READINGS,
  '/api/v1/sites/hivewright.example': {
    brand_terms: 'hivewright',
    client: 'hivewright',
    client_name: 'Hivewright',
    colour: '#35477D',
    host: 'hivewright.example',
    key: 'hivewright.example',
    session_value: null,
    sources: [],
    values: [],
  },
};

export type Says = (path: string, method?: string) => Promise<Response>;
export const json = (body: unknown, status = 200) =>
  new Response(JSON.stringify(body), { status, headers: { 'Content-Type': 'application/json' } });
export const waits: Says = () => new Promise(() => undefined);

/** Answers what is known, and whatever else is asked as told; gives the list of what was asked. */
export function service(says: Says, known: Record<string, unknown> = KNOWN): string[] {
  const asked: string[] = [];
  vi.stubGlobal('fetch', (address: string, { method = 'GET' }: RequestInit = {}) => {
    const { pathname } = new URL(address, 'http://console.example');
    asked.push(pathname);
    return method === 'GET' && pathname in known ? Promise.resolve(json(known[pathname])) : says(pathname, method);
  });
  return asked;
}

/** What is known but for one thing. */
export const without = (path: string) => Object.fromEntries(Object.entries(KNOWN).filter(([each]) => each !== path));

export function open(view: string) {
  const client = new Asking({ defaultOptions: { queries: { retry: false, refetchOnWindowFocus: false } } });
  return render(
    <ThemeProvider theme={theme}>
      <QueryClientProvider client={client}>
        <MemoryRouter initialEntries={[view]}>
          <App />
        </MemoryRouter>
      </QueryClientProvider>
    </ThemeProvider>,
  );
}

/** What is a text to the model, and a time by its name. */
function timed(name: string, full: boolean): string | undefined {
  if (name === 'month') return '2026-02';
  return full && name.endsWith('_at') ? '2026-03-15T09:00:00+00:00' : undefined;
}

/** Makes the emptiest answer that a model allows, or one in which everything is there once. */
function made(schema: Schema, full: boolean, depth = 0): unknown {
  if (schema.$ref) return made(referred(schema), full, depth);
  if (schema.anyOf) {
    const kinds = schema.anyOf;
    const none = kinds.find((each) => each.type === 'null');
    if (none && (!full || depth > 6)) return null;
    return made(
      kinds.find((each) => each !== none)!,
      full,
      depth,
    );
  }
  if (schema.const !== undefined) return schema.const;
  if (schema.enum) return schema.enum[0];
  if (schema.type === 'array') {
    const many = full && depth < 6 ? 1 : (schema.minItems ?? 0);
    return Array.from({ length: many }, () => made(schema.items ?? {}, full, depth + 1));
  }
  if (schema.properties) {
    const parts = Object.entries(schema.properties).map(([name, each]) => [
      name,
      timed(name, full) ?? made(each, full, depth + 1),
    ]);
    return Object.fromEntries(parts) as unknown;
  }
  if (schema.type === 'object') return {};
  if (schema.type === 'boolean') return full;
  if (schema.type === 'integer' || schema.type === 'number') return Math.max(full ? 1 : 0, schema.minimum ?? 0);
  if (schema.format === 'date') return '2026-03-15';
  if (schema.format === 'date-time') return '2026-03-15T09:00:00+00:00';
  return full ? 'text' : '';
}

/** Answers whatever is asked by the model that the document names for it. */
export const modelled =
  (full: boolean): Says =>
  (path, method = 'GET') => {
    const said = Object.entries(described(path, method)?.responses ?? {}).find(([code]) => code.startsWith('2'));
    if (!said) return Promise.resolve(json({ code: 'no-model', title: `No model: ${method} ${path}` }, 500));
    const [code, { content }] = said;
    const schema = content?.['application/json']?.schema;
    const body = code === '204' ? null : JSON.stringify(schema ? made(schema, full) : 'text');
    return Promise.resolve(
      new Response(body, { status: Number(code), headers: { 'Content-Type': 'application/json' } }),
    );
  };

/** Opens a view and waits until it stands: nothing went wrong, and no figure is none. */
export async function stands(view: string) {
  const { container } = open(view);
  await waitFor(() => expect(document.querySelector('h1')).not.toBeNull());
  await waitFor(() => expect(document.querySelector('[aria-busy=true]')).toBeNull());
  const told = screen.queryAllByRole('alert').map((each) => each.textContent);
  expect(told.filter((each) => each !== 'text').join()).toBe('');
  expect(container.textContent).not.toMatch(/\b(NaN|undefined|Infinity|Invalid Date|\[object Object\])\b/);
}
