/** Datasets as they are told: titles, also of weeks and months, and which figures are sums. */
import { describe, expect, it } from 'vitest';
import { added, averaged, figure, heading, ofKinds, titleOf, wordOf, type Dataset } from '../src/mind/datasets';

const measure = (name: string, merge: 'sum' | 'weighted' | 'none') => ({
  ...{ name, path: ['figures', name], kind: 'count' as const, title: name, group: '', titled_by: '', how: '' },
  ...{ better: null, decimals: null, signed: false, shown: true, merge, weight: '' },
});
const dataset = (name: string, kind: string, measures: ReturnType<typeof measure>[]): Dataset => ({
  ...{ name, kind, title: `all ${name}`, about: '', in_files: true, dimensions: [], measures },
});
const ALL = [
  dataset('site', 'search', [measure('clicks', 'sum'), measure('position', 'weighted')]),
  dataset('visits', 'visits', [measure('sessions', 'sum'), measure('engaged', 'sum')]),
  dataset('visitors', 'visits', [measure('sessions', 'sum'), measure('users', 'none')]),
];

describe('datasets', () => {
  it('are those of the kinds of sources that a site has', () => {
    expect(ofKinds(ALL, ['visits', undefined]).map((each) => each.name)).toEqual(['visits', 'visitors']);
    expect(ofKinds(ALL, [])).toEqual([]);
  });

  it('are called by their titles, and by their names where nobody knows them', () => {
    expect(titleOf(ALL, 'visits')).toBe('all visits');
    expect(titleOf(ALL, 'week-visitors')).toBe('all visitors of whole weeks');
    expect(titleOf(ALL, 'month-visitors')).toBe('all visitors of whole months');
    expect(titleOf(ALL, 'parcels')).toBe('parcels');
    expect(titleOf([], 'week-parcels')).toBe('week-parcels of whole weeks');
  });

  it('tell each figure that adds up once, also those of weeks', () => {
    expect(added(ALL, ['visits', 'visitors', 'week-visitors']).map((each) => each.name)).toEqual([
      'sessions',
      'engaged',
    ]);
    expect(averaged(ALL, ['site', 'visits']).map((each) => each.name)).toEqual(['position']);
    expect(added(ALL, ['parcels'])).toEqual([]);
  });

  it('give none of a figure that was not counted, which is not nothing', () => {
    expect(figure({ figures: { sessions: 0 } }, 'sessions')).toBe(0);
    expect(figure({ figures: { sessions: 0 } }, 'clicks')).toBeUndefined();
    expect(figure({}, 'clicks')).toBeUndefined();
    expect([wordOf(ALL, 'sessions'), wordOf(ALL, 'shoe size')]).toEqual(['sessions', 'shoe size']);
    expect(heading(measure('clicks', 'sum'))).toBe('Clicks');
  });
});
