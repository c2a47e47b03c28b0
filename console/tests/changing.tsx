/** Changing things as a person does: what is typed, chosen and pressed, and what the service is then sent. */
import { act, fireEvent, screen, waitFor, within } from '@testing-library/react';
import { expect, vi } from 'vitest';
import { described, misfits } from './models';
import { KNOWN, json, modelled, open, type Says } from './service';

export interface Sent {
  what: string;
  body: unknown;
  /** The shape that the record had when it was seen, where that is told. */
  seen: string | null;
}

export const REFUSED = 'It was refused.';

/** Answers of the service by "METHOD path", without /api/v1; a function may answer each time otherwise. */
export type Answers = Record<string, unknown>;

/**
 * A service that keeps what it is sent, and holds each body to the model that its document names.
 * answers: what is said to some requests; a Response is said as it is. All else is answered by its model, in full.
 */
export function changed(answers: Answers = {}, says: Says = modelled(true), known = KNOWN): Sent[] {
  const sent: Sent[] = [];
  vi.stubGlobal('fetch', async (address: string, init: RequestInit = {}) => {
    const { pathname } = new URL(address, 'http://console.example');
    const method = init.method ?? 'GET';
    const what = `${method} ${pathname.replace('/api/v1', '')}`;
    const body = typeof init.body === 'string' ? (JSON.parse(init.body) as unknown) : undefined;
    if (method !== 'GET') {
      const seen = new Headers(init.headers).get('If-Match');
      const search = new URL(address, 'http://console.example').search;
      sent.push({ what: what + search, body, seen });
      const schema = described(pathname, method)?.requestBody?.content['application/json']?.schema;
      expect(described(pathname, method), `${what} is described`).toBeDefined();
      if (body !== undefined) expect(schema ? misfits(schema, body) : [`${what} takes no body`]).toEqual([]);
    }
    const answer = answers[what];
    if (answer instanceof Response) return answer.clone();
    if (typeof answer === 'function') return (answer as () => Promise<Response>)();
    if (answer !== undefined) return json(answer);
    return method === 'GET' && pathname in known ? json(known[pathname]) : says(pathname, method);
  });
  return sent;
}

/** What a service says that takes one field amiss. */
export const refusing = (field: string, why = REFUSED, code = 'not-so', status = 400) =>
  json({ code, title: 'That cannot be kept.', status, remedy: 'say it otherwise', fields: [{ field, why }] }, status);

/** Opens a view and waits until it stands. */
export async function opened(view: string) {
  const found = open(view);
  await waitFor(() => expect(document.querySelector('h1')).not.toBeNull());
  await waitFor(() => expect(document.querySelector('[aria-busy=true]')).toBeNull());
  return found;
}

/** The section, form or dialog of this name, in which the following is done. */
export const part = (name: string | RegExp, role = 'region') => within(screen.getByRole(role, { name }));
type Place = Pick<typeof screen, 'getByLabelText' | 'getByRole' | 'findByRole'>;

export function type(label: string | RegExp, text: string, where: Place = screen) {
  fireEvent.change(where.getByLabelText(label), { target: { value: text } });
}

/** Chooses of a list, be it the browser's own or a drawn one. */
export async function choose(label: string | RegExp, option: string | RegExp, where: Place = screen) {
  const field = where.getByRole('combobox', { name: label });
  if (field instanceof HTMLSelectElement) {
    const found = within(field).getByRole<HTMLOptionElement>('option', { name: option });
    fireEvent.change(field, { target: { value: found.value } });
    return;
  }
  fireEvent.mouseDown(field);
  fireEvent.click(await screen.findByRole('option', { name: option }));
  await waitFor(() => expect(screen.queryByRole('listbox')).toBeNull());
}

export async function press(name: string | RegExp, where: Place = screen, role = 'button') {
  const found = await where.findByRole(role, { name });
  await act(async () => {
    fireEvent.click(found);
  });
}

export const check = (name: string | RegExp, where: Place = screen) => press(name, where, 'checkbox');

/** Waits until so much was sent; gives the last of it. */
export async function last(sent: readonly Sent[], many = sent.length + 1): Promise<Sent> {
  await waitFor(() => expect(sent.length).toBeGreaterThanOrEqual(many));
  expect(sent).toHaveLength(many);
  return sent.at(-1)!;
}

/** What was sent in all, without what was seen of it. */
export const told = (sent: readonly Sent[]) =>
  sent.map(({ what, body }) => (body === undefined ? [what] : [what, body]));

export const valueOf = (label: string | RegExp, where: Place = screen) =>
  where.getByLabelText<HTMLInputElement>(label).value;
