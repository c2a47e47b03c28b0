/** Every view on answers in which everything is there: it stands, and whatever it says goes through the catalogues. */
import { i18n } from '@lingui/core';
import { afterEach, expect, it, vi } from 'vitest';

const [OPEN, SHUT] = ['⟦', '⟧'];
const plain = i18n._.bind(i18n);
// marked before any module of the console is read: some of what it says stands in constants
i18n._ = ((...said: Parameters<typeof plain>) => `${OPEN}${plain(...said)}${SHUT}`) as typeof i18n._;
i18n.t = i18n._;
const { ME, SITE, VIEWS, modelled, service, stands } = await import('./service');
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

const unmarked = () => [...spoken()].map(outside).filter((text) => letters(text).some((word) => !KNOWN.has(word)));

afterEach(() => {
  vi.unstubAllGlobals();
});

it('what is said past the catalogues is found', () => {
  document.body.innerHTML = `<p title="Held days">${OPEN}all <b>clients</b>${SHUT} of text</p><i>15 Mar</i>`;
  expect(unmarked()).toEqual(['Held days', ' of text']);
  document.body.innerHTML = '';
});

// the seven steps of a month are made of readings, which the service says
it.each(VIEWS.filter((view) => view !== `${SITE}/monthly`))(
  '%s stands on full answers, and says nothing past the catalogues',
  async (view) => {
    service(modelled(true));
    await stands(view);
    expect(unmarked()).toEqual([]);
  },
);
