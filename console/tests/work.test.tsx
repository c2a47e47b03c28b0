/** The worklist and what calls out: seen to, put off, done and dropped; who else is told, and by what rule. */
import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { changed, check, choose, last, opened, part, press, refusing, told, type, valueOf, REFUSED } from './changing';
import { KNOWN, ME, SITE, json } from './service';

beforeEach(() => {
  vi.spyOn(window, 'confirm').mockReturnValue(true);
});
afterEach(() => {
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

const ITEM = {
  id: 1,
  site: 'hivewright.example',
  of: 'page',
  key: '/guides/first-hive',
  todo: 'Rewrite it',
  why: 'It fades.',
  kind: 'refresh',
  owner: 'ines@tallowlane.example',
  due: '2026-03-10',
  state: 'to do',
  done_on: null,
  reason: '',
  baseline: { clicks: 1234 },
  tag: 'seen',
};
const items = (...more: object[]) => ({ 'GET /work': more.map((each, n) => ({ ...ITEM, id: n + 1, ...each })) });

describe('an item of the worklist', () => {
  it('is begun as it was seen', async () => {
    const sent = changed(items({}));
    await opened('/work');
    await press('Begin: /guides/first-hive');
    expect(await last(sent, 1)).toEqual({ what: 'PATCH /work/1', body: { state: 'doing' }, seen: '"seen"' });
  });

  it('is done on a day, or today without one', async () => {
    const sent = changed(items({ state: 'doing' }));
    await opened('/work');
    const row = within(screen.getByRole('row', { name: /first-hive/ }));
    expect(screen.queryByRole('button', { name: /^Begin/ })).toBeNull();
    await press('Done: /guides/first-hive');
    type(/^On/, '2026-03-12');
    await press('Done', row);
    expect((await last(sent, 1)).body).toEqual({ state: 'done', done_on: '2026-03-12' });
    await waitFor(() => expect(screen.queryByLabelText(/^On/)).toBeNull());
    await press('Done: /guides/first-hive');
    await press('Done', row);
    expect((await last(sent, 2)).body).toEqual({ state: 'done' });
  });

  it('is dropped for a reason', async () => {
    const sent = changed(items({}));
    await opened('/work');
    await press('Drop: /guides/first-hive');
    type(/^Reason/, 'The page goes.');
    await press('Drop', within(screen.getByRole('row', { name: /first-hive/ })));
    expect((await last(sent, 1)).body).toEqual({ state: 'dropped', reason: 'The page goes.' });
  });

  it('changed by somebody else meanwhile says so in its row', async () => {
    changed({ ...items({}), 'PATCH /work/1': refusing('state', REFUSED, 'changed-meanwhile', 412) });
    await opened('/work');
    await press('Begin: /guides/first-hive');
    const row = screen.getByRole('row', { name: /first-hive/ });
    expect(await within(row).findByRole('alert')).toHaveTextContent('That cannot be kept.');
  });

  it('that is over can be reopened, and deleted once it was dropped', async () => {
    const sent = changed(items({ state: 'dropped' }));
    await opened('/work?state=dropped');
    await press('Reopen: /guides/first-hive');
    await press('Delete: /guides/first-hive');
    await last(sent, 2);
    expect(told(sent)).toEqual([['PATCH /work/1', { state: 'to do' }], ['DELETE /work/1']]);
  });

  it('stands in the title when it is overdue, and leads to what it is about', async () => {
    const about = [
      { of: 'query', key: 'oak hive', due: '2026-03-25' },
      { of: 'set', key: 'Guides', due: null },
      { of: 'site', key: '', due: null },
    ];
    changed(items({}, ...about));
    await opened('/work');
    expect(screen.getByRole('heading', { level: 1 })).toHaveTextContent('4 items to do, 1 overdue');
    const links = screen.getAllByRole('rowheader').map((each) => within(each).getByRole('link').getAttribute('href'));
    expect(links).toEqual([
      `${SITE}/queries?page=%2Fguides%2Ffirst-hive`,
      `${SITE}/queries?item=oak%20hive`,
      `${SITE}/queries?filter=set%20%22Guides%22`,
      `${SITE}/overview`,
    ]);
  });

  it('that is done tells what came of it, or when that can be read', async () => {
    const done = { state: 'done', done_on: '2026-02-01' };
    const rows = [
      { number: 1, verdict: 'moved', moved: 0.25, ready: null },
      { number: 2, verdict: 'waits', moved: null, ready: '2026-03-30' },
    ];
    changed({ ...items(done, { ...done, key: '/b' }), [`GET ${SITE}/worked`]: { rows, sentences: [], cautions: [] } });
    await opened('/work?state=done');
    expect(await screen.findByText(/\+25/)).toHaveAttribute('href', `${SITE}/read/worked`);
    expect(screen.getByText(/^read on/)).toBeVisible();
  });

  it('is asked for by site, by whose it is, and by state', async () => {
    const asked: string[] = [];
    changed(items({}));
    const fetching = globalThis.fetch;
    vi.stubGlobal('fetch', (address: string, init?: RequestInit) => {
      if (address.includes('/work?')) asked.push(address.split('?')[1]!);
      return fetching(address, init);
    });
    await opened('/work?site=hivewright.example');
    await check('mine');
    await press('All');
    await waitFor(() => expect(asked.at(-1)).toContain('state=all'));
    expect(asked.map((each) => Object.fromEntries(new URLSearchParams(each)))).toEqual([
      { site: 'hivewright.example', state: 'open' },
      { site: 'hivewright.example', state: 'open', owner: ME.email },
      { site: 'hivewright.example', state: 'all', owner: ME.email },
    ]);
    expect(screen.getByRole('link', { name: 'Save as calendar' })).toHaveAttribute(
      'href',
      '/api/v1/worklist.ics?site=hivewright.example&owner=ines%40tallowlane.example&state=all',
    );
  });

  it('comes into a calendar by an address that is told once', async () => {
    const sent = changed({ ...items({}), 'POST /me/calendar': { address: 'https://noctilum.example/c/abc.ics' } });
    await opened('/work');
    await press('An address for my calendar');
    await last(sent, 1);
    expect(await screen.findByText('https://noctilum.example/c/abc.ics')).toBeVisible();
  });

  it('is put there from the keyboard about the site as a whole', async () => {
    const sent = changed();
    await opened(`${SITE}/overview`);
    fireEvent.keyDown(document.body, { key: 'w' });
    const dialog = part('Put on the worklist', 'dialog');
    expect(dialog.getByText('About the site as a whole: hivewright.example')).toBeVisible();
    expect(valueOf(/^Who does it/, dialog)).toBe(ME.email);
    type(/^What to do/, 'Ask for a sitemap', dialog);
    await choose(/^Kind of work/, 'technical', dialog);
    type(/^Who does it/, '', dialog);
    await press('Put on the list', dialog);
    expect(told([await last(sent, 1)])).toEqual([
      [
        'POST /work',
        {
          site: 'hivewright.example',
          of: 'site',
          todo: 'Ask for a sitemap',
          kind: 'technical',
          why: '',
          owner: null,
          due: null,
        },
      ],
    ]);
    expect(await screen.findByText('1 item put on the worklist.', { exact: false })).toBeVisible();
  });
});

const ALERT = {
  id: 1,
  site: 'hivewright.example',
  rule: 'page gone',
  key: '/guides/first-hive',
  text: 'It is found no more.',
  look: 'fading',
  sure: 'likely',
  state: 'open',
  until: null,
  by: null,
  reason: '',
  since: '2026-03-10',
  together: 1,
};
const alerts = (...more: object[]) => ({ 'GET /alerts': more.map((each, n) => ({ ...ALERT, id: n + 1, ...each })) });

describe('an alert', () => {
  it('is seen, put off for a week, or muted for a reason', async () => {
    const sent = changed(alerts({}));
    await opened('/alerts');
    await press('Seen: page gone /guides/first-hive');
    await press('Snooze a week: page gone /guides/first-hive');
    await press('Mute: page gone /guides/first-hive');
    await press('Mute', part('page gone hivewright.example'));
    expect(await screen.findByText('Why shall it be quiet?')).toBeVisible();
    type(/^Reason/, 'It moved.');
    await press('Mute', part('page gone hivewright.example'));
    await last(sent, 3);
    expect(told(sent)).toEqual([
      ['PATCH /alerts/1', { state: 'acknowledged', reason: '' }],
      ['PATCH /alerts/1', { state: 'snoozed', until: '2026-03-27', reason: '' }],
      ['PATCH /alerts/1', { state: 'muted', reason: 'It moved.' }],
    ]);
  });

  it('that is quiet can be let call again; one that is over cannot', async () => {
    const sent = changed(alerts({ state: 'muted', reason: 'It moved.', by: ME.email }, { state: 'closed', key: '/b' }));
    await opened('/alerts?state=all');
    await press('Let it call again: page gone /guides/first-hive');
    expect(told([await last(sent, 1)])).toEqual([['PATCH /alerts/1', { state: 'open', reason: '' }]]);
    expect(screen.queryByRole('button', { name: /\/b$/ })).toBeNull();
  });

  it('of several sites since the same days is told as perhaps one cause', async () => {
    const same = { rule: 'site fell', key: '', together: 2 };
    changed(
      alerts(
        same,
        { ...same, site: 'two.example', since: '2026-03-12' },
        { ...same, site: 'late.example', since: '2026-01-01' },
      ),
    );
    await opened('/alerts');
    const both = part(/, 2 sites$/);
    expect(both.getAllByRole('row')).toHaveLength(2);
    expect(both.getByRole('heading')).toHaveTextContent('perhaps one cause');
    expect(part('site fell late.example').getAllByRole('row')).toHaveLength(1);
    expect(screen.getByRole('heading', { level: 1 })).toHaveTextContent('3 alerts call out');
  });

  it('of many sites at once is kept as a dated note', async () => {
    const event = {
      day: '2026-03-11',
      fell: 5,
      rose: 1,
      looked_at: 12,
      usual: 0.4,
      on: 'clicks',
      ranks_too: 2,
      noted: [],
      sites: [{ site: 'two.example', share: -0.3, section: '/guides/' }],
    };
    const sent = changed({ ...alerts(), 'GET /fleet': { events: [event], sentences: [] } });
    await opened('/alerts');
    expect(await screen.findByText(/The ranks of 2 sites moved as well./)).toBeVisible();
    await press('Keep as a dated note');
    expect(told([await last(sent, 1)])).toEqual([
      [
        'POST /notes',
        { first: '2026-03-11', kind: 'engine update', text: 'An engine update, probably: 6 of 12 sites moved' },
      ],
    ]);
  });
});

describe('rules of alerts', () => {
  const RULE = { name: 'site fell', reading: 'alarms', condition: 'change < -0.2' };
  const rules = { ...alerts(), 'GET /alert-rules/shipped': [RULE], 'GET /alert-rules': json([]) };

  it('that ship are switched off by keeping a change of them', async () => {
    const sent = changed(rules);
    await opened('/alerts');
    await press('Switch off: site fell');
    expect(told([await last(sent, 1)])).toEqual([['POST /alert-rules', { name: 'site fell', on: false }]]);
  });

  it('that were changed are asked as they ship again, or switched as they were seen', async () => {
    const kept = { ...RULE, id: 4, tag: 't4', on: false, sites: [], lasting: 3, shipped: true };
    const sent = changed({ ...rules, 'GET /alert-rules': [kept] });
    await opened('/alerts');
    expect(await screen.findByText('3 days long')).toBeInTheDocument();
    await press('Switch on: site fell');
    expect(await last(sent, 1)).toEqual({ what: 'PATCH /alert-rules/4', body: { on: true }, seen: '"t4"' });
    await press('As it ships: site fell');
    expect(told([await last(sent, 2)])).toEqual([['DELETE /alert-rules/4']]);
  });

  it('of one’s own are added; the fields are empty afterwards', async () => {
    const sent = changed(rules);
    await opened('/alerts');
    await screen.findByText('1 rule is asked every night');
    const form = part('A rule of one’s own', 'form');
    const asked = { name: 'few keywords', reading: 'ladder', condition: 'rank > 20', key: 'term', window: 'P28D' };
    type(/^Rule/, asked.name, form);
    type(/^Reading/, asked.reading, form);
    type(/^Calls out where/, asked.condition, form);
    type(/^Column it is about/, asked.key, form);
    type(/^Window/, asked.window, form);
    await press('Keep', form);
    expect(told([await last(sent, 1)])).toEqual([['POST /alert-rules', asked]]);
    await waitFor(() => expect(valueOf(/^Rule/, form)).toBe(''));
  });

  it('whose condition cannot be read say so at the field', async () => {
    changed({ ...rules, 'POST /alert-rules': refusing('condition') });
    await opened('/alerts');
    await screen.findByText('1 rule is asked every night');
    const form = part('A rule of one’s own', 'form');
    type(/^Rule/, 'x', form);
    type(/^Reading/, 'ladder', form);
    type(/^Calls out where/, 'rank >', form);
    await press('Keep', form);
    expect(await form.findByText(REFUSED)).toBeInTheDocument();
    expect(valueOf(/^Calls out where/, form)).toBe('rank >');
  });
});

describe('other programs', () => {
  const HOOK = {
    id: 2,
    url: 'https://chat.example/h',
    label: 'Chat',
    events: ['alert.opened', 'something.new'],
    quiet_from: '22:00',
    quiet_to: '06:00',
    time_zone: 'Europe/London',
    waiting: 0,
    failed: 2,
    told_at: null,
    why: 'It answered 500.',
  };

  it('are told what they ask for, and not at night; the key is shown once', async () => {
    const sent = changed({ ...alerts(), 'GET /webhooks': json([]), 'POST /webhooks': { ...HOOK, secret: 'k-e-y' } });
    await opened('/alerts');
    const form = part('Another program to be told', 'form');
    type(/^Address/, HOOK.url, form);
    type(/^What it is for/, 'Chat', form);
    type(/^Quiet from/, '22:00', form);
    type(/^Quiet to/, '06:00', form);
    type(/^Time zone/, 'Europe/London', form);
    await check('An alert is over', form);
    await check('An edition is sent', form);
    await press('Tell it', form);
    expect(told([await last(sent, 1)])).toEqual([
      [
        'POST /webhooks',
        {
          url: HOOK.url,
          label: 'Chat',
          quiet_from: '22:00',
          quiet_to: '06:00',
          time_zone: 'Europe/London',
          events: ['alert.opened', 'edition.sent'],
        },
      ],
    ]);
    expect(await form.findByText('k-e-y')).toBeInTheDocument();
    await waitFor(() => expect(valueOf(/^Address/, form)).toBe(''));
  });

  it('are listed with how the last try went, tried, and dropped when that is confirmed', async () => {
    const asking = vi.spyOn(window, 'confirm').mockReturnValue(false);
    const sent = changed({ ...alerts(), 'GET /webhooks': [HOOK] });
    await opened('/alerts');
    const row = await screen.findByRole('row', { name: /Chat/, hidden: true });
    expect(row).toHaveTextContent('22:00 to 06:00, Europe/London');
    expect(row).toHaveTextContent('An alert calls out, something.new');
    expect(row).toHaveTextContent('neverIt answered 500.2 posts were given up');
    await press('Try Chat');
    await press('Take away: Chat');
    expect(sent).toHaveLength(1);
    asking.mockReturnValue(true);
    await press('Take away: Chat');
    await last(sent, 2);
    expect(told(sent)).toEqual([['POST /webhooks/2/try'], ['DELETE /webhooks/2']]);
  });

  it('are a matter of owners', async () => {
    changed(alerts(), undefined, { ...KNOWN, '/api/v1/me': { ...ME, role: 'analyst', today: '2026-03-20' } });
    await opened('/alerts');
    expect(screen.queryByRole('form', { name: 'Another program to be told' })).toBeNull();
  });
});

describe('a digest', () => {
  const OFF = { every: 'off', weekday: 'monday', at: '07:00', time_zone: 'UTC', quiet_from: null, quiet_to: null };

  it('comes every week on a day, with quiet hours or without', async () => {
    const sent = changed({ ...alerts(), 'GET /me/digest': { ...OFF, mail: true, next_at: null } });
    await opened('/alerts');
    await screen.findByText('By mail: no digest');
    const form = part('A digest by mail', 'form');
    expect(form.queryByLabelText(/^At/)).toBeNull();
    await choose(/^A digest/, 'every week', form);
    await choose(/^On/, /wednesday/i, form);
    type(/^At/, '08:30', form);
    type(/^Time zone/, 'Europe/Oslo', form);
    await press('Keep', form);
    const weekly = { every: 'week', weekday: 'wednesday', at: '08:30', time_zone: 'Europe/Oslo' };
    expect(told([await last(sent, 1)])).toEqual([['PUT /me/digest', { ...weekly, quiet_from: null, quiet_to: null }]]);
  });

  it('says that nothing is mailed while there is no server for it', async () => {
    const weekly = { ...OFF, every: 'week', mail: false, next_at: '2026-03-23T07:00:00Z' };
    changed({ ...alerts(), 'GET /me/digest': weekly });
    await opened('/alerts');
    expect(await screen.findByText(/No mail server is set up/)).toBeInTheDocument();
    expect(screen.getByText(/the next digest from/)).toBeInTheDocument();
  });
});
