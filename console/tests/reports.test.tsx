/** Reports from template to sent edition, shared pages, and the editor of their blocks. */
import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { NEW } from '../src/mind/editing';
import { changed, check, choose, last, opened, part, press, refusing, told, type, valueOf, REFUSED } from './changing';
import { SITE, json } from './service';

beforeEach(() => {
  vi.spyOn(window, 'confirm').mockReturnValue(true);
});
afterEach(() => {
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

const BLOCK = { ...NEW, kind: 'headline', order: '' };
const BODY = {
  blocks: [BLOCK, { ...BLOCK, kind: 'breakdown', title: 'Pages' }, { ...BLOCK, kind: 'text', commentary: 'Hello.' }],
  window: 'P1M',
  against: 'year',
  filter: '',
  paper: 'A4',
  season: true,
  cover: false,
};
const REPORT = {
  id: 7,
  tag: 'r7',
  site: 'hivewright.example',
  name: 'Monthly',
  template: 'A month',
  version: 2,
  changed: true,
  newer: 3,
  language: 'en',
  body: BODY,
  schedule: 'FREQ=MONTHLY;BYMONTHDAY=1;BYHOUR=7;BYMINUTE=0;BYSECOND=0',
  time_zone: 'UTC',
  weekend: 'next',
  when_late: 'wait',
  wait_days: 5,
  approval: true,
  paused: false,
  recipients: [{ name: 'Jo Hale', email: 'jo@hivewright.example' }],
  unsubscribed: ['old@hivewright.example'],
  attach: ['pdf'],
  message: '',
  coming: ['2026-04-01T07:00:00Z'],
};
const EDITION = {
  id: 5,
  report: 7,
  site: 'hivewright.example',
  name: 'Monthly',
  first: '2026-02-01',
  last: '2026-02-28',
  state: 'draft',
  summary: ['Clicks fell.'],
  made_by: 'Ines',
  made_at: '2026-03-02T09:00:00Z',
  looked_at: null,
  approved_by: null,
  approved_at: null,
  complete: true,
  blocks: [{ kind: 'fading', title: 'Fading pages', comes_in: false, why: 'nothing fades' }],
  to: 1,
  reached: 0,
};
const kept = (edition: object = {}, report: object = {}) => ({
  'GET /reports': [{ ...REPORT, ...report }],
  'GET /editions': [{ ...EDITION, ...edition }],
  'GET /editions/5': { ...EDITION, ...edition },
  'GET /shares': json([]),
  'GET /editions/5/deliveries': json([]),
});
const open = () => opened(`${SITE}/reports`);

describe('a report', () => {
  it('is made of a template, once it was seen what comes in', async () => {
    const look = {
      first: '2026-02-01',
      last: '2026-02-28',
      complete: false,
      title: 'February',
      blocks: [
        { kind: 'headline', title: 'At a glance', comes_in: true, why: '' },
        { kind: 'fading', title: 'Fading pages', comes_in: false, why: 'nothing fades' },
      ],
    };
    const sent = changed({
      ...kept(),
      'GET /templates': [{ id: 1, name: 'A month', version: 3, body: BODY, tag: 't' }],
      [`POST ${SITE}/report-look`]: look,
    });
    await open();
    const box = part('Make a report');
    await choose('template', 'A month', box);
    expect(await box.findByText(/not complete yet/)).toBeVisible();
    expect(box.getAllByRole('listitem').map((each) => each.textContent)).toEqual([
      '● At a glance',
      '○ Fading pages: nothing fades stays out',
    ]);
    await press('Make it', box);
    expect((await last(sent, 2)).body).toEqual({ site: 'hivewright.example', template: 'A month', name: 'A month' });
    await waitFor(() => expect(box.queryByRole('button', { name: 'Make it' })).toBeNull());
  });

  it('is drafted, and dropped with its editions when that is confirmed', async () => {
    const asking = vi.spyOn(window, 'confirm').mockReturnValue(false);
    const sent = changed(kept());
    await open();
    const box = part('Reports of this site');
    expect(box.getByText(/version 2, changed · version 3 is out/)).toBeVisible();
    await press('Draft an edition', box);
    await press('Drop Monthly with its editions', box);
    expect(sent).toHaveLength(1);
    asking.mockReturnValue(true);
    await press('Drop Monthly with its editions', box);
    await last(sent, 2);
    expect(told(sent)).toEqual([['POST /reports/7/editions'], ['DELETE /reports/7']]);
  });

  const begin = async () => {
    await open();
    const summary = screen.getByText(/monthly on 1 at 07:00/);
    expect(summary).toHaveTextContent('to 1 person');
    fireEvent.click(summary);
    await screen.findByLabelText(/^Recipients/);
    return part('Reports of this site');
  };

  it('is sent when and to whom it says; what is typed is read as it is meant', async () => {
    const sent = changed(kept());
    const box = await begin();
    expect(valueOf(/^Recipients/, box)).toBe('Jo Hale <jo@hivewright.example>');
    type(/^When it is due/, 'weekly on monday at 08:00', box);
    type(/^Recipients/, 'Jo Hale <jo@hivewright.example>\n\n  al@hivewright.example \n', box);
    type(/^Files with the mail/, 'zip, pdf doc', box);
    type(/^Wait so many days/, '3', box);
    await choose('On a weekend', 'moves to the weekday before', box);
    await choose('While days are missing', 'go out marked', box);
    await check(/signs it off/, box);
    await press('Keep', box);
    const { what, body, seen } = await last(sent, 1);
    expect([what, seen]).toEqual(['PATCH /reports/7', '"r7"']);
    expect(body).toEqual({
      schedule: 'weekly on monday at 08:00',
      weekend: 'previous',
      when_late: 'mark',
      wait_days: 3,
      approval: false,
      paused: false,
      recipients: [
        { name: 'Jo Hale', email: 'jo@hivewright.example' },
        { name: '', email: 'al@hivewright.example' },
      ],
      attach: ['pdf', 'zip'],
      message: '',
    });
    await waitFor(() => expect(screen.queryByLabelText(/^Recipients/)).toBeNull());
  });

  it('whose schedule cannot be read says so at the field, and keeps what was typed', async () => {
    changed({ ...kept(), 'PATCH /reports/7': refusing('schedule') });
    const box = await begin();
    type(/^When it is due/, 'every now and then', box);
    await press('Keep', box);
    expect(await box.findByText(REFUSED)).toBeVisible();
    expect(valueOf(/^When it is due/, box)).toBe('every now and then');
    expect(box.getByText(/No longer wanted by old@hivewright.example/)).toBeVisible();
  });
});

describe('an edition', () => {
  it('is written before it is signed off', async () => {
    const sent = changed(kept());
    await open();
    const box = part('The edition');
    expect(box.getByRole('button', { name: 'Save the summary' })).toBeDisabled();
    type(/^Summary/, 'Clicks fell.\n\nWe know why.\n', box);
    expect(box.getByRole('button', { name: 'Sign it off' })).toBeDisabled();
    await press('Save the summary', box);
    expect(told([await last(sent, 1)])).toEqual([['PATCH /editions/5', { summary: ['Clicks fell.', 'We know why.'] }]]);
    type(/^Summary/, 'Clicks fell.', box);
    await press('Sign it off', box);
    await press('Throw the draft away', box);
    await last(sent, 3);
    expect(told(sent).slice(1)).toEqual([['POST /editions/5/approval'], ['DELETE /editions/5']]);
  });

  it('that is signed can be had as files, is tested, then sent', async () => {
    const signed = { state: 'approved', approved_by: 'Ines', approved_at: '2026-03-02T10:00:00Z' };
    const sent = changed({ ...kept(signed), 'POST /editions/5/test-mail': { to: 'me@tallowlane.example' } });
    await open();
    const box = part('The edition');
    expect(box.queryByLabelText(/^Summary/)).toBeNull();
    expect(box.getAllByRole('link').map((each) => [each.textContent, each.getAttribute('href')])).toEqual([
      ['PDF', '/api/v1/editions/5/file.pdf'],
      ['HTML', '/api/v1/editions/5/file.html'],
      ['XLSX', '/api/v1/editions/5/file.xlsx'],
      ['CSV', '/api/v1/editions/5/file.zip'],
    ]);
    expect(box.getByRole('button', { name: 'Send a test' })).toBeDisabled();
    type('Where the test goes', ' me@tallowlane.example ', box);
    await press('Send a test', box);
    expect(await box.findByText('Sent to me@tallowlane.example.')).toBeVisible();
    await press('Send it', box);
    await last(sent, 2);
    expect(told(sent)).toEqual([
      ['POST /editions/5/test-mail', { to: 'me@tallowlane.example' }],
      ['POST /editions/5/sending'],
    ]);
  });

  it('that was sent tells what became of each mail, and asks where nobody knows', async () => {
    const mail = { name: 'Jo', email: 'jo@hivewright.example', sent_at: null, why: '' };
    const mails = [
      { ...mail, id: 1, state: 'sent', sent_at: '2026-03-02T10:00:00Z' },
      { ...mail, id: 2, state: 'failed', why: 'The server was away.' },
      { ...mail, id: 3, state: 'held' },
    ];
    const sent = changed({
      ...kept({ state: 'sent', approved_by: 'Ines', approved_at: '2026-03-02T10:00:00Z', reached: 1, to: 3 }),
      'GET /editions/5/deliveries': mails,
    });
    await open();
    const rows = within(await screen.findByRole('table', { name: 'Its mails' })).getAllByRole('row');
    expect(rows[0]).toHaveTextContent('taken by the server');
    expect(rows[1]).toHaveTextContent('could not be handed over The server was away.');
    await press('It arrived', within(rows[2]!));
    await press('It did not: send it again', within(rows[2]!));
    await press('Try again whom it did not reach');
    await last(sent, 3);
    expect(told(sent)).toEqual([
      ['POST /deliveries/3/answer', { arrived: true }],
      ['POST /deliveries/3/answer', { arrived: false }],
      ['POST /editions/5/sending'],
    ]);
    expect(part('Editions').getByText('sent to 1 of 3')).toBeVisible();
  });

  it.each([
    [{ same: true, changed: [] }, 'Nothing it shows was revised since.'],
    [
      { same: false, changed: [{ block: 'headline', what: 'clicks', then: '12', now: '14' }] },
      'headline: clicks: 12 → 14',
    ],
  ])('says what was revised since: %o', async (found, said) => {
    changed({ ...kept(), 'GET /editions/5/revised': found });
    await open();
    await press('What has been revised since?');
    expect(await screen.findByText(said)).toBeVisible();
  });
});

describe('a shared page', () => {
  it('is of an edition or of a report as it is today, ends, and may have a password', async () => {
    const sent = changed(kept({ state: 'approved', approved_by: 'Ines', approved_at: '2026-03-02T10:00:00Z' }));
    await open();
    const box = part('Shared pages');
    type(/^For whom/, 'the board', box);
    type(/^Password/, 'wick', box);
    await press('Share', box);
    const may_change = ['window', 'against', 'device', 'country'];
    expect((await last(sent, 1)).body).toEqual({
      edition: 5,
      label: 'the board',
      days: 90,
      password: 'wick',
      may_change,
    });
    await waitFor(() => expect(valueOf(/^For whom/, box)).toBe(''));
    await choose('What', 'Monthly, as it is today', box);
    type(/^Days until it ends/, '0', box);
    await press('Share', box);
    expect((await last(sent, 2)).body).toEqual({ report: 7, label: '', days: null, may_change });
  });

  it('is listed with how often it was looked at, copied and taken back', async () => {
    const copy = vi.fn(() => Promise.resolve());
    vi.stubGlobal('navigator', { ...navigator, clipboard: { writeText: copy }, languages: ['en'] });
    const share = {
      id: 2,
      name: 'Monthly',
      label: 'the board',
      live: true,
      edition: null,
      address: 'https://noctilum.example/s/abc',
      over: false,
      password: true,
      until: '2026-06-01T00:00:00Z',
      views: 0,
      seen_at: null,
    };
    const over = { ...share, id: 3, live: false, edition: 5, over: true, views: 3, seen_at: '2026-03-02T10:00:00Z' };
    const sent = changed({ ...kept(), 'GET /shares': [share, over] });
    await open();
    const [one, other] = part('Shared pages').getAllByRole('listitem');
    expect(one).toHaveTextContent('with a password, until');
    expect(one).toHaveTextContent('not looked at yet');
    expect(other).toHaveTextContent('leads to nothing any more · looked at 3 times');
    await press('copy the address', within(one!));
    await waitFor(() => expect(within(one!).getByText('copied')).toBeVisible());
    expect(copy).toHaveBeenCalledWith('https://noctilum.example/s/abc');
    await press('take it back', within(one!));
    expect(told([await last(sent, 1)])).toEqual([['DELETE /shares/2']]);
  });
});

describe('due reports', () => {
  const LINE = {
    site: 'hivewright.example',
    report: 7,
    name: 'Monthly',
    slot: null,
    edition: 5,
    state: 'to approve',
    first: '2026-02-01',
    last: '2026-02-28',
    due_at: '2026-03-01T07:00:00Z',
    to: 2,
    reached: 0,
    why: '',
    looked_by: null,
    complete: true,
  };
  const due = (...lines: object[]) => ({ ...kept(), 'GET /due': lines.map((each) => ({ ...LINE, ...each })) });

  it('are looked at, signed off and sent in one go', async () => {
    const sent = changed(due({}));
    await opened('/due');
    expect(screen.getByRole('heading', { level: 1 })).toHaveTextContent('1 report waits to be signed off.');
    await waitFor(() => expect(told(sent)).toEqual([['POST /editions/5/looks']]));
    fireEvent.keyDown(document.body, { key: 's' });
    await last(sent, 3);
    expect(told(sent).slice(1)).toEqual([['POST /editions/5/approval'], ['POST /editions/5/sending']]);
  });

  it('that go to nobody are only signed off', async () => {
    const sent = changed(due({ to: 0 }));
    await opened('/due');
    await press('Sign off');
    await waitFor(() => expect(told(sent)).toContainEqual(['POST /editions/5/approval']));
    expect(told(sent)).not.toContainEqual(['POST /editions/5/sending']);
  });

  it('that wait for days are made with those there are, or skipped', async () => {
    const waiting = { state: 'waiting', edition: null, slot: 4, why: '2 days are missing.' };
    const failed = { state: 'failed', edition: null, slot: 6, why: 'The disk is full.' };
    const sent = changed(due(waiting, failed, { state: 'due', edition: null, slot: 8 }));
    await opened('/due');
    expect(screen.getByRole('heading', { level: 1 })).toHaveTextContent('1 wants a look.');
    await press('Make it with the days there are');
    await press('Skip it', part('Waiting for days'));
    await press('Try again', part('Could not be made'));
    await press('Make all that is due');
    await last(sent, 4);
    expect(told(sent)).toEqual([['POST /due/4/making'], ['DELETE /due/4'], ['POST /due/6/making'], ['POST /due']]);
  });
});

describe('the editor of a report', () => {
  const KINDS = [
    { kind: 'headline', title: 'At a glance', about: '', options: [], columns: [] },
    {
      kind: 'breakdown',
      title: 'Rows',
      about: '',
      options: [
        { name: 'by', about: '', choices: ['page', 'query'], default: 'page' },
        { name: 'most', about: '', choices: [], default: 10 },
      ],
      columns: [
        { name: 'clicks', title: 'Clicks', group: '', how: '', shown: true },
        { name: 'ctr', title: 'Click-through', group: '', how: '', shown: true },
        { name: 'volume', title: 'Volume', group: '', how: '', shown: false },
      ],
    },
    { kind: 'text', title: 'Text', about: '', options: [], columns: [] },
  ];
  const TEMPLATE = { id: 1, name: 'A month', version: 3, tag: 't3', body: { ...BODY, cover: true } };
  const looks = BODY.blocks.map((each) => ({ kind: each.kind, title: '', comes_in: each.kind !== 'text', why: '' }));
  const draft = { html: '<p>Printed</p>', look: { blocks: looks }, pages: 2, page_of: [1, 1, 2] };
  const answers = (more: object = {}) => ({
    ...kept(),
    'GET /blocks': KINDS,
    'GET /templates': [TEMPLATE],
    [`POST ${SITE}/report-draft`]: draft,
    ...more,
  });
  const begin = () => opened(`${SITE}/reports/7/edit`);
  const list = () => part('Blocks in their order', 'list');
  const blocks = () =>
    list()
      .getAllByRole('button')
      .map((each) => each.getAttribute('aria-label'));
  const changes = (sent: ReturnType<typeof changed>) => sent.filter((each) => each.what.startsWith('PATCH'));
  const keep = async (sent: ReturnType<typeof changed>) => {
    await press('Keep for this client');
    await waitFor(() => expect(changes(sent)).toHaveLength(1));
    return changes(sent)[0]!.body as { body: typeof BODY };
  };

  it('moves, takes out and adds blocks by keyboard', async () => {
    const sent = changed(answers());
    await begin();
    expect(screen.getByRole('button', { name: 'Keep for this client' })).toBeDisabled();
    fireEvent.keyDown(list().getByRole('button', { name: /^1/ }), { key: 'ArrowDown', altKey: true });
    expect(blocks()[0]).toContain('Pages');
    fireEvent.keyDown(list().getByRole('button', { name: /^1/ }), { key: 'ArrowUp', altKey: true });
    expect(blocks()[0]).toContain('Pages');
    fireEvent.click(list().getByRole('button', { name: /^3/ }));
    fireEvent.keyDown(list().getByRole('button', { name: /^3/ }), { key: 'Delete' });
    await choose('Add a block', 'Text', part('Blocks'));
    const { body } = await keep(sent);
    expect(body.blocks.map((each) => each.kind)).toEqual(['breakdown', 'headline', 'text']);
    expect(body.blocks[2]).toMatchObject({ commentary: '', title: '' });
  });

  it('never takes the last block out', async () => {
    const one = [{ ...REPORT, body: { ...BODY, blocks: [BLOCK] } }];
    changed(answers({ 'GET /reports': one }));
    await begin();
    fireEvent.keyDown(list().getByRole('button', { name: /^1/ }), { key: 'Delete' });
    expect(blocks()).toHaveLength(1);
  });

  it('says which blocks stay out and where pages turn, once it is drawn', async () => {
    changed(answers());
    await begin();
    await waitFor(() => expect(blocks()[2]).toContain('stays out'));
    expect(await screen.findByText('page 2', {}, { timeout: 10000 })).toBeVisible();
    expect(screen.getByTitle('The report as it will print')).toHaveAttribute('srcdoc', '<p>Printed</p>');
    expect(screen.getByTitle('The report as it will print')).toHaveAttribute('sandbox', '');
  });

  it('sets options as what they are: numbers, choices, nothing', async () => {
    const sent = changed(answers());
    await begin();
    fireEvent.click(list().getByRole('button', { name: /Pages/ }));
    const box = part('The block');
    type('Title', 'Best pages', box);
    type('Rows at most', '25', box);
    type('most', '7', box);
    await choose('by', 'query', box);
    await choose('Rows ordered by', 'Click-through', box);
    await check('turned round', box);
    await check(/^Volume/, box);
    await check(/^Clicks/, box);
    await check(/stays with the reason/, box);
    const { body } = await keep(sent);
    expect(body.blocks[1]).toEqual({
      ...BLOCK,
      kind: 'breakdown',
      title: 'Best pages',
      limit: 25,
      options: { most: 7, by: 'query' },
      order: '-ctr',
      columns: ['ctr', 'volume'],
      stay: true,
    });
  });

  it('sets the paper and the window of the whole', async () => {
    const sent = changed(answers());
    await begin();
    const box = part('The whole report');
    await choose('Paper', 'Letter', box);
    type('Window', 'P3M', box);
    await check('a cover page', box);
    await check('net of what the year does', box);
    const { body } = await keep(sent);
    expect(body).toMatchObject({ paper: 'Letter', window: 'P3M', cover: true, season: false });
  });

  it('goes back to what the template has, or makes it the next version', async () => {
    const sent = changed(answers());
    await begin();
    await press('Make it the template’s next version');
    await press('As the template has it');
    await waitFor(() => expect(changes(sent)).toHaveLength(2));
    expect(changes(sent).map(({ what, body, seen }) => [what, body, seen])).toEqual([
      ['PATCH /templates/1', { body: BODY }, '"t3"'],
      ['PATCH /reports/7', { body: null }, '"r7"'],
    ]);
  });

  it('asks before a page with changes is left, and not otherwise', async () => {
    changed(answers());
    await begin();
    const leaving = () => {
      const event = new Event('beforeunload', { cancelable: true });
      window.dispatchEvent(event);
      return event.defaultPrevented;
    };
    expect(leaving()).toBe(false);
    await check('a cover page');
    expect(leaving()).toBe(true);
    await check('a cover page');
    expect(leaving()).toBe(false);
  });

  it('says that there is no such report', async () => {
    changed(answers({ 'GET /reports': json([]) }));
    await begin();
    expect(screen.getByRole('heading', { level: 1 })).toHaveTextContent('There is no report 7 of this site.');
  });
});
