/** What a reading may be asked besides its days and its filters: choices, and words that it cannot do without. */
import type { ParameterAbout, ReadingAbout } from './api';

const OF_FRAME = new Set(['window', 'against', 'season', 'language', 'limit', 'offset', 'engine', 'source']);
const FREE = new Set(['find', 'word']);

export interface Asking {
  choices: readonly ParameterAbout[];
  words: readonly ParameterAbout[];
}

export function askable(reading: ReadingAbout | undefined): Asking {
  const own = (reading?.parameters ?? []).filter((each) => !each.in_path && !OF_FRAME.has(each.name));
  return {
    choices: own.filter((each) => each.choices.length > 1 && !Array.isArray(each.default)),
    words: own.filter((each) => FREE.has(each.name)),
  };
}

/** Where a choice stands in the address. */
export const keyOf = (parameter: ParameterAbout) => `rows_${parameter.name}`;

/** What is chosen: as the address says, else as usual. */
export function chosenOf(asking: Asking, search: URLSearchParams): Record<string, string> {
  const told: Record<string, string> = {};
  for (const each of asking.choices)
    told[each.name] = each.choices.find((choice) => choice === search.get(keyOf(each))) ?? String(each.default ?? '');
  for (const each of asking.words) told[each.name] = search.get(keyOf(each)) ?? String(each.default ?? '');
  return Object.fromEntries(Object.entries(told).filter(([, value]) => value !== ''));
}

/** The words that are wanted and not given yet. */
export const lacking = (asking: Asking, chosen: Readonly<Record<string, string>>) =>
  asking.words.filter((each) => each.required && !chosen[each.name]);
