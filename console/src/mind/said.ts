/** The catalogue of the language that is spoken; read before anything is said. */
import { i18n } from '@lingui/core';
import type { Messages } from '@lingui/core';
import { spoken } from './language';

const CATALOGUES = import.meta.glob<{ messages: Messages }>('../said/*.po');

/** Reads and turns to the language's catalogue; what stands in modules is said once, so another language loads anew. */
export async function turnTo(language = spoken()): Promise<void> {
  const read = CATALOGUES[`../said/${language}.po`];
  if (!read) throw new Error(`no catalogue of ${language}`);
  const { messages } = await read();
  i18n.loadAndActivate({ locale: language, messages });
  document.documentElement.lang = language;
}
