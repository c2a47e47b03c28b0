import { describe, expect, it } from 'vitest';
import { cellOf, cellsOf, csv, fileName, harmless, tabbed } from '../src/mind/taking';
import { bound, pieces } from '../src/skin/Said';

describe('figures as they are written', () => {
  it.each([
    ['1,234', 'en-GB', 1234], ['−203', 'en-GB', -203], ['+1,615', 'en-GB', 1615], ['6.61%', 'en-GB', 0.0661], ['–', 'en-GB', null], ['', 'en-GB', null],
    ['1.234,5', 'de-DE', 1234.5], ['−12,3 %', 'de-DE', -0.123], ['1 234,5', 'fr-FR', 1234.5],
    ['+1,615 (+45.7%)', 'en-GB', '+1,615 (+45.7%)'], ['2026-03-01', 'en-GB', '2026-03-01'], ['too few to tell', 'en-GB', 'too few to tell'],
  ])('%s in %s', (text, locale, value) => expect(cellOf(text, locale)).toBe(value));
});

it('a table gives what is seen of it, with spans filled', () => {
  document.body.innerHTML = '<table><tr><th>Query</th><th class="num">clicks</th></tr><tr><th>2024<span class="vh">hidden</span></th><td><svg><title>no</title></svg>1,000</td></tr><tr><td colspan="2">rest</td></tr></table>';
  const cells = cellsOf(document.querySelector('table') as HTMLTableElement, 'en-GB');
  expect(cells).toEqual([['Query', 'clicks'], ['2024', 1000], ['rest', null]]);
});

it('CSV quotes what must be, the clipboard has one line a row', () => {
  const cells = [['a "b", c', 1.5], ['two\nlines', null]];
  expect(csv(cells)).toBe('"a ""b"", c",1.5\r\n"two\nlines",\r\n');
  expect(tabbed(cells)).toBe('a "b", c\t1.5\ntwo lines\t');
  expect(fileName('Pages to look at: Übersicht', 'csv')).toBe('pages-to-look-at-ubersicht.csv');
});

it('texts that a spreadsheet would run are made harmless, numbers are left alone', () => {
  expect(csv([['=1+1', '-ferry', '@sum', "'=x", '-5.2', -5, 'ferry']])).toBe("'=1+1,'-ferry,'@sum,''=x,-5.2,-5,ferry\r\n");
  expect(tabbed([['=1+1', 7]])).toBe("'=1+1\t7");
  expect(['+7', '+', "'tis"].map(harmless)).toEqual(['+7', "'+", "'tis"]);
});

it('a sentence is cut at its figures, in whatever order they are named', () => {
  const figure = (text: string) => ({ text, field: '/x', value: 1 });
  const cut = pieces({ text: '1 page of 12 lost 1.', figures: [figure('12'), figure('1'), figure('1')] });
  expect(cut.map((each) => (typeof each === 'string' ? each : `[${each.text}]`)).join('')).toBe('[1] page of [12] lost [1].');
});

it('brackets and stops are bound to their figure, and no letter is lost', () => {
  const figure = (text: string) => ({ text, field: '/x', value: 1 });
  const parts = bound(pieces({ text: 'Fell by 12 (−3%), to 4.', figures: [figure('12'), figure('−3%'), figure('4')] }));
  expect(parts).toEqual(['Fell by ', { before: '', figure: figure('12'), after: '' }, ' ', { before: '(', figure: figure('−3%'), after: '),' }, ' to ', { before: '', figure: figure('4'), after: '.' }]);
});
