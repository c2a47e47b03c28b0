/** Every view on answers in which everything is there: it stands, and whatever it says goes through the catalogues. */
import { i18n } from '@lingui/core';
import { fireEvent, screen } from '@testing-library/react';
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

const [OPEN, SHUT] = ['⟦', '⟧'];
const plain = i18n._.bind(i18n);
// marked before any module of the console is read: some of what it says stands in constants
i18n._ = ((...said: Parameters<typeof plain>) => `${OPEN}${plain(...said)}${SHUT}`) as typeof i18n._;
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
const letters = (text: string) => [...text.matchAll(/\p{L}{2,}/gu)].map(([word]) => word);
const KNOWN = new Set([...WRITTEN, ...NAMES, ...FORMATS, ...LANGUAGE_OF_FILTERS, ...ANSWERED].flatMap(letters));

/** What stands outside of all messages. */
function outside(text: string): string {
  let depth = 0;
  let found = '';
  for (const sign of text) {
    if (sign === OPEN) depth += 1;
    else if (sign === SHUT) depth -= 1;
    else if (!depth) found += sign;
  }
  return found;
}

/** Each piece of text that is drawn, or told to who cannot see; pieces of one line together. */
function* spoken(): Generator<string> {
  const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_ALL);
  let piece = '';
  for (let node = walk.nextNode(); node; node = walk.nextNode()) {
    if (node instanceof Element) {
      for (const name of ['aria-label', 'aria-description', 'title', 'placeholder', 'alt'])
        if (node.getAttribute(name)) yield node.getAttribute(name)!;
    } else if (node.nodeType === Node.TEXT_NODE && !node.parentElement?.closest('style, script')) {
      piece += node.textContent ?? '';
      if (piece.split(OPEN).length !== piece.split(SHUT).length) continue;
      yield piece;
      piece = '';
    }
  }
  yield piece;
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
    .filter((value) => value.includes(OPEN));

const unmarked = () =>
  [...spoken(), ...written(drawn)].map(outside).filter((text) => letters(text).some((word) => !KNOWN.has(word)));

afterEach(() => {
  drawn.length = 0;
  vi.unstubAllGlobals();
});

it('what is said past the catalogues is found', () => {
  document.body.innerHTML = `<p title="Held days">${OPEN}all <b>clients</b>${SHUT} of text</p><i>15 Mar</i>`;
  expect(unmarked()).toEqual(['Held days', ' of text']);
  document.body.innerHTML = '';
});

// the seven steps of a month are made of readings, which the service says
const STANDING = VIEWS.filter((view) => view !== `${SITE}/monthly`);

it.each(STANDING)('%s stands on full answers, and says nothing past the catalogues', async (view) => {
  service(modelled(true));
  await stands(view);
  expect(unmarked()).toEqual([]);
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
  fireEvent.click(await screen.findByRole('button', { name: /Change/ }));
  expect(await screen.findByDisplayValue('monthly on 3 at 06:00')).toBeInTheDocument();
  sources.unmount();
  open(`${SITE}/reports`);
  fireEvent.click(await screen.findByText(/⟦monthly on 3 at 06:00⟧/));
  expect(await screen.findByDisplayValue('monthly on 3 at 06:00')).toBeInTheDocument();
  expect(held()).toEqual([]);
});
