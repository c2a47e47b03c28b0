/** Coming in and going out, and what is taken along on the clipboard. */
import { fireEvent, screen, waitFor } from '@testing-library/react';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { toClipboard } from '../src/mind/taking';
import { changed, last, press, refusing, told, type } from './changing';
import { KNOWN, ME, json, open, service, waits } from './service';

afterEach(() => {
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

const NOBODY = { 'GET /me': json({ code: 'not-signed-in', title: 'Sign in.' }, 401) };
const enter = async () => {
  open('/');
  await screen.findByLabelText(/^Mail address/);
  type(/^Mail address/, 'ines@tallowlane.example');
  type(/^Password/, 'lamp-and-log');
  await press('Sign in');
};
const asked = { email: 'ines@tallowlane.example', password: 'lamp-and-log' };

describe('signing in', () => {
  it('leads to where one was going', async () => {
    const sent = changed({ ...NOBODY, 'POST /session': { ...ME, second_factor: false, today: '2026-03-20' } });
    await enter();
    expect(told([await last(sent, 1)])).toEqual([['POST /session', { ...asked, code: '' }]]);
    expect(await screen.findByRole('button', { name: 'Sign out' })).toBeVisible();
    expect(screen.queryByLabelText(/^Password/)).toBeNull();
  });

  it('that is refused says so, and keeps the address', async () => {
    changed({ ...NOBODY, 'POST /session': json({ code: 'wrong', title: 'Address or password is wrong.' }, 401) });
    await enter();
    expect(await screen.findByRole('alert')).toHaveTextContent('Address or password is wrong.');
    expect(screen.getByLabelText(/^Mail address/)).toHaveValue(asked.email);
  });

  it('asks for a code where one is needed, and for another where it was wrong', async () => {
    const answers: Record<string, unknown> = {
      ...NOBODY,
      'POST /session': json({ code: 'second-factor-needed', title: 'A code is needed.' }, 401),
    };
    const sent = changed(answers);
    await enter();
    expect(await screen.findByLabelText('Code of your authenticator')).toBeVisible();
    expect(screen.queryByRole('alert')).toBeNull();
    answers['POST /session'] = json({ code: 'code-wrong', title: 'The code is wrong.' }, 401);
    type('Code of your authenticator', '123456');
    await press('Sign in');
    expect((await last(sent, 2)).body).toEqual({ ...asked, code: '123456' });
    expect(await screen.findByRole('alert')).toHaveTextContent('The code is wrong.');
    expect(screen.getByLabelText('Code of your authenticator')).toBeVisible();
  });

  it('with a password that was forgotten asks whose it is, then sends a link', async () => {
    const sent = changed(NOBODY);
    open('/');
    await press('I have forgotten my password');
    expect(await screen.findByText('Whose? Type the address first.')).toBeVisible();
    expect(sent).toEqual([]);
    type(/^Mail address/, ' ines@tallowlane.example ');
    await press('I have forgotten my password');
    expect(told([await last(sent, 1)])).toEqual([['POST /password-resets', { email: asked.email }]]);
    expect(await screen.findByText(/a mail with a link is on its way/)).toBeVisible();
  });
});

describe('signing out', () => {
  const leave = async (answer: unknown) => {
    const gone = vi.fn();
    vi.stubGlobal('location', { ...window.location, assign: gone });
    const sent = changed({ 'DELETE /session': answer });
    open('/people');
    await press('Sign out');
    await last(sent, 1);
    return gone;
  };

  it('leads to the door, with nothing left of what was read', async () => {
    const gone = await leave(new Response(null, { status: 204 }));
    await waitFor(() => expect(gone).toHaveBeenCalledWith('/'));
  });

  it('that did not happen is told: somebody else may come to this browser', async () => {
    const gone = await leave(refusing('session', '', 'busy', 500));
    expect(await screen.findByRole('button', { name: 'Not signed out; try again' })).toBeEnabled();
    expect(gone).not.toHaveBeenCalled();
  });
});

describe('a text for the clipboard', () => {
  it('is put there where the browser has one for pages', async () => {
    const write = vi.fn(() => Promise.resolve());
    vi.stubGlobal('navigator', { clipboard: { writeText: write } });
    await toClipboard('one\ttwo');
    expect(write).toHaveBeenCalledWith('one\ttwo');
  });

  it('is selected and copied where pages come over plain HTTP, and nothing of it stays', async () => {
    vi.stubGlobal('navigator', {});
    const seen: string[] = [];
    document.execCommand = () => {
      seen.push((document.activeElement as HTMLTextAreaElement).value);
      return true;
    };
    await toClipboard('https://noctilum.example/s/abc');
    expect(seen).toEqual(['https://noctilum.example/s/abc']);
    expect(document.querySelector('textarea')).toBeNull();
  });

  it('that cannot be copied says what to do', async () => {
    vi.stubGlobal('navigator', {});
    document.execCommand = () => false;
    await expect(toClipboard('x')).rejects.toThrow('This browser lets the page copy nothing.');
    expect(document.querySelector('textarea')).toBeNull();
  });
});

it('keys work on views, not while somebody types, and can be turned off', async () => {
  service(waits, KNOWN);
  open('/people');
  await screen.findByRole('button', { name: 'Keys' });
  fireEvent.keyDown(document.body, { key: '?' });
  const dialog = await screen.findByRole('dialog', { name: 'Keys' });
  expect(dialog).toHaveTextContent('mark rows, put what is marked or in focus on the worklist');
  await press('Turn single keys off');
  await press('Close');
  await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
  fireEvent.keyDown(document.body, { key: '?' });
  expect(screen.queryByRole('dialog')).toBeNull();
  localStorage.clear();
});
