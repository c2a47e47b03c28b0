/** The language that readings say themselves in; the console's own words stay English. */
const KEY = 'noctilum-language';

export const LANGUAGES: ReadonlyArray<readonly [string, string]> = [
  ['en', 'English'],
  ['de', 'Deutsch'],
  ['fr', 'Français'],
  ['es', 'Español'],
];

export function spoken(): string {
  const kept = typeof localStorage === 'undefined' ? null : localStorage.getItem(KEY);
  return LANGUAGES.some(([code]) => code === kept) ? (kept as string) : 'en';
}

export function speak(code: string): void {
  localStorage.setItem(KEY, code);
}
