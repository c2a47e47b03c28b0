/** Helping somebody write a filter: what may come next, and parts put together. */
import type { Dataset } from './datasets';

const TEXT = ['has', 'is', 'is not', 'starts', 'ends', 'matches', 'in'];
const DAY = ['>=', '<', 'in', '=', '<=', '>', '!='];
const NUMBER = ['>=', '<=', '=', '!=', '>', '<'];

/** Field → its tests; a flag has none. */
export type Tests = Readonly<Record<string, readonly string[]>>;

/** The fields of searches. */
export const TESTS: Tests = {
  query: TEXT,
  page: TEXT,
  path: TEXT,
  host: TEXT,
  country: ['is', 'is not', 'in'],
  device: ['is', 'is not'],
  kind: ['is', 'is not'],
  look: ['is', 'is not', 'has', 'in'],
  words: NUMBER,
  brand: [],
  question: [],
  'first seen': DAY,
  'page first seen': DAY,
  clicks: NUMBER,
  impressions: NUMBER,
  ctr: NUMBER,
  position: NUMBER,
  'change in clicks': NUMBER,
};

/** Fields that look at a dimension in ways of their own; any other dimension is a text. */
const LOOKS_AT: Readonly<Record<string, readonly string[]>> = {
  query: ['query', 'words', 'brand', 'question', 'first seen'],
  page: ['page', 'path', 'host', 'page first seen'],
  country: ['country'],
  device: ['device'],
  kind: ['kind'],
  look: ['look'],
};

/** The fields of a dataset: what it is told by, and its figures; those of searches where it is none. */
export function testsOf(dataset: Dataset | undefined): Tests {
  if (!dataset) return TESTS;
  const rows = dataset.dimensions.flatMap(({ name }) =>
    (LOOKS_AT[name] ?? [name]).map((field) => [field, TESTS[field] ?? TEXT] as const),
  );
  const figures = dataset.measures.flatMap(({ name }) =>
    [name, `change in ${name}`].map((each) => [each, NUMBER] as const),
  );
  return Object.fromEntries([...rows, ...figures]);
}

const JOINS = ['and', 'or'];
const MOST = 10;

/** Words that may follow a text: fields at its start and after a join, tests after a field, joins after a whole part. */
export function completions(text: string, sets: readonly string[], tests: Tests = TESTS): string[] {
  const [typed, before] = last(text);
  return offered(before, sets, tests)
    .filter((word) => word.startsWith(typed.toLowerCase()) && word !== typed)
    .slice(0, MOST);
}

function offered(before: string, sets: readonly string[], tests: Tests): string[] {
  const fields = [...Object.keys(tests), 'not', 'set'];
  if (/(^|\(|\b(and|or|not)\s)\s*$/i.test(before) || !before.trim()) return fields;
  if (/\bset\s+$/i.test(before)) return sets.map((name) => `"${name}"`);
  const field = /([\w ]*\w)\s+$/.exec(before)?.[1]?.toLowerCase() ?? '';
  const name = Object.keys(tests)
    .filter((each) => field.endsWith(each))
    .sort((a, b) => b.length - a.length)[0];
  if (name) return tests[name]?.length ? [...tests[name]] : JOINS;
  if (/\b(has|is|starts|ends|matches|in|exactly)\s+$|[<>=]\s*$/i.test(before)) return [];
  return JOINS;
}

/** The word being typed, and what is before it. */
function last(text: string): [string, string] {
  const typed = /[\w"]*$/.exec(text)?.[0] ?? '';
  return [typed, text.slice(0, text.length - typed.length)];
}

export function completed(text: string, word: string): string {
  return `${last(text)[1]}${word} `;
}

/** A value as the language writes it: numbers and lists as they are, patterns between slashes, texts in quotes. */
export function quoted(field: string, value: string, tests: Tests = TESTS): string {
  const text = value.trim();
  if (
    tests[field] === NUMBER ||
    tests[field] === DAY ||
    text.startsWith('(') ||
    (text.startsWith('/') && text.endsWith('/') && text.length > 2)
  )
    return text;
  if (/^\p{L}[\p{L}\d_]*$/u.test(text) && field !== 'page') return text;
  return `"${text.replaceAll('\\', '\\\\').replaceAll('"', '\\"')}"`;
}

/** Joins a part to a text, in brackets where or would otherwise reach too far. */
export function added(text: string, join: 'and' | 'and not' | 'or', part: string): string {
  const before = text.trim();
  if (!before) return join === 'and not' ? `not ${part}` : part;
  const whole = join !== 'or' && / or /i.test(before) ? `(${before})` : before;
  return `${whole} ${join} ${part}`;
}

export type Paint = 'field' | 'test' | 'join' | 'text' | 'number' | 'plain';

type Forms = ReadonlyArray<readonly [Paint, RegExp]>;

/** Signs of a name that mean more in a pattern. */
const plainly = (name: string) => name.replaceAll(/[.*+?^${}()|[\]\\]/g, '\\$&');

function formsOf(tests: Tests): Forms {
  const fields = [...Object.keys(tests), 'set'].sort((a, b) => b.length - a.length).map(plainly);
  return [
    ['text', /^(?:"(?:\\.|[^"\\])*"?|\/(?:\\.|[^/\\\s])+\/?)/],
    ['number', /^\d(?:[\d.]*%?|\d{3}(?:-\d\d){1,2})(?![\d-])|^\d[\d.]*%?/],
    ['join', /^(?:and|or|not)\b/i],
    ['test', /^(?:has|is(?: not)?|starts|ends|matches|in|exactly)\b|^[<>!]?=|^[<>]/i],
    ['field', new RegExp(`^(?:${fields.join('|')})\\b`, 'i')],
    ['plain', /^[\p{L}\d_]+|^\s+|^./u],
  ];
}

/** Cuts a filter into pieces by what they are, for colouring; joined again they are the text as typed. */
export function painted(text: string, tests: Tests = TESTS): Array<readonly [Paint, string]> {
  const forms = formsOf(tests);
  const found: Array<readonly [Paint, string]> = [];
  for (let rest = text; rest;) {
    const [paint, piece] =
      forms.map(([name, form]) => [name, form.exec(rest)?.[0] ?? ''] as const).find(([, match]) => match) ??
      (['plain', rest[0] ?? ''] as const);
    found.push([paint, piece]);
    rest = rest.slice(piece.length);
  }
  return found;
}
