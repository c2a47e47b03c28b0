import { describe, expect, it } from 'vitest';
import type { Dataset } from '../src/mind/datasets';
import { TESTS, added, completed, completions, painted, quoted, testsOf } from '../src/mind/filter';

describe('what may come next', () => {
  it('is a field at the start and after a join', () => {
    expect(completions('', [])).toContain('query');
    expect(completions('brand and po', [])).toEqual(['position']);
    expect(completions('(', [])).toContain('page');
  });
  it('is a test after a field, and nothing after a test', () => {
    expect(completions('query ', [])).toContain('has');
    expect(completions('change in clicks ', [])).toContain('>=');
    expect(completions('query has ', [])).toEqual([]);
  });
  it('is a join after a whole part, and a set by its name', () => {
    expect(completions('brand ', [])).toEqual(['and', 'or']);
    expect(completions('query has ferry ', [])).toEqual(['and', 'or']);
    expect(completions('set ', ['Guides'])).toEqual(['"Guides"']);
  });
  it('takes the place of what was typed', () => {
    expect(completed('not br', 'brand')).toBe('not brand ');
  });
});

describe('parts put together', () => {
  it('are quoted as the language wants it', () => {
    expect(quoted('query', 'to sea')).toBe('"to sea"');
    expect(quoted('page', '/fares')).toBe('"/fares"');
    expect(quoted('query', 'a "b"')).toBe('"a \\"b\\""');
    expect(quoted('words', '4')).toBe('4');
    expect(quoted('country', '(NO, SE)')).toBe('(NO, SE)');
    expect(quoted('query', '/fer(ry)/')).toBe('/fer(ry)/');
  });
  it('keep their meaning beside an or', () => {
    expect(added('a or b', 'and', 'brand')).toBe('(a or b) and brand');
    expect(added('brand', 'or', 'question')).toBe('brand or question');
    expect(added('', 'and not', 'brand')).toBe('not brand');
  });
});

describe('the fields of a dataset', () => {
  const named = (...names: string[]) => names.map((name) => ({ name, title: name }));
  const VISITS = {
    ...{ name: 'visits', kind: 'visits', title: 'visits', about: '', in_files: true },
    ...{ dimensions: named('page', 'channel', 'device'), measures: named('sessions', 'revenue') },
  } as unknown as Dataset;
  const tests = testsOf(VISITS);

  it('are those of its dimensions and figures, and of searches where it is none', () => {
    expect(Object.keys(tests)).toEqual([
      ...['page', 'path', 'host', 'page first seen', 'channel', 'device'],
      ...['sessions', 'change in sessions', 'revenue', 'change in revenue'],
    ]);
    expect(testsOf(undefined)).toBe(TESTS);
  });

  it('are offered, taken as what they are, and coloured', () => {
    expect(completions('', [], tests)).not.toContain('query');
    expect(completions('channel ', [], tests)).toContain('has');
    expect(completions('change in sessions ', [], tests)).toEqual(['>=', '<=', '=', '!=', '>', '<']);
    expect(quoted('sessions', '10', tests)).toBe('10');
    expect(quoted('channel', 'paid social', tests)).toBe('"paid social"');
    expect(painted('sessions >= 10', tests)[0]).toEqual(['field', 'sessions']);
    expect(painted('sessions >= 10')[0]).toEqual(['plain', 'sessions']);
    const odd = testsOf({ ...VISITS, measures: named('a.b (c)') } as unknown as Dataset);
    expect(
      painted('a.b (c) > 1', odd)
        .map(([, piece]) => piece)
        .join(''),
    ).toBe('a.b (c) > 1');
  });
});
