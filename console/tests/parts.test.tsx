/** Parts of views on what they are given: figures as they stand, sums that add up, choices that lead somewhere. */
import { QueryClientProvider } from '@tanstack/react-query';
import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import type { ReactNode } from 'react';
import { MemoryRouter, Route, Routes, useLocation } from 'react-router';
import { afterEach, describe, expect, it, vi } from 'vitest';
import type {
  BandCounts,
  Cross,
  DayMaking,
  Drivers,
  Job,
  KeywordFileTaken,
  Outcomes,
  ParameterAbout,
  PlaceOut,
  Reconciliation,
} from '../src/mind/api';
import { Asking } from '../src/mind/asking';
import { catalogue, type Column, type Reading } from '../src/mind/catalogue';
import { datasets, type Dataset } from '../src/mind/datasets';
import { longDay, monthOf } from '../src/mind/words';
import { BrandBox } from '../src/skin/BrandBox';
import { Choices } from '../src/skin/Choices';
import { Differences } from '../src/skin/Differences';
import { BandTable, HeatTable } from '../src/skin/HeatTable';
import { JobState, MadeFile } from '../src/skin/JobMade';
import { KeywordFile } from '../src/skin/KeywordFile';
import { LifePanel } from '../src/skin/LifePanel';
import { Making } from '../src/skin/Making';
import { PlaceFind } from '../src/skin/PlaceFind';
import { Posts } from '../src/skin/Posts';
import { ReadingTable } from '../src/skin/ReadingTable';
import { framed } from '../src/skin/ScatterChart';
import { TakeDialog } from '../src/skin/TakeDialog';
import { WorthBox } from '../src/skin/WorthBox';
import { Cautions, Pager, PlacesChange } from '../src/skin/small';
import { Written } from '../src/skin/written';
import { changed, choose, last, press, refusing, told, type, valueOf, REFUSED } from './changing';
import { KNOWN } from './service';
import { render } from './spoken';

const HOST = 'hivewright.example';
const ITSELF = KNOWN[`/api/v1/sites/${HOST}`] as object;

