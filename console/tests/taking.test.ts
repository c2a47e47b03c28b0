import { expect, it } from 'vitest';
import { csv, fileName, harmless, tabbed } from '../src/mind/taking';
import { bound, pieces } from '../src/skin/Said';

it('CSV quotes what must be, the clipboard has one line a row', () => {
  const cells = [
    ['a "b", c', 1.5],
    ['two\nlines', null],
  ];
  expect(csv(cells)).toBe('"a ""b"", c",1.5\r\n"two\nlines",\r\n');
  expect(tabbed(cells)).toBe('a "b", c\t1.5\ntwo lines\t');
  expect(fileName('Pages to look at: Übersicht', 'csv')).toBe('pages-to-look-at-ubersicht.csv');
});

it('texts that a spreadsheet would run are made harmless, numbers are left alone', () => {
  expect(csv([['=1+1', '-ferry', '@sum', "'=x", '-5.2', -5, 'ferry']])).toBe(
    "'=1+1,'-ferry,'@sum,''=x,-5.2,-5,ferry\r\n",
  );
  expect(tabbed([['=1+1', 7]])).toBe("'=1+1\t7");
  expect(['+7', '+', "'tis"].map(harmless)).toEqual(['+7', "'+", "'tis"]);
});

it('a sentence is cut at its figures, in whatever order they are named', () => {
  const figure = (text: string) => ({ text, field: '/x', value: 1 });
  const cut = pieces({ text: '1 page of 12 lost 1.', figures: [figure('12'), figure('1'), figure('1')] });
  expect(cut.map((each) => (typeof each === 'string' ? each : `[${each.text}]`)).join('')).toBe(
    '[1] page of [12] lost [1].',
  );
});

it('brackets and stops are bound to their figure, and no letter is lost', () => {
  const figure = (text: string) => ({ text, field: '/x', value: 1 });
  const parts = bound(pieces({ text: 'Fell by 12 (−3%), to 4.', figures: [figure('12'), figure('−3%'), figure('4')] }));
  expect(parts).toEqual([
    'Fell by ',
    { before: '', figure: figure('12'), after: '' },
    ' ',
    { before: '(', figure: figure('−3%'), after: '),' },
    ' to ',
    { before: '', figure: figure('4'), after: '.' },
  ]);
});
