import { describe, expect, it } from 'vitest';
import { added, completed, completions, quoted } from '../src/mind/filter';

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
