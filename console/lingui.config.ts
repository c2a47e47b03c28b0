import { defineConfig } from '@lingui/cli';
import { formatter } from '@lingui/format-po';

/** What the console says, in catalogues as translators' programs read them; English stands in the code. */
export default defineConfig({
  sourceLocale: 'en',
  locales: ['en', 'de', 'fr', 'es'],
  catalogs: [{ path: `${process.env.SAID_IN ?? '<rootDir>/src/said'}/{locale}`, include: ['src'] }],
  format: formatter({ origins: false, printPlaceholdersInComments: false }),
});
