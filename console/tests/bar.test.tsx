/** The bar of what is read: days, comparison, segment, filter; all of it lives in the address. */
import { QueryClientProvider } from '@tanstack/react-query';
import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { MemoryRouter, Route, Routes, useLocation } from 'react-router';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { Asking } from '../src/mind/asking';
import type { Dataset } from '../src/mind/datasets';
import { WindowBar } from '../src/skin/WindowBar';
import { changed, choose, part, press, refusing, type, valueOf } from './changing';
import { KNOWN, json } from './service';
import { render } from './spoken';

const HOST = 'hivewright.example';
const READ = {
  window: { first: '2026-02-16', last: '2026-03-15', days: 28, held: 27, provisional: 0 },
  against: { first: '2026-01-19', last: '2026-02-15', days: 28, held: 28, provisional: 0 },
  complete_through: '2026-03-15',
  first_held: '2024-11-01',
  cautions: [],
};
const MARCH = { ...READ, window: { ...READ.window, first: '2026-02-01', last: '2026-02-28' } };
const SETS = [{ id: 1, name: 'Guides', item: 'page', rule: '', members: [], client: 'hivewright', tag: 't' }];
const ANSWERS = {
  'GET /sites': [
    { key: HOST, host: HOST, client: 'hivewright', client_name: 'Hivewright' },
    { key: 'ferries.example', host: 'ferries.example', client: 'skerry', client_name: 'Skerry' },
  ],
  'GET /sets': SETS,
  [`GET /sites/${HOST}/try-filter`]: { item: 'query', matching: 2, known: 90, samples: ['a', 'b'], others: [] },
  'GET /keywords': [
    { language: 'en', country: 'GB' },
    { language: 'en', country: 'GB' },
    { language: 'de', country: 'DE' },
  ],
};

function Where() {
  const { pathname, search } = useLocation();
  return <output aria-label="address">{decodeURIComponent(pathname + search)}</output>;
}
const address = () => screen.getByLabelText('address').textContent;

