/** How each figure is computed, by the last name in its place in a reading. */
export const HOW: Readonly<Record<string, string>> = {
  clicks: 'Clicks as the provider counted them, summed over the held days of the window; compared with the same number of held days before, in pairs.',
  impressions: 'How often a result of the site was shown, as the provider counted it, summed over held days.',
  ctr: 'Clicks over impressions of the whole window, never an average of daily rates.',
  position: 'The sum of places over impressions: each impression counts once. 1 is the top.',
  clicks_ratio: 'The change in clicks over the clicks before; none where there were none before.',
  impressions_ratio: 'The change in impressions over those before.',
  demand: 'What clicks would have changed by had only the impressions of queries seen in both windows changed (Shapley’s share of impressions × rate of the place × appeal).',
  rank: 'What clicks would have changed by had only the places changed, by the site’s own curve of click-through for each device.',
  appeal: 'What clicks would have changed by had only the click-through beyond the curve’s changed: title, snippet, other results on the page.',
  entered: 'Clicks of queries shown now and not before.',
  left: 'Clicks of queries shown before and not now.',
  unlisted: 'The provider’s total less the listed rows: queries withheld because few people asked them.',
  net: 'All gains and all losses of rows together.',
  lost: 'The losses of all rows that lost, added up.',
  gained: 'The gains of all rows that gained, added up.',
  rows: 'How many rows have this verdict.',
  change: 'Clicks now less clicks before.',
  matching: 'How many rows were found, on all pages of the list.',
  gain: 'Impressions × click-through at the target place × the row’s own appeal, less its clicks; the appeal is drawn to 1 where little is known.',
  gain_low: 'The gain one place lower than the target.',
  gain_high: 'The gain one place higher than the target.',
  switches: 'Days on which another page had most impressions than on the day before.',
  days_seen: 'Days with at least one impression.',
  days_held: 'Days whose figures are held, final.',
  queries: 'Listed queries with at least one impression.',
  expected: 'From the same weekdays before, drawn along with the level of the last weeks; for a note, clicks before times the change of the rest of the site.',
  value: 'As the provider counted it on that day.',
  moved: 'Clicks now over those to be expected, less one.',
  rest_now: 'Clicks of the whole site less those of what the note is on, after it.',
  rest_before: 'Clicks of the whole site less those of what the note is on, before it.',
  new: 'Queries shown in this month and not in the month before.',
  weeks_in_top_ten: 'Weeks with an average place of 10.5 or better.',
  z: 'The change over its spread: (k1 − r·k0) / √(φ·(r²·k0 + k1)).',
  slope: 'The median of the slopes between any two of the last 12 whole months (Theil–Sen).',
  months_down: 'Whole months in a row, up to the last, each with fewer clicks than the one before.',
  verdict: 'The change against the scatter of the row’s own 26 weeks before; falls tested as falls, at most 8% of the list by chance.',
};

/** Finds the explanation of a field, by its JSON pointer or its plain name. */
export function howOf(field: string): string | undefined {
  const parts = field.split('/').filter((part) => !/^\d*$/.test(part));
  return HOW[parts.at(-1) ?? field];
}
