/** Every view while its answers are on their way, where they fail, and where they hold next to nothing. */
import { act, fireEvent, screen, waitFor } from '@testing-library/react';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { KNOWN, ME, SITE, VIEWS, json, modelled, open, service, stands, waits, without, type Says } from './service';

const FAULT = { code: 'store-broken', title: 'The history cannot be read.', remedy: 'run `noctilum verify`' };
const ITSELF = '/api/v1/sites/hivewright.example';
const fails: Says = () => Promise.resolve(json(FAULT, 500));
const gone: Says = () => Promise.reject(new TypeError('connection refused'));

const busy = () => document.querySelectorAll('[aria-busy=true]').length;

afterEach(() => {
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

describe.each(VIEWS)('%s', (view) => {
  it('says what went wrong and what to do, and asks again when told to', async () => {
    const asked = service(fails);
    open(view);
    const notes = await screen.findAllByRole('alert');
    expect(notes[0]).toHaveTextContent(FAULT.title);
    expect(notes[0]).toHaveTextContent('Run `noctilum verify`.');
    await waitFor(() => expect(busy()).toBe(0));
    const before = asked.length;
    const again = screen.getAllByRole('button', { name: 'Try again' });
    await act(async () => fireEvent.click(again[0]!));
    expect(asked.length).toBeGreaterThan(before);
  });

  it('shows that it is reading', async () => {
    const asked = service(waits);
    open(view);
    await waitFor(() => expect(asked.some((path) => !(path in KNOWN))).toBe(true));
    await waitFor(() => expect(busy()).toBeGreaterThan(0));
    expect(screen.getAllByText('Reading…').length).toBeGreaterThan(0);
    expect(screen.queryByRole('alert')).toBeNull();
  });

  // the seven steps of a month are always there, and each stands on a reading of the catalogue
  it.skipIf(view.endsWith('/monthly'))('stands on the emptiest answers that models allow', async () => {
    service(modelled(false));
    await stands(view);
  });
});

it.each(['/', '/people', `${SITE}/overview`])('%s says that the service is gone', async (view) => {
  service(gone);
  open(view);
  const notes = await screen.findAllByRole('alert');
  expect(notes[0]).toHaveTextContent('The service cannot be reached.');
});

describe('what all views stand on', () => {
  it('tells a site that cannot be read from one that is not there', async () => {
    service((path) => (path === ITSELF ? fails(path) : waits(path)), without(ITSELF));
    const broken = open(`${SITE}/monthly`);
    expect(await screen.findByRole('alert')).toHaveTextContent(FAULT.title);
    expect(screen.getByRole('heading', { level: 1 })).toHaveTextContent('hivewright.example');
    const asked = service(waits);
    await act(async () => fireEvent.click(screen.getByRole('button', { name: 'Try again' })));
    await waitFor(() => expect(screen.queryByRole('alert')).toBeNull());
    await waitFor(() => expect(asked).toContain('/api/v1/clients/hivewright/monthly'));
    broken.unmount();

    const absent = () => Promise.resolve(json({ code: 'no-such-site', title: 'There is none.' }, 404));
    service((path) => (path === ITSELF ? absent() : waits(path)), without(ITSELF));
    open(`${SITE}/monthly`);
    expect(await screen.findByText('There is no site hivewright.example')).toBeVisible();
    expect(screen.queryByRole('alert')).toBeNull();
  });

  it('says that columns cannot be told, where tables would have none', async () => {
    service((path) => (path === '/api/v1/readings' ? fails(path) : waits(path)), without('/api/v1/readings'));
    open(`${SITE}/fading`);
    expect(await screen.findByRole('alert')).toHaveTextContent(FAULT.title);
    service(waits);
    await act(async () => fireEvent.click(screen.getByRole('button', { name: 'Try again' })));
    await waitFor(() => expect(screen.queryByRole('alert')).toBeNull());
  });

  it('shows the door to whom nobody knows, and what is wrong where that cannot be asked', async () => {
    service(() => Promise.resolve(json({ code: 'not-signed-in', title: 'Sign in.' }, 401)), {});
    const door = open('/');
    expect(await screen.findByLabelText(/Mail address/)).toBeVisible();
    door.unmount();
    service(gone, {});
    open('/');
    expect(await screen.findByRole('alert')).toHaveTextContent('The service cannot be reached.');
  });

  it('gives a reader a portal of their own, with its failures told', async () => {
    const asked = service(fails, { ...KNOWN, '/api/v1/me': { ...ME, role: 'reader' } });
    open('/');
    expect((await screen.findAllByRole('alert'))[0]).toHaveTextContent(FAULT.title);
    expect(asked).not.toContain('/api/v1/portfolio');
  });

  it('keeps what breaks to its own place, until another view is gone to', async () => {
    vi.spyOn(console, 'error').mockImplementation(() => undefined);
    service(modelled(false));
    open(`${SITE}/monthly`);
    expect(await screen.findByText('Something went wrong in this page.')).toBeVisible();
    await act(async () => fireEvent.click(screen.getByRole('link', { name: 'Sources' })));
    expect(await screen.findByRole('heading', { level: 1, name: /source/i })).toBeVisible();
    expect(screen.queryByText('Something went wrong in this page.')).toBeNull();
  });

  it('says that an address leads nowhere', async () => {
    service(waits);
    open('/nowhere/at/all');
    expect(await screen.findByText('There is nothing here')).toBeVisible();
  });
});
