/** Readings of one subject: the first stands on the rail, the others beside it on its page. */
import { t } from '@lingui/core/macro';

export const KIN: ReadonlyArray<readonly string[]> = [
  ['visits', 'visitors', 'goals', 'landing', 'counting'],
  ['backlinks', 'links'],
  ['presence', 'arrivals', 'index', 'indexed', 'sitemap'],
  ['ideas', 'terms'],
];

/** What the rail calls some readings, which their own name would not tell. */
export const ON_RAIL: Readonly<Record<string, string>> = {
  backlinks: t`Links`,
  presence: t`Index`,
  worked: t`What came of work`,
};

export const kinOf = (name: string): readonly string[] => KIN.find((each) => each.includes(name)) ?? [];

/** Broken counting explains something by itself, so it keeps its own place. */
export const isBeside = (name: string) => name !== 'counting' && kinOf(name).indexOf(name) > 0;
