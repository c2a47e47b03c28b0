/** People, their tokens and codes; what is kept, handed over and deleted for good. */
import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { changed, check, choose, last, opened, part, press, refusing, told, type, valueOf, REFUSED } from './changing';
import { KNOWN, ME, json } from './service';
import { longDay } from '../src/mind/words';

beforeEach(() => {
  vi.spyOn(window, 'confirm').mockReturnValue(true);
});
afterEach(() => {
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

describe('a user', () => {
  const users = () => part('Users');
  const NEW = { name: 'Jonas', email: 'jonas@tallowlane.example' };

  it('with a first password is added, without one invited; the fields are empty afterwards', async () => {
    const sent = changed();
    await opened('/people');
    type(/^Name/, NEW.name, users());
    type(/^Their mail address/, NEW.email, users());
    await press('Add a user', users());
    expect(told([await last(sent, 1)])).toEqual([
      ['POST /users/invitations', { ...NEW, role: 'analyst', clients: [] }],
    ]);
    await waitFor(() => expect(valueOf(/^Name/, users())).toBe(''));
    type(/^Name/, NEW.name, users());
    type(/^Their mail address/, NEW.email, users());
    type(/^Their first password/, 'lantern-and-wick', users());
    await choose(/^Role/, /^owner/, users());
    await press('Add a user', users());
    expect(told([await last(sent, 2)])).toEqual([
      ['POST /users', { ...NEW, password: 'lantern-and-wick', role: 'owner', clients: [] }],
    ]);
    await waitFor(() => expect(valueOf(/^Their first password/, users())).toBe(''));
  });

  it('who reads is given clients of the list', async () => {
    const sent = changed();
    await opened('/people');
    type(/^Name/, NEW.name, users());
    type(/^Their mail address/, NEW.email, users());
    await choose(/^Role/, /^reader/, users());
    expect(users().getByText('One at least.')).toBeVisible();
    fireEvent.mouseDown(users().getByRole('combobox', { name: /^For which clients/ }));
    fireEvent.click(await screen.findByRole('option', { name: 'text' }));
    fireEvent.keyDown(screen.getByRole('listbox'), { key: 'Escape' });
    await waitFor(() => expect(screen.queryByRole('listbox')).toBeNull());
    await press('Add a user', users());
    expect((await last(sent, 1)).body).toEqual({ ...NEW, role: 'reader', clients: ['text'] });
  });

  it('that is refused stays as typed, told at the field', async () => {
    changed({ 'POST /users/invitations': refusing('email') });
    await opened('/people');
    type(/^Name/, NEW.name, users());
    type(/^Their mail address/, NEW.email, users());
    await press('Add a user', users());
    expect(await screen.findByText(REFUSED)).toBeVisible();
    expect(users().getByLabelText(/^Their mail address/)).toBeInvalid();
    expect(valueOf(/^Name/, users())).toBe('Jonas');
  });

  it('is made analyst or owner, and removed only when that is confirmed', async () => {
    const asking = vi.spyOn(window, 'confirm').mockReturnValue(false);
    const user = {
      id: 1,
      name: 'text',
      email: 'text',
      role: 'owner',
      clients: null,
      created_at: '2026-03-15T09:00:00Z',
    };
    const sent = changed({ 'GET /users': [user] });
    await opened('/people');
    await press('Make analyst: text');
    expect(told([await last(sent, 1)])).toEqual([['PATCH /users/1', { role: 'analyst' }]]);
    await press('Remove text');
    expect(sent).toHaveLength(1);
    asking.mockReturnValue(true);
    await press('Remove text');
    expect(told([await last(sent, 2)])).toEqual([['DELETE /users/1']]);
    expect(asking).toHaveBeenLastCalledWith('Remove text? Their tokens and sign-ins end at once.');
  });

  it('is no matter of an analyst', async () => {
    changed({}, undefined, { ...KNOWN, '/api/v1/me': { ...ME, role: 'analyst', second_factor: false } });
    await opened('/people');
    expect(screen.queryByRole('region', { name: 'Users' })).toBeNull();
    expect(screen.getByRole('region', { name: 'Tokens' })).toBeVisible();
  });
});

describe('a token', () => {
  const box = () => part('Tokens');

  it('is shown once, holds as long as said, and is revoked when confirmed', async () => {
    const sent = changed();
    await opened('/people');
    type(/^What the token is for/, 'nightly copy', box());
    await press('Make a token', box());
    expect((await last(sent, 1)).body).toEqual({ label: 'nightly copy', days: null });
    expect(await box().findByText(/Shown this once/)).toBeVisible();
    await waitFor(() => expect(valueOf(/^What the token is for/, box())).toBe(''));
    type(/^What the token is for/, 'reader', box());
    type(/^Days it holds/, '30', box());
    await press('Make a token', box());
    expect((await last(sent, 2)).body).toEqual({ label: 'reader', days: 30 });
    await press('Revoke text', box());
    expect(told([await last(sent, 3)])).toEqual([['DELETE /tokens/1']]);
  });
});

describe('what lets one in', () => {
  it('a password is changed, and nothing of it stays in the page', async () => {
    const sent = changed();
    await opened('/people');
    const box = part('My password');
    type(/^The old one/, 'lamp-and-log', box);
    type(/^The new one/, 'wick-and-tallow', box);
    await press('Change it', box);
    expect((await last(sent, 1)).body).toEqual({ old: 'lamp-and-log', new: 'wick-and-tallow' });
    expect(await box.findByText('Changed.')).toBeVisible();
    await waitFor(() => expect([valueOf(/^The old one/, box), valueOf(/^The new one/, box)]).toEqual(['', '']));
  });

  it('a password that is too common is refused at its field', async () => {
    changed({ 'PUT /me/password': refusing('new') });
    await opened('/people');
    const box = part('My password');
    type(/^The old one/, 'lamp-and-log', box);
    type(/^The new one/, 'password', box);
    await press('Change it', box);
    expect(await screen.findByText(REFUSED)).toBeVisible();
    expect(box.getByLabelText(/^The new one/)).toBeInvalid();
    expect(box.queryByText('Changed.')).toBeNull();
  });

  it('a second factor is begun, shown, and turned on by a code of it', async () => {
    const begun = { secret: 'ABCD EFGH', picture: '<svg viewBox="0 0 1 1"></svg>' };
    const sent = changed({ 'POST /me/second-factor': begun });
    await opened('/people');
    const box = part('Second factor');
    expect(box.queryByLabelText(/^A code of it/)).toBeNull();
    await press('Begin one', box);
    expect(await box.findByText('ABCD EFGH')).toBeVisible();
    const picture = box.getByRole<HTMLImageElement>('img').src;
    expect(decodeURIComponent(picture)).toContain('<svg xmlns="http://www.w3.org/2000/svg" viewBox');
    type(/^A code of it/, '123456', box);
    await press('Turn it on', box);
    expect(told([await last(sent, 2)])).toEqual([['PUT /me/second-factor', { code: '123456' }]]);
    await waitFor(() => expect(valueOf(/^A code of it/, box)).toBe(''));
  });

  it('a second factor that is on is turned off by a code', async () => {
    const known = { ...KNOWN, '/api/v1/me': { ...ME, second_factor: true, today: '2026-03-20' } };
    const sent = changed({ 'POST /me/second-factor/end': refusing('code') }, undefined, known);
    await opened('/people');
    const box = part('Second factor');
    expect(box.queryByRole('button', { name: 'Begin one' })).toBeNull();
    type(/^A code of it/, '000000', box);
    await press('Turn it off', box);
    expect((await last(sent, 1)).body).toEqual({ code: '000000' });
    expect(await box.findByText(REFUSED)).toBeVisible();
  });

  it('sign-ins end one by one or all but this one', async () => {
    const one = {
      id: 1,
      user: 'Ines',
      address: '10.0.0.1',
      seen_at: '2026-03-15T09:00:00Z',
      until: '2026-03-29T09:00:00Z',
    };
    const agents = [
      'Mozilla/5.0 (Windows NT 10.0) AppleWebKit/537.36 Chrome/120 Safari/537.36 Edg/120',
      'Mozilla/5.0 (iPhone; CPU iPhone OS 17_0 like Mac OS X) Version/17.0 Safari/604.1',
      'Mozilla/5.0 (X11; Linux x86_64; rv:120.0) Gecko/20100101 Firefox/120.0',
      '',
    ];
    const all = agents.map((agent, n) => ({ ...one, id: n + 1, agent, this: n === 0 }));
    const sent = changed({ 'GET /sign-ins': all });
    await opened('/people');
    const box = part('Signed in');
    const rows = box.getAllByRole('row').slice(1);
    expect(rows.map((row) => within(row).getAllByRole('cell')[1]!.textContent)).toEqual([
      'Edge on Windows',
      'Safari on iPhone',
      'Firefox on Linux',
      '–',
    ]);
    expect(within(rows[0]!).queryByRole('button')).toBeNull();
    fireEvent.click(within(rows[1]!).getByRole('button'));
    await last(sent, 1);
    await press('End all my others', box);
    await last(sent, 2);
    expect(told(sent)).toEqual([['DELETE /sign-ins/2'], ['DELETE /sign-ins']]);
  });

  it('passkeys are not offered where an address has no name', async () => {
    changed();
    await opened('/people');
    const box = part('Passkeys');
    expect(box.getByText(/A passkey is of a name/)).toBeVisible();
    expect(box.queryByRole('button', { name: 'Add a passkey' })).toBeNull();
    expect(box.getByRole('button', { name: 'Drop the passkey text' })).toBeVisible();
  });
});

describe('keeping', () => {
  const CLIENT = {
    key: 'hivewright',
    name: 'Hivewright',
    keep_months: null,
    sites: [{ key: 'hivewright.example', host: 'hivewright.example' }],
  };
  const clients = (more: object = {}) => ({ 'GET /clients': [{ ...CLIENT, ...more }] });
  const MONTHS = /^Months of history kept for Hivewright/;

  it('months of history are limited, and the limit is taken away', async () => {
    const sent = changed(clients());
    await opened('/keeping');
    expect(screen.queryByRole('button', { name: 'Keep only these' })).toBeNull();
    type(MONTHS, '36');
    expect(screen.getByText('Older days go at night, for good.')).toBeVisible();
    await press('Keep only these');
    expect(told([await last(sent, 1)])).toEqual([['PATCH /clients/hivewright', { keep_months: 36 }]]);
  });

  it.each([
    ['-1', 'No fewer than 0 months.'],
    ['1201', 'No more than 1,200 months.'],
  ])('%s months are not', async (months, why) => {
    const sent = changed(clients({ keep_months: 24 }));
    await opened('/keeping');
    type(MONTHS, months);
    await press('Keep only these');
    expect(await screen.findByText(why)).toBeVisible();
    expect(sent).toEqual([]);
    type(MONTHS, '');
    await press('Keep for ever');
    expect((await last(sent, 1)).body).toEqual({ keep_months: 0 });
  });

  it('a client is deleted only when its key is typed', async () => {
    const sent = changed(clients());
    await opened('/keeping');
    await press('Delete… Hivewright');
    const dialog = part('Delete Hivewright for good', 'dialog');
    expect(dialog.getByText(/The whole history of hivewright.example goes/)).toBeVisible();
    expect(dialog.getByRole('button', { name: 'Delete for good' })).toBeDisabled();
    type('Type hivewright to go on', 'Hivewright', dialog);
    expect(dialog.getByRole('button', { name: 'Delete for good' })).toBeDisabled();
    type('Type hivewright to go on', 'hivewright', dialog);
    await press('Delete for good', dialog);
    expect(told([await last(sent, 1)])).toEqual([['DELETE /clients/hivewright?confirm=hivewright']]);
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
  });

  it('a site that cannot be deleted now stays in its dialog, with the reason', async () => {
    changed({ ...clients(), 'DELETE /sites/hivewright.example': refusing('confirm', REFUSED, 'busy', 409) });
    await opened('/keeping');
    await press('Delete… hivewright.example');
    const dialog = part('Delete hivewright.example for good', 'dialog');
    type('Type hivewright.example to go on', 'hivewright.example', dialog);
    await press('Delete for good', dialog);
    expect(await dialog.findByRole('alert')).toHaveTextContent('That cannot be kept.');
    await press('Keep it', dialog);
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
  });

  it('is no matter of an analyst, who sees how long it is', async () => {
    const known = { ...KNOWN, '/api/v1/me': { ...ME, role: 'analyst' } };
    changed(clients({ keep_months: 24 }), undefined, known);
    await opened('/keeping');
    expect(screen.getByText('for 24 months')).toBeVisible();
    expect(screen.queryByRole('button', { name: /^Delete…/ })).toBeNull();
    expect(screen.queryByLabelText('Hand-over file')).toBeNull();
  });

  const job = (more: object) => ({ id: 4, state: 'done', done: 1, due: 1, rows: 0, stopping: false, ...more });

  it('a check tells what it found, and what of it is put right', async () => {
    const wrong = {
      site: 'hivewright.example',
      text: 'A block is damaged.',
      first: '2026-01-02',
      last: '2026-01-05',
      remedy: 'Pull them again.',
    };
    const result = { sites: 3, days: 1200, findings: [wrong], taken_out: 4, pulls: [1] };
    const sent = changed({ ...clients(), 'POST /verifies': job({ state: 'queued' }), 'GET /jobs/4': job({ result }) });
    await opened('/keeping');
    await check(/take damaged days out/);
    await press('Check everything');
    expect((await last(sent, 1)).body).toEqual({ repair: true });
    const found = await screen.findByText(/3 sites and 1,200 ledger rows checked: 1 found wrong./);
    expect(found).toHaveTextContent('4 days were taken out; 1 pull brings that back.');
    expect(
      screen.getByText(`hivewright.example: A block is damaged. (${longDay('2026-01-02')} – ${longDay('2026-01-05')})`),
    ).toBeVisible();
  });

  it('a hand-over is written while one waits, then fetched', async () => {
    const answers: Record<string, unknown> = {
      ...clients(),
      'POST /sites/hivewright.example/hand-overs': job({ state: 'queued' }),
      'GET /jobs/4': job({ state: 'running', done: 1, due: 4 }),
    };
    const sent = changed(answers);
    await opened('/keeping');
    await press('Write the file of hivewright.example');
    expect(await screen.findByRole('progressbar', { name: 'Writing hivewright.example' })).toHaveAttribute(
      'aria-valuenow',
      '25',
    );
    await press('Cancel: Writing hivewright.example');
    await last(sent, 2);
    expect(told(sent)).toEqual([['POST /sites/hivewright.example/hand-overs'], ['DELETE /jobs/4']]);
    answers['GET /jobs/4'] = job({ result: { file: 'hivewright.zip', rows: 12, bytes: 3400 } });
    const link = await screen.findByRole('link', { name: 'hivewright.zip' });
    expect(link).toHaveAttribute('href', '/api/v1/jobs/4/file');
    expect(screen.getByText('12 rows, 3,400 bytes; kept here for two days')).toBeVisible();
  });

  it('work that fails says why where it was begun', async () => {
    const failed = job({ state: 'failed', fault: 'The disk is full.' });
    changed({ ...clients(), 'POST /verifies': failed, 'GET /jobs/4': failed });
    await opened('/keeping');
    await press('Check everything');
    expect(await screen.findByRole('alert')).toHaveTextContent('The disk is full.');
    expect(screen.getByRole('button', { name: 'Check everything' })).toBeEnabled();
  });

  it('a file handed over is sent, then taken in for whom it is', async () => {
    const upload = vi.fn();
    class Request {
      upload = {} as { onprogress?: (event: { total: number; loaded: number }) => void };
      status = 201;
      responseText = JSON.stringify({ id: 'u1' });
      onload = () => undefined;
      open = upload;
      setRequestHeader() {}
      send(file: File) {
        this.upload.onprogress?.({ total: 4, loaded: file.size });
        this.onload();
      }
    }
    vi.stubGlobal('XMLHttpRequest', Request);
    const came = {
      site: 'hivewright.example',
      client: 'hivewright',
      days: 90,
      first: '2026-01-01',
      last: '2026-03-31',
    };
    const sent = changed({ ...clients(), 'POST /hand-overs': { ...came, locked: [1, 2] } });
    await opened('/keeping');
    const box = part('Take a hand-over in');
    await choose('For', 'Hivewright', box);
    fireEvent.change(box.getByLabelText('Hand-over file'), { target: { files: [new File(['abcd'], 'a b.zip')] } });
    expect((await last(sent, 1)).body).toEqual({ upload: 'u1', client: 'hivewright' });
    expect(upload).toHaveBeenCalledWith('POST', '/api/v1/uploads?name=a+b.zip');
    const said = await box.findByText(/hivewright.example came in for hivewright: 90 days/);
    expect(said).toHaveTextContent(`90 days, ${longDay('2026-01-01')} – ${longDay('2026-03-31')}.`);
    expect(said).toHaveTextContent('Enter the secrets of its 2 sources');
  });

  it('what was deleted for good is told by how much went', async () => {
    const went = { days: 1200, rows: 34000, site: 'gone.example' };
    const gone = { at: '2026-03-15T09:00:00Z', who: 'Ines', what: 'gone.example', went };
    changed({ ...clients(), 'GET /erasures': [gone] });
    await opened('/keeping');
    const row = within(await screen.findByRole('region', { name: 'What went, as a table' })).getAllByRole('row')[1]!;
    expect(row).toHaveTextContent('1,200 days, 34,000 rows');
    expect(row).not.toHaveTextContent('gone.example,');
  });

  it('an agency without a client is told what to do', async () => {
    changed({ 'GET /clients': json([]) });
    await opened('/keeping');
    expect(screen.getByText('There is no client yet.')).toBeVisible();
    expect(screen.getByLabelText('Hand-over file')).toBeEnabled();
  });
});