afterEach(() => {
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

function Where() {
  const { search } = useLocation();
  return <output aria-label="address">{decodeURIComponent(search)}</output>;
}
const address = () => screen.getByLabelText('address').textContent;

/** Draws a part inside a site's view. */
function shown(children: ReactNode, search = '', readings: readonly Reading[] = [], kept: readonly Dataset[] = []) {
  const client = new Asking({ defaultOptions: { queries: { retry: false, staleTime: Infinity } } });
  client.setQueryData(catalogue().queryKey, [...readings]);
  client.setQueryData(datasets().queryKey, [...kept]);
  return render(
    <QueryClientProvider client={client}>
      <MemoryRouter initialEntries={[`/sites/${HOST}/queries${search}`]}>
        <Routes>
          <Route path="/sites/:site/*" element={children} />
        </Routes>
        <Where />
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

/** A dataset whose devices have words of their own. */
const SEARCHES = {
  name: 'site',
  dimensions: [
    { name: 'query', title: 'query', how: '', values: {} },
    { name: 'device', title: 'device', how: '', values: { mobile: 'handheld' } },
  ],
  measures: [],
} as unknown as Dataset;

const texts = (role: string, where: Pick<typeof screen, 'getAllByRole'> = screen) =>
  where.getAllByRole(role).map((each) => each.textContent ?? '');

describe('posts of drivers', () => {
  const figures = (clicks: number) => ({ clicks, impressions: 0, position_sum: 0, ctr: 0, position: null });
  const FOUND = {
    before: figures(1000),
    now: figures(900),
    times: 1,
    demand: -200,
    season: null,
    demand_beyond: null,
    rank: 60,
    appeal: 10,
    entered: 50,
    left: -40,
    unlisted: 20,
  } as unknown as Drivers;
  const numbers = (container: HTMLElement) =>
    [...container.querySelectorAll('.posts .n')].map((each) =>
      Number(each.textContent?.replace('−', '-').replace(',', '')),
    );

  it('stand for before and now, and what is between adds up', () => {
    const { container } = shown(<Posts found={FOUND} choose={() => undefined} />);
    const [before, ...parts] = numbers(container);
    const now = parts.pop();
    expect(before! + parts.reduce((sum, each) => sum + each, 0)).toBe(now);
    expect(screen.getByText(/The six parts add up to −100 exactly/)).toBeVisible();
  });

  it('tell the season apart from demand where it is known, and blame nobody for it', () => {
    const seasoned = { ...FOUND, season: -150, demand_beyond: -50, times: 1.5, before: figures(600) } as Drivers;
    const { container } = shown(<Posts found={{ ...seasoned, now: figures(800) }} choose={() => undefined} />);
    expect(numbers(container)[0]).toBe(900);
    expect(screen.getByText(/The seven parts add up to −100 exactly/)).toHaveTextContent('times 1.500');
    expect(screen.queryByRole('button', { name: 'Season' })).toBeNull();
    expect(screen.queryByText('Demand')).toBeNull();
  });

  it('are chosen and let go', () => {
    const chosen = vi.fn();
    const { unmount } = shown(<Posts found={FOUND} choose={chosen} />);
    fireEvent.click(screen.getByRole('button', { name: 'Rank' }));
    expect(chosen).toHaveBeenLastCalledWith('rank');
    unmount();
    shown(<Posts found={FOUND} chosen="rank" choose={chosen} />);
    fireEvent.click(screen.getByRole('button', { name: 'Rank' }));
    expect(chosen).toHaveBeenLastCalledWith(undefined);
  });
});

describe('a table of two dimensions', () => {
  const cell = (clicks: number, impressions: number) => ({ clicks, impressions, ctr: 0.1, position: 3.2 });
  const CROSS = {
    dimension: 'query',
    columns_by: 'device',
    columns: ['mobile', 'desktop'],
    rows: [{ key: 'oak hive', cells: [cell(12, 100), cell(0, 0)], total: cell(12, 100) }],
    total: [cell(12, 100), cell(0, 0)],
    matching: 1,
  } as unknown as Cross;

  it('has no figure where nothing was shown, and shades by how often it was', () => {
    shown(<HeatTable data={CROSS} measure="clicks" label={(key) => key} />);
    const [row] = screen.getAllByRole('row').slice(1);
    const cells = within(row!).getAllByRole('cell');
    expect(cells.map((each) => each.textContent)).toEqual(['12', '–', '12']);
    expect(cells.map((each) => each.style.getPropertyValue('--heat'))).toEqual(['62%', '0%', '']);
    expect(cells[0]).toHaveAttribute('title', '100 impressions');
  });

  it.each([
    ['month', '2026-02', monthOf('2026-02-01')],
    ['country', 'NO', 'Norway'],
    ['device', 'mobile', 'mobile'],
    ['kind', 'video', 'video'],
    ['band', '4–10', '4–10'],
  ])('by %s calls its columns as people do', (by, name, said) => {
    const one = { rows: [], total: [cell(1, 2)], columns_by: by, columns: [name] };
    shown(<HeatTable data={{ ...CROSS, ...one } as unknown as Cross} measure="ctr" label={(key) => key} />);
    expect(screen.getAllByRole('columnheader')[1]).toHaveTextContent(said);
  });

  it('leaves queries as they were typed, also where one is a word of the service', () => {
    const one = { rows: [], total: [cell(1, 2)], columns: ['mobile'] };
    const said = (columns_by: string) => {
      const data = { ...CROSS, ...one, columns_by } as unknown as Cross;
      const { unmount } = shown(<HeatTable data={data} measure="ctr" label={(key) => key} />, '', [], [SEARCHES]);
      const head = screen.getAllByRole('columnheader')[1]?.textContent;
      unmount();
      return head;
    };
    expect([said('query'), said('device')]).toEqual(['mobile', 'handheld']);
  });

  it('of bands says which month is not whole', () => {
    const month = { start: '2026-03-01', shown: 9, counts: [0, 4], new: 2, lost: 1, partial: true };
    shown(<BandTable data={{ item: 'page', bands: ['1', '2–3'], months: [month] } as unknown as BandCounts} />);
    expect(texts('rowheader')).toEqual([`${monthOf('2026-03-01')} (part)`]);
    expect(texts('cell')).toEqual(['9', '–', '4', '2', '1']);
  });
});

describe('a frame drawn over points', () => {
  it.each([
    ['position', [3.21, 8.79], [12.2, 90.7], 'position >= 3.2 and position <= 8.8 and clicks >= 13 and clicks <= 90'],
    ['position', [8.79, 3.21], [90.7, 0.6], 'position >= 3.2 and position <= 8.8 and clicks <= 90'],
    ['ctr', [0.0003, 0.02], [1, 5], 'ctr <= 0.0200 and clicks >= 1 and clicks <= 5'],
    ['ctr', [0.01, 0.02], [0.5, 0.7], 'ctr >= 0.0100 and ctr <= 0.0200 and clicks <= 0'],
  ] as const)('across %s is written as a filter', (across, x, y, filter) => {
    expect(framed(across, x, y)).toBe(filter);
  });
});

const measure = (name: string, title: string, merge: 'sum' | 'weighted' = 'sum') => ({
  ...{ name, path: ['figures', name], kind: merge === 'sum' ? 'count' : 'place', title, group: '', titled_by: '' },
  ...{ how: '', better: null, decimals: null, signed: false, shown: true, merge, weight: '' },
});
const ALL = [
  {
    ...{ name: 'query', kind: 'search', title: 'queries', about: '', in_files: true, dimensions: [] },
    measures: [
      measure('clicks', 'clicks'),
      measure('impressions', 'impressions'),
      measure('position', 'position', 'weighted'),
    ],
  },
] as unknown as Dataset[];

describe('the making of a day', () => {
  const GRAIN = {
    grain: 'query',
    state: 'final',
    flag: null,
    remark: '',
    origin: 'pull 4',
    taken_at: '2026-03-02T06:00:00+00:00',
    revision: 'r2',
    rows: 40,
    lines: 41,
    repeats: 1,
    promised_rows: 40,
    digest: '0123456789abcdef',
    figures: { clicks: 1200, impressions: 9000, position: 4.25 },
  };
  const making = (grain: object = {}, changes: object[] = []) =>
    shown(
      <Making
        made={{ day: '2026-03-01', grains: [{ ...GRAIN, ...grain }], changes } as unknown as DayMaking}
        all={ALL}
        stale={false}
      />,
    );

  it('tells what it was made from, with its sums and what it promised', () => {
    making();
    expect(screen.getByText('Final: the provider has settled it.')).toBeVisible();
    expect(texts('definition')).toEqual(['pull 4', '2026-03-02 06:00:00 UTC', 'r2', '4.3']);
    expect(texts('cell')).toEqual(['40 of 41 lines', '1,200', '9,000']);
    expect(screen.getByText(/All as the provider states them. Digest 0123456789ab…/)).toBeVisible();
  });

  it.each([
    [{ promised_rows: null }, /The provider stated no totals to compare./],
    [
      { flag: 'totals', remark: 'The rows add up to 1,190 clicks' },
      /Counted for queries: The rows add up to 1,190 clicks./,
    ],
    [{ state: 'lost', flag: 'lost', remark: 'It is gone.' }, 'It is gone.'],
  ])('says what is doubtful of it: %o', (grain, said) => {
    making(grain);
    expect(screen.getByText(said)).toBeVisible();
    if ('state' in grain) expect(screen.queryByText('Made from')).toBeNull();
  });

  it('lists how it changed after it was final', () => {
    const change = {
      id: 1,
      at: '2026-03-09T06:00:00+00:00',
      origin: 'pull 9',
      grain: 'query',
      was: { figures: { clicks: 1200, impressions: 9000 } },
      now: { figures: { clicks: 1190, impressions: 9100 } },
    };
    making({}, [change]);
    expect(texts('listitem')).toEqual([
      '2026-03-09, pull 9, queries: clicks 1,200 to 1,190 (−10), impressions 9,000 to 9,100 (+100)',
    ]);
  });
});

describe('why two numbers differ', () => {
  it('shows what lies between two totals', () => {
    const grain = (name: string, clicks: number) => ({ grain: name, days: 28, figures: { clicks, impressions: 10 } });
    const found = {
      first: '2026-02-01',
      last: '2026-02-28',
      sources: [
        {
          source: 1,
          label: 'Hivewright shop',
          counted: false,
          grains: [grain('site', 1000), grain('query', 700)],
          steps: [],
          unlisted: [],
        },
      ],
    } as unknown as Reconciliation;
    shown(<Differences found={found} all={ALL} stale={false} />);
    const table = within(screen.getByRole('region', { name: 'Totals of Hivewright shop' }));
    expect(table.getByText('Hivewright shop, kept apart')).toBeVisible();
    expect(texts('row', table).slice(1, 3)).toEqual(
      ['site28', 'queries2870010'].map((each) => expect.stringContaining(each)),
    );
  });
});

describe('work under way', () => {
  const job = (more: object) =>
    ({ id: 4, state: 'running', done: 1, due: 4, rows: 0, stopping: false, ...more }) as Job;

  it.each([
    [{ state: 'failed', fault: 'The disk is full.' }, 'The disk is full.'],
    [{ state: 'cancelled' }, 'Cancelled. What was done by then stays.'],
    [{ stopping: true }, 'stopping…'],
    [{ waits_until: '2026-03-15T09:00:00Z', fault: 'The feed is away.' }, /^The feed is away. It is tried again at/],
  ])('says where it stands: %o', (more, said) => {
    shown(<JobState job={job(more)} name="Writing" />);
    expect(screen.getByText(said)).toBeVisible();
  });

  it('that is done without rows says its size alone', () => {
    shown(<MadeFile job={job({ state: 'done', result: { file: 'a.zip', bytes: 5000 } })} name="Writing" />);
    expect(screen.getByText('5,000 bytes; kept here for two days')).toBeVisible();
  });

  it('that could not be cancelled can be tried to be again', async () => {
    changed({ 'DELETE /jobs/4': refusing('job') });
    shown(<JobState job={job({})} name="Writing" />);
    await press('Cancel: Writing');
    await waitFor(() =>
      expect(screen.getByRole('button', { name: 'Cancel: Writing' })).toHaveTextContent('Not cancelled'),
    );
  });
});

describe('choices of a reading', () => {
  const parameter = (more: object) =>
    ({
      name: 'most',
      default: null,
      choices: [],
      in_path: false,
      required: false,
      about: '',
      ...more,
    }) as unknown as ParameterAbout;

  it('are made of lists, or typed', () => {
    const change = vi.fn();
    const by = parameter({ name: 'by', default: 'page', choices: ['page', 'query'] });
    const state = parameter({ name: 'state', choices: ['open', 'done'] });
    const word = parameter({ name: 'term', required: true });
    shown(<Choices asking={{ choices: [by, state], words: [word] }} chosen={{ by: 'page' }} change={change} />);
    const lists = screen.getAllByRole<HTMLSelectElement>('combobox');
    expect(lists.map((each) => [...each.options].map((option) => option.value))).toEqual([
      ['page', 'query'],
      ['', 'open', 'done'],
    ]);
    fireEvent.change(lists[0]!, { target: { value: 'query' } });
    fireEvent.change(screen.getByRole('textbox'), { target: { value: ' oak hive ' } });
    fireEvent.click(screen.getByRole('button', { name: 'Look' }));
    expect(change.mock.calls.map(([each]) => Object.values(each as object).filter(Boolean))).toEqual([
      ['query'],
      ['oak hive'],
    ]);
  });
});

describe('the next rows of a list', () => {
  const data = { offset: 20, matching: 45, rows: Array.from({ length: 20 }) };

  it('are gone to and back from', () => {
    shown(<Pager data={data} limit={20} />, '?offset=20');
    expect(screen.getByText('21 to 40 of 45')).toBeVisible();
    fireEvent.click(screen.getByRole('button', { name: 'Next' }));
    expect(address()).toBe('?offset=40');
    fireEvent.click(screen.getByRole('button', { name: 'Previous' }));
    expect(address()).toBe('');
  });

  it('are not offered where all are shown', () => {
    shown(<Pager data={{ offset: 0, matching: 20, rows: [] }} limit={20} />);
    expect(screen.queryByRole('button')).toBeNull();
  });
});

it('a place gained is better though its number fell', () => {
  const change = { position: -1.4, ways: { position: 'better' } };
  const { container } = shown(<PlacesChange change={change as never} />);
  expect(container.querySelector('.chg')).toHaveClass('better');
});

it('what to know before believing figures is listed, and no list is there without', () => {
  const { rerender } = shown(<Cautions items={[{ code: 'a', text: 'Two days are missing.' } as never]} />);
  expect(texts('listitem')).toEqual(['Two days are missing.']);
  rerender(<Cautions items={[]} />);
  expect(screen.queryByRole('list')).toBeNull();
});

describe('finding a place', () => {
  const place = { name: 'Leeds', place: 'Leeds', kind: 'town', region: 'England', country: 'GB', people: 516000 };
  const of = (more: object) => ({ find: 'Lee', type: vi.fn(), found: [place], error: null, busy: false, ...more });

  it('offers what begins so, and hands it on', () => {
    const [found, chosen] = [of({}), vi.fn()];
    shown(<PlaceFind label="Find a place" of={found as never} choose={chosen as (of: PlaceOut) => void} />);
    expect(screen.getByText('England, GB, 516,000 people')).toBeVisible();
    fireEvent.click(screen.getByRole('button', { name: 'Leeds' }));
    expect(chosen).toHaveBeenCalledWith(place);
    expect(found.type).toHaveBeenCalledWith('');
  });

  it.each([
    [{ found: [] }, 'None begins so. Coordinates can be typed as they are.'],
    [{ found: undefined, busy: true }, 'Looking…'],
  ])('says when there is none, or none yet: %o', (more, said) => {
    shown(<PlaceFind label="Find a place" of={of(more) as never} choose={() => undefined} />);
    expect(screen.getByText(said)).toBeVisible();
  });
});

describe('a file of keywords', () => {
  it('that has nothing to add cannot be taken', () => {
    const taken = { adding: 0, repeats: 4, refused: [], columns: {} } as unknown as KeywordFileTaken;
    const nothing = () => undefined;
    shown(
      <KeywordFile
        {...{ names: ['a'], read: { a: 'term' }, taken, done: false, busy: false, error: null }}
        {...{ choose: nothing, take: nothing, leave: nothing }}
      />,
    );
    expect(screen.getByRole('button', { name: 'Track these' })).toBeDisabled();
    expect(screen.getByText(/0 would be added, 4 tracked already/)).toBeVisible();
  });
});

describe('words of the brand', () => {
  const FOUND = {
    matching: 12,
    known: 90,
    samples: ['hivewright', 'hive wright'],
    gained: 2,
    lost: 1,
    gained_samples: ['a'],
    lost_samples: ['b'],
    slips: [{ words: 'hivewrite', queries: 1, sample: 'hivewrite shop' }],
    near: [{ words: 'hive', queries: 7, sample: 'oak hive' }],
    tested: [
      { text: 'hivewright', brand: true, how: 'written', term: 'hivewright' },
      { text: 'oak', brand: false, how: 'none', term: null },
    ],
  };

  it('are tried before they are kept, and near ones are taken in or kept out', async () => {
    const sent = changed({ [`GET /sites/${HOST}/try-brand`]: FOUND });
    shown(<BrandBox site={HOST} />);
    expect(await screen.findByText(/of 90 queries ever shown for are brand/)).toBeVisible();
    expect(screen.getByText(/Against the words in use: 2 more \(a\), 1 fewer/)).toBeVisible();
    expect(texts('listitem', within(screen.getByRole('list', { name: 'Tried queries' })))).toEqual([
      'brand hivewright holds “hivewright”',
      'generic oak holds none of the words',
    ]);
    expect(screen.getByRole('button', { name: 'Keep these words' })).toBeDisabled();
    await press('Keep out: hivewrite');
    await press('Take in: hive');
    expect(valueOf('Words that name the client')).toBe('hivewright, -hivewrite, hive');
    await press('Keep these words');
    expect(told([await last(sent, 1)])).toEqual([
      [`PATCH /sites/${HOST}`, { brand_terms: 'hivewright, -hivewrite, hive' }],
    ]);
  });
});

describe('what a session earns', () => {
  const answer = (conversions: number | null) => ({ total: { conversions } }) as unknown as Outcomes;
  const sets = {
    'GET /sets': [
      { id: 1, name: 'Guides', item: 'page' },
      { id: 2, name: 'Words', item: 'query' },
    ],
  };
  const VALUE = { set: '', per: 'session', amount: 2, views: null };

  it('is not asked where goals are counted', async () => {
    changed(sets);
    shown(<WorthBox site={HOST} answer={answer(3)} />);
    await waitFor(() => expect(screen.queryByText(/What a session earns/)).toBeNull());
  });

  it('is kept for all pages, and by sets of pages, one value each', async () => {
    const sent = changed({ ...sets, [`GET /sites/${HOST}`]: { ...ITSELF, values: [VALUE] } });
    shown(<WorthBox site={HOST} answer={answer(null)} />);
    expect(await screen.findByText('2.00 a session')).toBeVisible();
    type('Value of a session', '1.5');
    fireEvent.click(screen.getByRole('button', { name: 'Keep' }));
    await choose('Pages of', 'Guides');
    expect(screen.queryByLabelText('Page views of a session')).toBeNull();
    await choose('Earn by', 'thousand page views');
    fireEvent.click(screen.getByRole('button', { name: 'Keep this value' }));
    expect(await screen.findByText('How much?')).toBeVisible();
    type('Amount', '12');
    type('Page views of a session', '2.5');
    fireEvent.click(screen.getByRole('button', { name: 'Keep this value' }));
    await last(sent, 2);
    const guides = { set: 'Guides', per: 'thousand views', amount: 12, views: 2.5 };
    expect(sent.map((each) => each.body)).toEqual([{ session_value: 1.5 }, { values: [VALUE, guides] }]);
    await waitFor(() => expect(valueOf('Amount')).toBe(''));
    await press('Take away: all other pages');
    expect((await last(sent, 3)).body).toEqual({ values: [] });
  });

  it('that is refused says so at its field', async () => {
    changed({ ...sets, [`PATCH /sites/${HOST}`]: refusing('session_value') });
    shown(<WorthBox site={HOST} answer={answer(null)} />);
    await screen.findByText(/What a session earns/);
    type('Value of a session', '1');
    fireEvent.click(screen.getByRole('button', { name: 'Keep' }));
    expect(await screen.findByText(REFUSED)).toBeInTheDocument();
  });
});

describe('the rows of a view', () => {
  const column = (name: string, kind: string, more: object = {}) =>
    ({ ...measure(name, name), path: [name], kind, ...more }) as unknown as Column;
  const READING = {
    ...{ name: 'fading', group: 'Read', summary: '', about: '', path: 'fading', compares: true, paged: '' },
    ...{ parameters: [], by: [], figures: [] },
    tables: [
      {
        name: '',
        rows: 'rows',
        columns: [
          column('page', 'text'),
          column('change', 'count', { signed: true, better: 'higher' }),
          column('ctr', 'rate'),
          column('since', 'day', { shown: false }),
        ],
      },
    ],
  } as unknown as Reading;
  const answer = { rows: [{ page: '/a', change: -30, ctr: 0.123, since: '2026-03-01' }] };

  it('are written as their kinds are, and taken out whole and exact', async () => {
    const copied = vi.fn(() => Promise.resolve());
    vi.stubGlobal('navigator', { ...navigator, clipboard: { writeText: copied }, languages: ['en'] });
    shown(
      <>
        <ReadingTable reading="fading" title="Fading pages" answer={answer} />
        <TakeDialog close={() => undefined} whole={undefined} />
      </>,
      '',
      [READING],
    );
    expect(texts('cell')).toEqual(['−30', '12.30%'].map((each) => expect.stringContaining(each.slice(0, 3))));
    expect(screen.getByText('−30').className).toContain('worse');
  });

  it.each([
    ['device', 'mobile', 'handheld'],
    ['device', 'fridge', 'fridge'],
    ['query', 'mobile', 'mobile'],
    ['look', 'constructor', 'constructor'],
    ['device', 'toString', 'toString'],
    ['country', 'NO', 'Norway (NO)'],
    ['country', '', 'not told'],
  ])('call a value of %s, %s, as people do', (dimension, key, said) => {
    const keyed = { name: '', rows: 'rows', columns: [column('key', 'text', { titled_by: 'dimension' })] };
    const reading = { ...READING, name: 'breakdown', tables: [keyed] } as unknown as Reading;
    const found = { dimension, rows: [{ key }] };
    shown(<ReadingTable reading="breakdown" title="Rows" answer={found} />, '', [reading], [SEARCHES]);
    expect(texts('rowheader')).toEqual([said]);
  });

  it('are copied with the columns that are not drawn', async () => {
    const copied = vi.fn<(text: string) => Promise<void>>(() => Promise.resolve());
    vi.stubGlobal('navigator', { ...navigator, clipboard: { writeText: copied }, languages: ['en'] });
    const table = shown(<ReadingTable reading="fading" title="Fading pages" answer={answer} />, '', [READING]);
    const dialog = shown(<TakeDialog close={() => undefined} whole={undefined} />);
    await press('Copy: Fading pages');
    expect(await screen.findByText('Fading pages: copied.')).toBeVisible();
    expect(copied.mock.calls[0]![0]).toBe('page\tchange\tctr\tsince\n/a\t-30\t0.123\t2026-03-01');
    dialog.unmount();
    table.unmount();
    shown(<TakeDialog close={() => undefined} whole={undefined} />);
    expect(screen.getByText('This view has no table and no chart.')).toBeVisible();
  });
});

describe('a value', () => {
  const kind = (name: string, more: object = {}) =>
    ({ ...measure('x', 'x'), kind: name, words: {}, ...more }) as unknown as Column;
  const VERDICT = kind('verdict', { words: { fell: 'fiel', 'few days': 'wenige Tage' } });

  it.each([
    [kind('count'), 1234.4, '1,234'],
    [kind('count', { signed: true }), 12, '+12'],
    [kind('count', { signed: true }), -12, '−12'],
    [kind('count', { signed: true }), -0.2, '0'],
    [kind('rate'), 0.1234, '12.34%'],
    [kind('share'), 0.256, '26%'],
    [kind('points', { signed: true }), 0.0123, '+1.23'],
    [kind('place'), 4.25, '4.3'],
    [kind('money', { decimals: 2 }), 1234.5, '1,234.50'],
    [kind('number', { decimals: 1 }), 0.25, '0.3'],
    [kind('flag'), true, 'yes'],
    [kind('flag'), false, ''],
    [kind('texts'), ['a', 'b'], 'a; b'],
    [kind('text'), '2026-03-01', '2026-03-01'],
    [kind('month'), '2026-03-01', monthOf('2026-03-01')],
    [VERDICT, 'fell', 'fiel'],
    [VERDICT, 'fell, few days', 'fiel, wenige Tage'],
    [VERDICT, 'something newer', 'something newer'],
    [kind('verdict'), 'fading', 'fading'],
    [kind('count'), null, '–'],
    [kind('text'), undefined, '–'],
  ])('is written as its column says: %o %o', (column, value, text) => {
    const { container } = shown(<Written column={column} value={value} />);
    expect(container.textContent?.replace(/\?.*$/, '')).toBe(text);
  });

  it.each([
    ['higher', 5, 'better'],
    ['higher', -5, 'worse'],
    ['lower', 5, 'worse'],
    ['lower', -5, 'better'],
  ])('that is better %s is told at %s', (better, value, way) => {
    const { container } = shown(<Written column={kind('places', { signed: true, better })} value={value} />);
    expect(container.querySelector('.chg')).toHaveClass(way);
  });

  it('over time is drawn, and told by how many there are', () => {
    shown(<Written column={kind('series', { title: 'Clicks' })} value={[1, null, 3]} />);
    expect(screen.getByRole('img', { name: 'Clicks, 3 values' })).toBeInTheDocument();
  });
});

describe('the life of a query', () => {
  it('begins where it was first seen, and says so where that is only where days begin', async () => {
    const life = {
      item: 'query',
      key: 'oak hive',
      first_seen: '2024-11-01',
      first_held: '2024-11-01',
      best_week: null,
      total: { clicks: 4200 },
      sentences: [{ text: 'It rose.', figures: [] }],
      weeks: [],
    };
    changed({ [`GET /sites/${HOST}/life/query`]: life, [`GET /sites/${HOST}/life`]: life });
    shown(<LifePanel item="query" text="oak hive" />);
    expect(await screen.findByText(`${longDay('2024-11-01')} or before`)).toBeVisible();
    expect(texts('definition')).toEqual([expect.stringContaining('or before'), '–', '4,200']);
  });
});
