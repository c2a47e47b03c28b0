/** The language that is spoken: the one chosen here, or the first of the browser's that is known. */
const KEY = 'noctilum-language';

export const LANGUAGES: ReadonlyArray<readonly [string, string]> = [
  ['en', 'English'],
  ['de', 'Deutsch'],
  ['fr', 'Français'],
  ['es', 'Español'],
];

const known = (code: string | null | undefined): code is string => LANGUAGES.some(([each]) => each === code);

export function spoken(): string {
  const kept = typeof localStorage === 'undefined' ? null : localStorage.getItem(KEY);
  if (known(kept)) return kept;
  const asked = typeof navigator === 'undefined' ? [] : (navigator.languages ?? []).map((each) => each.slice(0, 2));
  return asked.find(known) ?? 'en';
}

/** Keeps the choice; the page is read anew in it. */
export function speak(code: string): void {
  localStorage.setItem(KEY, code);
}

/** How figures and days are written in a language: as in the reader's own country where it is spoken there. */
export function localeOf(code: string): string {
  const own = typeof navigator === 'undefined' ? '' : (navigator.language ?? '');
  return own === code || own.startsWith(`${code}-`) ? own : code === 'en' ? 'en-GB' : code;
}
