/** Keywords tracked, tried, taken from files and let go; files written and brought in. */
import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { changed, check, choose, last, opened, part, press, refusing, told, type, valueOf, REFUSED } from './changing';
import { SITE, json } from './service';

afterEach(() => {
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

const KEYWORD = {
  id: 11,
  tag: 'k',
  site: 'hivewright.example',
  term: 'oak hive',
  engine: 'Quillon',
  language: 'en',
  country: 'GB',
  place: '',
  device: 'mobile',
  page: '',
  weight: 3,
  pinned: false,
  tags: ['hives'],
  note: '',
  interval: 'daily',
  volume: 1900,
  cpc: null,
  checked_at: null,
};
const COST = { keywords: 2, a_month: 60, used: 10, limit: 100, left: 90 };
const KEPT = {
  'GET /keywords': [KEYWORD, { ...KEYWORD, id: 12, term: 'smoker', device: 'desktop' }],
  [`GET ${SITE}/lookup-cost`]: COST,
};
const open = () => opened(`${SITE}/keywords`);

describe('keywords', () => {
  const bulk = () => part('What to do with those chosen', 'group');
  const both = () => press('All keywords', part('Tracked keywords'), 'checkbox');

  it('are changed many at once', async () => {
    const sent = changed(KEPT);
    await open();
    expect(bulk().getByText('none chosen')).toBeVisible();
    expect(bulk().getByRole('button', { name: 'Track no more' })).toBeDisabled();
    await both();
    await choose('weight', '5', bulk());
    await choose('looked up', 'weekly', bulk());
    await press('Follow closely', bulk());
    await check('smoker, GB, desktop');
    type('Tag to give', 'money, hives,', bulk());
    fireEvent.submit(bulk().getByLabelText('Tag to give'));
    await press('Track no more', bulk());
    await last(sent, 5);
    const site = 'hivewright.example';
    expect(told(sent)).toEqual([
      ['POST /keywords/change', { site, numbers: [11, 12], weight: 5 }],
      ['POST /keywords/change', { site, numbers: [11, 12], interval: 'weekly' }],
      ['POST /keywords/change', { site, numbers: [11, 12], pinned: true }],
      ['POST /keywords/change', { site, numbers: [11], add_tags: ['money', 'hives'] }],
      ['POST /keywords/change', { site, numbers: [11], drop: true }],
    ]);
    expect(bulk().getByText('none chosen')).toBeVisible();
  });

  it('are looked up now, once what it costs was said', async () => {
    const job = { id: 3, state: 'running', done: 1, due: 2, result: null };
    const answers: Record<string, unknown> = { ...KEPT, [`POST ${SITE}/checks`]: job, 'GET /jobs/3': job };
    const sent = changed(answers);
    await open();
    await both();
    await press('Check now', bulk());
    expect(bulk().getByText(/This costs 2 lookups; 90 are left this month/)).toBeVisible();
    await press('Look up', bulk());
    expect(told([await last(sent, 1)])).toEqual([[`POST ${SITE}/checks`, { numbers: [11, 12] }]]);
    expect(await bulk().findByText('Looking up: 1 of 2')).toBeVisible();
    answers['GET /jobs/3'] = { ...job, state: 'done', done: 2 };
    expect(await bulk().findByText('The lookups are done.')).toBeVisible();
  });

  it('are not looked up beyond what the month has left', async () => {
    const sent = changed({ ...KEPT, [`GET ${SITE}/lookup-cost`]: { ...COST, left: 1 } });
    await open();
    await both();
    await press('Check now', bulk());
    expect(bulk().getByRole('button', { name: 'Look up' })).toBeDisabled();
    await press('Not now', bulk());
    expect(sent).toEqual([]);
  });
});

describe('keywords to be tracked', () => {
  const form = () => part('Track more');
  const taken = { added: [], adding: 2, repeats: 1, cost: COST };

  it('are priced before they are tracked', async () => {
    const sent = changed({ ...KEPT, 'POST /keywords/take': taken });
    await open();
    type(/^Keywords/, 'oak hive\n  bee smoker \n\n', form());
    type(/^Places/, 'Leeds\n53.8, -1.5', form());
    type(/^Country/, 'no', form());
    type(/^Tags/, 'money, , hives', form());
    await check('map', form());
    await check('desktop', form());
    await press('What would it cost?', form());
    const asked = {
      site: 'hivewright.example',
      terms: ['oak hive', 'bee smoker'],
      places: ['Leeds', '53.8, -1.5'],
      language: 'en',
      country: 'NO',
      engine: 'Quillon',
      devices: ['mobile', 'map'],
      tags: ['money', 'hives'],
      weight: 3,
      page: '',
      interval: 'daily',
    };
    expect((await last(sent, 1)).body).toEqual({ ...asked, dry_run: true });
    expect(await form().findByText(/^2 would be added, 1 tracked already/)).toBeVisible();
    await press('Track', form());
    expect((await last(sent, 2)).body).toEqual({ ...asked, dry_run: false });
  });

  it('are at least one', async () => {
    const sent = changed(KEPT);
    await open();
    await press('Track', form());
    expect(await form().findByText('Type or paste at least one.')).toBeVisible();
    expect(sent).toEqual([]);
  });

  it('that cannot be tracked say so at the field', async () => {
    changed({ ...KEPT, 'POST /keywords/take': refusing('country') });
    await open();
    type(/^Keywords/, 'oak hive', form());
    type(/^Country/, 'XX', form());
    await press('Track', form());
    expect(await form().findByText(REFUSED)).toBeVisible();
    expect(form().getByLabelText(/^Country/)).toBeInvalid();
    expect(valueOf(/^Keywords/, form())).toBe('oak hive');
  });

  it('come from a file, whose columns can be said otherwise', async () => {
    const found = { ...taken, columns: { phrase: 'term', vol: 'ignore' }, refused: ['line 4: no term'] };
    const sent = changed({ ...KEPT, 'POST /keywords/import': found });
    await open();
    const text = 'phrase;vol\noak hive;1900\n';
    fireEvent.change(form().getByLabelText(/from a CSV file/), { target: { files: [new File([text], 'k.csv')] } });
    const box = within(await screen.findByRole('region', { name: 'The file' }));
    expect(await box.findByText(/2 would be added, 1 tracked already, 1 lines cannot be used/)).toBeVisible();
    expect(box.getByText('line 4: no term')).toBeVisible();
    await choose('vol is', 'search volume', box);
    await waitFor(() => expect(sent).toHaveLength(2));
    await press('Track these', box);
    await last(sent, 3);
    expect(sent.map(({ body }) => body)).toEqual([
      expect.objectContaining({ text, columns: {}, dry_run: true }),
      expect.objectContaining({ text, columns: { vol: 'volume' }, dry_run: true }),
      expect.not.objectContaining({ dry_run: true }),
    ]);
    await press('Done', box);
    expect(screen.queryByRole('region', { name: 'The file' })).toBeNull();
  });

  it('are taken from those suggested', async () => {
    const rows = [{ query: 'queen cage', clicks: 12, position: 6.2, country: 'IE' }];
    const sent = changed({ ...KEPT, [`GET ${SITE}/keyword-suggestions`]: rows });
    await open();
    await press('Show them');
    await press('Track queen cage');
    expect((await last(sent, 1)).body).toMatchObject({ terms: ['queen cage'], country: 'IE' });
  });
});

describe('a file of raw days or of a reading', () => {
  const READINGS = [
    {
      name: 'breakdown',
      group: 'Read',
      summary: '',
      about: '',
      path: 'breakdown/{by}',
      compares: true,
      paged: 'limit',
      parameters: [
        { name: 'window', default: 'P28D', choices: [], in_path: false, required: false, about: '' },
        { name: 'against', default: 'before', choices: [], in_path: false, required: false, about: '' },
        { name: 'filter', default: '', choices: [], in_path: false, required: false, about: '' },
        { name: 'by', default: 'query', choices: ['query', 'page'], in_path: true, required: true, about: '' },
      ],
      by: ['by'],
      figures: [],
      tables: [{ name: '', rows: 'rows', columns: [] }],
    },
  ];
  const job = { id: 8, state: 'done', done: 1, due: 1, result: { file: 'out.parquet', rows: 40, bytes: 900 } };
  const dialog = () => part('Export', 'dialog');

  it('is asked for as the view is narrowed, written, and fetched', async () => {
    const sent = changed(
      { 'GET /readings': READINGS, [`POST ${SITE}/exports`]: job, 'GET /jobs/8': job },
      undefined,
      undefined,
    );
    await opened(`${SITE}/pages?window=P12M&filter=brand`);
    fireEvent.keyDown(document.body, { key: 'e' });
    await press(/Every row of a reading/);
    await waitFor(() => expect(dialog().getByText(/Narrowed as the view is: brand/)).toBeVisible());
    await choose('Format', 'Parquet', dialog());
    await press('Write the file', dialog());
    expect((await last(sent, 1)).body).toEqual({
      what: 'breakdown',
      by: 'page',
      format: 'parquet',
      question: { window: 'P12M', against: 'before', filter: 'brand' },
    });
    expect(await dialog().findByRole('link', { name: 'out.parquet' })).toHaveAttribute('href', '/api/v1/jobs/8/file');
    await choose('What', 'Raw days', dialog());
    await choose('Days', 'everything held', dialog());
    await press('Write the file', dialog());
    expect((await last(sent, 2)).body).toMatchObject({ what: 'days', window: 'all', format: 'parquet' });
  });
});

describe('files to import', () => {
  const SOURCES = [
    { id: 3, site: 'hivewright.example', label: 'old exports', connector: 'files' },
    { id: 4, site: 'other.example', label: 'more', connector: 'files' },
  ];
  const FOUND = {
    name: 'q.csv',
    grain: 'query',
    monthly: false,
    form: 'CSV',
    decimal: '.',
    roles: ['query', 'clicks', 'ctr', 'ignore'],
    columns: [
      { header: 'Phrase', role: 'query', by: 'header', sample: ['oak hive'] },
      { header: 'Hits', role: 'ignore', by: 'content', sample: ['3', '4'] },
    ],
    rows: [{ line: 2, day: '2024-01-02', dims: { query: 'oak hive' }, figures: { clicks: 3 } }],
    rejected: [{ line: 9, reason: 'no day' }],
    questions: [],
  };

  function sends() {
    const names: string[] = [];
    class Request {
      upload = {};
      status = 201;
      responseText = '';
      onload = () => undefined;
      open(_: string, address: string) {
        const name = new URL(address, 'http://console.example').searchParams.get('name')!;
        names.push(name);
        this.responseText = JSON.stringify({ id: `u${names.length}`, name, size: 1200 });
      }
      setRequestHeader() {}
      send() {
        this.onload();
      }
    }
    vi.stubGlobal('XMLHttpRequest', Request);
    return names;
  }

  const drop = (...names: string[]) =>
    fireEvent.change(screen.getByLabelText('Files to import'), {
      target: { files: names.map((name) => new File(['x'], name)) },
    });
  const start = 'POST /sources/3/imports';
  const result = {
    dry: false,
    days: 31,
    rows: 900,
    first: '2024-01-01',
    last: '2024-01-31',
    grain: 'month-query',
    already: 2,
    left: [{ day: '2024-01-05', same: false, origin: 'pull 1' }],
    repeats: 4,
    rejected: 1,
    rejects: [{ file: 'q.csv', line: 9, reason: 'no day' }],
  };
  const job = { id: 6, state: 'done', done: 1, due: 1, rows: 0, result };

  it('are looked at, said otherwise, imported, and what came of them is told', async () => {
    sends();
    const sent = changed({
      'GET /sources': SOURCES,
      'GET /mappings': json([]),
      'POST /previews': FOUND,
      [start]: job,
      'GET /jobs/6': job,
    });
    await opened('/imports?source=3');
    drop('q.csv', 'r.csv');
    expect(await screen.findByText(/q.csv and 1 more/)).toBeVisible();
    expect(screen.getByText('by its header')).toBeVisible();
    expect(screen.getByText('Line 9: no day')).toBeVisible();
    await choose('What Hits is', 'clicks');
    const mapping = { columns: { Hits: 'clicks' } };
    await waitFor(() => expect(sent).toHaveLength(2));
    type(/^Keep this way of reading as/, 'old tool');
    await check('All or nothing');
    await press('Import');
    await last(sent, 4);
    expect(told(sent)).toEqual([
      ['POST /previews', { upload: 'u1', mapping: {}, using: null }],
      ['POST /previews', { upload: 'u1', mapping, using: null }],
      ['PUT /mappings/old%20tool', mapping],
      [start, { uploads: ['u1', 'u2'], mapping, using: null, dry: false, strict: true, over: false }],
    ]);
    expect(await screen.findByText(/31 days came in, 900 rows/)).toBeVisible();
    const told_of = screen.getAllByRole('listitem').map((each) => each.textContent);
    expect(told_of).toContain('2 days were held already and stay as they are.');
    expect(told_of).toContain('1 of them say otherwise in the file, 2024-01-05 among them (held from pull 1).');
    expect(told_of).toContain('q.csv line 9: no day');
    expect(screen.getByRole('link', { name: 'See the held days' })).toHaveAttribute(
      'href',
      `${SITE}/held?source=3&grain=query`,
    );
  });

  it('whose days can be read two ways wait for an answer', async () => {
    sends();
    const question = { code: 'dates', text: 'Is 03/04 in March or April?', choices: ['dmy', 'mdy'] };
    const answers: Record<string, unknown> = {
      'GET /sources': SOURCES,
      'GET /mappings': json([]),
      'POST /previews': { ...FOUND, questions: [question] },
    };
    const sent = changed(answers);
    await opened('/imports');
    drop('q.csv');
    expect(await screen.findByRole('alert')).toHaveTextContent('Is 03/04 in March or April?');
    expect(screen.getByRole('button', { name: 'Import' })).toBeDisabled();
    answers['POST /previews'] = FOUND;
    await press('Month first');
    await last(sent, 2);
    expect(sent[1]!.body).toMatchObject({ mapping: { dates: 'mdy' } });
    await waitFor(() => expect(screen.getByRole('button', { name: 'Import' })).toBeEnabled());
  });

  it('are tried without keeping, and read like files before', async () => {
    sends();
    const dry = {
      ...job,
      result: { ...result, dry: true, days: 0, first: null, last: null, rejects: [], rejected: 0 },
    };
    const sent = changed({
      'GET /sources': SOURCES,
      'GET /mappings': [{ name: 'old tool', mapping: {} }],
      'POST /previews': FOUND,
      [start]: dry,
      'GET /jobs/6': dry,
    });
    await opened('/imports?source=3');
    await screen.findByRole('combobox', { name: 'Read like' });
    await choose('Read like', 'old tool');
    drop('q.csv');
    await press('Try without keeping');
    await last(sent, 2);
    expect(sent[0]!.body).toMatchObject({ using: 'old tool' });
    expect(sent[1]!.body).toMatchObject({ dry: true, using: 'old tool' });
    expect(await screen.findByText('No new day.')).toBeVisible();
    expect(screen.getByRole('heading', { name: 'What would come of it' })).toBeVisible();
  });

  it.each([
    ['failed', /The file is damaged/],
    ['cancelled', /Days it brought in by then stay/],
  ])('whose import %s say so', async (state, said) => {
    sends();
    const over = { ...job, state, fault: 'The file is damaged.', result: null };
    changed({
      'GET /sources': SOURCES,
      'GET /mappings': json([]),
      'POST /previews': FOUND,
      [start]: over,
      'GET /jobs/6': over,
    });
    await opened('/imports?source=3');
    drop('q.csv');
    await press('Import');
    expect(await screen.findByText(said)).toBeVisible();
  });

  it('that are no table are told with what to do', async () => {
    sends();
    changed({ 'GET /sources': SOURCES, 'GET /mappings': json([]), 'POST /previews': refusing('file') });
    await opened('/imports?source=3');
    drop('picture.csv');
    expect(await screen.findByRole('alert')).toHaveTextContent('Say it otherwise.');
    expect(screen.queryByRole('button', { name: 'Import' })).toBeNull();
  });
});
