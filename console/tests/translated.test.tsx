/** Every view on answers in which everything is there: it stands, and all it says is said through the catalogues. */
import { i18n, type MessageDescriptor } from '@lingui/core';
import { compileMessage } from '@lingui/message-utils/compileMessage';
import { fireEvent, screen, waitFor, within } from '@testing-library/react';
import { useRef } from 'react';
import { afterEach, expect, it, vi } from 'vitest';

/** What charts would be drawn from: a page without layout gives them no room. */
const drawn: unknown[] = [];
vi.mock('../src/skin/charts', async (original) => ({
  ...(await original<object>()),
  useChart: (build: (scheme: string) => unknown) => {
    drawn.push(build('light'));
    return { element: useRef(null), chart: useRef(null) };
  },
}));

const VEIL = 'ж';
type Said = ReturnType<typeof compileMessage>[number];

/** Veils what a message says itself: what is left in letters are the values that were put into it. */
function veiled(token: Said | string): Said | string {
  if (typeof token === 'string') return token.replace(/\p{L}/gu, VEIL);
  const [name, kind, ways] = token as [string, string?, Record<string, Said[] | string | number | undefined>?];
  if (!ways) return token;
  const each = (said: Said[] | string | number | undefined) =>
    Array.isArray(said) ? said.map(veiled) : typeof said === 'string' ? veiled(said) : said;
  return [name, kind, Object.fromEntries(Object.entries(ways).map(([way, said]) => [way, each(said)]))] as Said;
}

const plain = i18n._.bind(i18n);
// veiled before any module of the console is read: some of what it says stands in constants
i18n._ = ((said: string | MessageDescriptor, ...more: []) => {
  const { id, message = id } = typeof said === 'string' ? { id: said } : said;
  i18n.messages[id] ??= compileMessage(message).map(veiled) as Said[];
  return plain(said as string, ...more);
}) as typeof i18n._;
i18n.t = i18n._;
const { ME, SITE, VIEWS, json, modelled, open, service, stands } = await import('./service');
const { LISTS } = await import('../src/mind/list');

/** What a browser writes of days and hours, names that are nobody's to translate, and what the service itself says. */
const DAYS = Array.from({ length: 366 }, (_, n) => new Date(Date.UTC(2026, 0, 1 + n)));
const WRITTEN = (['long', 'short'] as const).flatMap((form) =>
  DAYS.map((day) => day.toLocaleString('en-GB', { month: form, weekday: form, timeZone: 'UTC', hour: '2-digit' })),
);
const LANGUAGES = ['English', 'Deutsch', 'Français', 'Español'];
const NAMES = ['Noctilum', ME.name, ...LANGUAGES, ...Object.values(LISTS), 'hivewright.example', 'rival.example'];
const FORMATS = ['PDF', 'HTML', 'XLSX', 'CSV', 'A4', 'AM', 'PM'];
const LANGUAGE_OF_FILTERS = ['words', 'or', 'question'];
const ANSWERED = ['text', 'Text'];
const letters = (text: string) => [...text.matchAll(/\p{Script=Latin}{2,}/gu)].map(([word]) => word);
const KNOWN = new Set([...WRITTEN, ...NAMES, ...FORMATS, ...LANGUAGE_OF_FILTERS, ...ANSWERED].flatMap(letters));

/** Each piece of text that is drawn, or told to who cannot see. */
function* spoken(): Generator<string> {
  for (const each of document.body.querySelectorAll('*'))
    for (const name of ['aria-label', 'aria-description', 'title', 'placeholder', 'alt'])
      if (each.getAttribute(name)) yield each.getAttribute(name)!;
  const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  for (let node = walk.nextNode(); node; node = walk.nextNode())
    if (!node.parentElement?.closest('style, script')) yield node.textContent ?? '';
}

const POINTED = { dataIndex: 0, seriesIndex: 0, value: 1, name: 'text', data: { value: 1, name: 'text' } };
const POINTS = [POINTED, [POINTED], 1, '2026-03-15'];

/** What a chart writes: names and labels as they stand, and what it says of a point. */
function written(part: unknown, key = ''): string[] {
  if (typeof part === 'string') return ['name', 'text', 'subtext'].includes(key) ? [part] : [];
  if (typeof part === 'function' && key === 'formatter')
    return POINTS.flatMap((point) => {
      try {
        const said = String((part as (of: unknown) => unknown)(point)).replace(/<[^>]*>/g, ' ');
        return said.includes('NaN') ? [] : [said];
      } catch {
        return []; // it writes points of another kind
      }
    });
  if (typeof part !== 'object' || part === null) return [];
  return Object.entries(part).flatMap(([name, each]) => written(each, Array.isArray(part) ? key : name));
}

/** What fields hold, and what can be chosen, is sent as it stands: the service knows it in one language. */
const held = () =>
  [...document.querySelectorAll('input, textarea, option')]
    .map((each) => (each as HTMLInputElement | HTMLOptionElement).value)
    .filter((value) => value.includes(VEIL));

const typed = () => [...document.querySelectorAll('input')].map((each) => each.value);

const unveiled = () =>
  [...spoken(), ...written(drawn)].filter((text) => letters(text).some((word) => !KNOWN.has(word)));

afterEach(() => {
  drawn.length = 0;
  vi.unstubAllGlobals();
});

it('what is said past the catalogues is found', () => {
  document.body.innerHTML = `<p title="Held days">${VEIL}${VEIL} <b>${VEIL}</b> of text</p><i>15 Mar</i>`;
  expect(unveiled()).toEqual(['Held days', ' of text']);
  document.body.innerHTML = '';
});

// the seven steps of a month are made of readings, which the service says
const STANDING = VIEWS.filter((view) => view !== `${SITE}/monthly`);

it.each(STANDING)('%s stands on full answers, and says all through the catalogues', async (view) => {
  service(modelled(true));
  await stands(view);
  expect(unveiled()).toEqual([]);
  expect(held()).toEqual([]);
});

it('a schedule is typed as the service reads it, whatever language is spoken', async () => {
  const rule = 'FREQ=MONTHLY;BYMONTHDAY=3;BYHOUR=6;BYMINUTE=0;BYSECOND=0';
  service(async (path) => {
    const answer = (await (await modelled(true)(path)).json()) as unknown;
    if (!/\/(reports|sources)$/.test(path)) return json(answer);
    return json((answer as object[]).map((each) => ({ ...each, schedule: rule, connector: 'noctilum-feed' })));
  });
  const sources = open('/sources');
  const [table] = await screen.findAllByRole('table');
  fireEvent.click(within(table!).getAllByRole('button', { name: /^ж+: text$/ })[0]!);
  await waitFor(() => expect(typed()).toContain('monthly on 3 at 06:00'));
  sources.unmount();
  open(`${SITE}/reports`);
  fireEvent.click(await screen.findByText(/ж+ ж+ 3 ж+ 06:00/));
  await waitFor(() => expect(typed()).toContain('monthly on 3 at 06:00'));
  expect(held()).toEqual([]);
});