function bar(search = '', more: Partial<Parameters<typeof WindowBar>[0]> = {}, answers = {}) {
  changed({ ...ANSWERS, ...answers });
  return render(
    <QueryClientProvider client={new Asking({ defaultOptions: { queries: { retry: false } } })}>
      <MemoryRouter initialEntries={[`/sites/${HOST}/queries${search}`]}>
        <Routes>
          <Route path="/sites/:site/*" element={<WindowBar read={READ} {...more} />} />
        </Routes>
        <Where />
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

afterEach(() => {
  vi.unstubAllGlobals();
});

const windows = async () => {
  await press(/against|month|quarter|days|Last|everything/i, part('What is read'));
  return part('Window', 'form');
};

describe('the window', () => {
  it('says how complete it is, and what it stands against', () => {
    bar();
    expect(screen.getByText(/27 of 28 days held/)).toBeVisible();
    expect(screen.getByText(/against the same number of days before/)).toBeVisible();
  });

  it('is taken from a list, and what is usual leaves the address', async () => {
    bar();
    await press('Last 12 months', await windows());
    expect(address()).toBe(`/sites/${HOST}/queries?window=P12M`);
    await press('Last 28 complete days', await windows());
    expect(address()).toBe(`/sites/${HOST}/queries`);
  });

  it('is a month, quarter or year that is held', async () => {
    bar();
    const form = await windows();
    const list = form.getByLabelText<HTMLSelectElement>('A month, quarter or year');
    const offered = [...list.options].map((each) => each.value);
    expect(offered.filter((each) => /^\d{4}$/.test(each))).toEqual(['2026', '2025', '2024']);
    expect(offered.filter((each) => each.includes('Q'))).toEqual([
      '2026-Q1',
      '2025-Q4',
      '2025-Q3',
      '2025-Q2',
      '2025-Q1',
      '2024-Q4',
    ]);
    expect(offered.filter((each) => /-\d\d$/.test(each))).toHaveLength(17);
    fireEvent.change(list, { target: { value: '2025-Q3' } });
    expect(address()).toBe(`/sites/${HOST}/queries?window=2025-Q3`);
  });

  it('is of chosen days, the first before the last', async () => {
    bar();
    const form = await windows();
    expect([valueOf('From', form), valueOf('to', form)]).toEqual(['2026-02-16', '2026-03-15']);
    type('From', '2026-03-01', form);
    type('to', '2026-02-01', form);
    await press('Read', form);
    expect(await form.findByText('The window ends before it begins.')).toBeVisible();
    expect(address()).toBe(`/sites/${HOST}/queries`);
    type('to', '2026-03-10', form);
    await press('Read', form);
    await waitFor(() => expect(address()).toBe(`/sites/${HOST}/queries?window=2026-03-01/2026-03-10`));
  });

  it('needs both days', async () => {
    bar();
    const form = await windows();
    type('From', '', form);
    await press('Read', form);
    expect(await form.findByText('Which day does it begin on?')).toBeVisible();
  });

  it('moves by its own length by key, whole months by months', async () => {
    const { unmount } = bar('?filter=brand');
    fireEvent.keyDown(window, { key: '[' });
    expect(address()).toBe(`/sites/${HOST}/queries?filter=brand&window=2026-01-19/2026-02-15`);
    unmount();
    bar('?window=2026-02', { read: MARCH });
    fireEvent.keyDown(window, { key: ']' });
    expect(address()).toBe(`/sites/${HOST}/queries?window=2026-03`);
  });

  it('is compared with the next of three by key, and stands alone at last', () => {
    bar();
    const seen = [1, 2, 3].map(() => {
      fireEvent.keyDown(window, { key: 'c' });
      return address();
    });
    expect(seen).toEqual([
      `/sites/${HOST}/queries?against=year`,
      `/sites/${HOST}/queries?against=none`,
      `/sites/${HOST}/queries`,
    ]);
  });

  it.each([
    ['?window=2026-02', /^Feb 2026 against the month before/],
    ['?window=2026-02&against=year', /against the same month a year before/],
    ['?window=2026-02&against=2025-Q1', /against Quarter 1 of 2025/],
    ['?window=2026-02-01/2026-02-28', /^Chosen days against the same number of days before/],
    ['?window=2026-02&against=none', /^Feb 2026$/],
  ])('%s is said as people say it', (search, said) => {
    bar(search, { read: MARCH });
    expect(screen.getByText(said)).toBeVisible();
  });

  it('says nothing of days before they are read', () => {
    bar('', { read: undefined });
    fireEvent.keyDown(window, { key: '[' });
    expect(address()).toBe(`/sites/${HOST}/queries`);
    expect(within(screen.getByRole('region', { name: 'What is read' })).getAllByText('–').length).toBeGreaterThan(0);
  });
});

describe('the site', () => {
  it('is another with the same view, window and comparison', async () => {
    bar('?window=P12M&page=/x&track=en-GB');
    await press(/^Site/);
    fireEvent.click(await screen.findByRole('menuitem', { name: 'Skerry · ferries.example' }));
    expect(address()).toBe('/sites/ferries.example/queries?window=P12M');
  });
});

describe('the language and country of ranks', () => {
  it('are chosen where a site is tracked in several', async () => {
    bar('?offset=20', { ranks: true });
    await press(/^Language and country/);
    expect((await screen.findAllByRole('menuitem')).map((each) => each.textContent)).toEqual([
      'all 2, side by side',
      expect.stringContaining('2 keywords'),
      expect.stringContaining('1 keywords'),
    ]);
    fireEvent.click(screen.getAllByRole('menuitem')[2]!);
    expect(address()).toBe(`/sites/${HOST}/queries?track=de-DE`);
  });

  it('are not asked where there is one', async () => {
    bar('', { ranks: true }, { 'GET /keywords': [{ language: 'en', country: 'GB' }] });
    await waitFor(() => expect(screen.queryByText('Days looked up')).toBeVisible());
    expect(screen.queryByText('Language and country')).toBeNull();
  });
});

describe('the segment', () => {
  it('is narrowed and widened by its conditions', async () => {
    bar('?country=NO&page=/x&offset=40');
    expect(screen.getByText('country is Norway')).toBeVisible();
    await choose('Device', 'mobile');
    expect(address()).toBe(`/sites/${HOST}/queries?country=NO&page=/x&device=mobile`);
    expect(screen.queryByRole('combobox', { name: 'Device' })).toBeNull();
    await press('Remove the condition on country');
    expect(address()).toBe(`/sites/${HOST}/queries?page=/x&device=mobile`);
  });

  it('is of one engine where several count', async () => {
    const site = KNOWN[`/api/v1/sites/${HOST}`] as object;
    const source = (engine: string, counted = true) => ({ engine, counted, kind: 'search' });
    const sources = [source('Quillon'), source('Quillon'), source('Marrow'), source('Apart', false)];
    bar('', {}, { [`GET /sites/${HOST}`]: { ...site, sources } });
    const list = await screen.findByRole<HTMLSelectElement>('combobox', { name: 'Engine' });
    expect([...list.options].map((each) => each.value)).toEqual(['', 'Quillon', 'Marrow']);
    await choose('Engine', 'Marrow');
    expect(address()).toBe(`/sites/${HOST}/queries?engine=Marrow`);
  });

  const named = (...names: string[]) => names.map((name) => ({ name, title: name }));
  const VISITS = { name: 'visits', dimensions: named('channel'), measures: named('sessions') } as unknown as Dataset;

  it('of visits is told by what they are told by, not by searches', async () => {
    bar('?query=hive&device=mobile', { narrowing: { by: ['device', 'filter'], of: VISITS } });
    expect(screen.queryByText(/query is/)).toBeNull();
    await press('Remove the condition on device');
    expect(screen.getByText('Everything')).toBeVisible();
    expect(screen.queryByText('All queries')).toBeNull();
    await press('Filter…');
    const form = part('Filter', 'form');
    expect(form.getByLabelText('Only rows that pass')).toHaveAttribute('placeholder', 'sessions >= 10');
    await choose('Field', 'sessions', form);
    type('Value', '30', form);
    await press('add', form);
    expect(form.getByText('The reading tells what it finds.')).toBeVisible();
    await press('Read with it', form);
    expect(address()).toContain('filter=sessions+>=+30');
  });

  it('is left out where nothing can be narrowed', () => {
    bar('', { narrowing: null });
    expect(screen.queryByText('Segment')).toBeNull();
  });
});

describe('the filter', () => {
  const open = async (search = '', answers = {}) => {
    bar(search, {}, answers);
    await press(
      search ? search.replace('?filter=', '') : 'Filter…',
      within(document.querySelector<HTMLElement>('.chips')!),
    );
    return part('Filter', 'form');
  };
  const text = () => valueOf('Only rows that pass');

  it('is typed, says what it finds, and is read with it by Enter', async () => {
    const form = await open();
    expect(form.getByText('Without a filter every row counts.')).toBeVisible();
    type('Only rows that pass', 'query has "hive" ', form);
    expect(await form.findByText(/Finds 2 of 90 queries this site was ever shown for: a, b/)).toBeVisible();
    fireEvent.keyDown(form.getByLabelText('Only rows that pass'), { key: 'Enter' });
    await waitFor(() => expect(address()).toBe(`/sites/${HOST}/queries?filter=query+has+"hive"`));
  });

  it('points at what is wrong with it, and is not read', async () => {
    const fault = json(
      { code: 'filter-ends', title: 'It ends too soon.', where: 'filter, columns 7 to 9', remedy: 'say what it has' },
      400,
    );
    const form = await open('', { [`GET /sites/${HOST}/try-filter`]: fault });
    type('Only rows that pass', 'query has', form);
    const told = await form.findByRole('alert');
    expect(told).toHaveTextContent('It ends too soon.say what it has');
    expect(told.querySelector('.carets')?.textContent).toBe(`query has\n${' '.repeat(6)}^^^`);
    expect(form.getByLabelText('Only rows that pass')).toBeInvalid();
    expect(form.getByRole('button', { name: 'Read with it' })).toBeDisabled();
    fireEvent.submit(form.getByLabelText('Only rows that pass').closest('form')!);
    expect(address()).toBe(`/sites/${HOST}/queries`);
  });

  it('is helped along: fields, then tests, then joins, with the sets by name', async () => {
    const form = await open();
    const offers = () => within(form.getByRole('group', { name: 'What may come next' }));
    const take = (word: string) => press(word, offers());
    await take('query');
    await take('has');
    expect(text()).toBe('query has ');
    type('Only rows that pass', 'query has x ', form);
    await take('and');
    type('Only rows that pass', 'query has x and s', form);
    await take('set');
    await take('"Guides"');
    expect(text()).toBe('query has x and set "Guides" ');
  });

  it('is put together from parts', async () => {
    const form = await open();
    const built = part('Or put one together', 'group');
    expect(built.getByRole('button', { name: 'add' })).toBeDisabled();
    await choose('Field', 'clicks', built);
    await choose('Test', '>=', built);
    type('Value', '30', built);
    await press('add', built);
    expect(text()).toBe('clicks >= 30');
    expect(valueOf('Value', built)).toBe('');
    await choose('Field', 'brand', built);
    expect(built.queryByLabelText('Value')).toBeNull();
    await press('or', built);
    await choose('Field', 'set', built);
    await choose('Which set', 'Guides', built);
    await press('and not', built);
    expect(text()).toBe('(clicks >= 30 or brand) and not set Guides');
    await press('Read with it', form);
    expect(address()).toContain('filter=(clicks+>=+30+or+brand)');
  });

  it('is changed, or taken away', async () => {
    const form = await open('?filter=brand');
    expect(text()).toBe('brand');
    await press('No filter', form);
    expect(address()).toBe(`/sites/${HOST}/queries`);
  });

  it('that looks at more than one thing is told by the reading itself', async () => {
    const form = await open('', { [`GET /sites/${HOST}/try-filter`]: refusing('filter', '', 'not-to-be-tried', 422) });
    type('Only rows that pass', 'query has a and page has b', form);
    await waitFor(() => expect(form.queryByText('Without a filter every row counts.')).toBeNull());
  });
});
