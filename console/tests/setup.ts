import '@testing-library/jest-dom/vitest';
import { cleanup, configure } from '@testing-library/react';
import { afterEach } from 'vitest';

/** A machine that does much else may take long over a page; that is no fault. */
configure({ asyncUtilTimeout: 30000, defaultHidden: true });
afterEach(cleanup);

/** What a page without layout lacks: nothing is ever resized or scrolled, and no width is asked for. */
class Still {
  observe() {}
  unobserve() {}
  disconnect() {}
}
const nothing = () => undefined;
globalThis.ResizeObserver = Still;
const listens = Object.fromEntries(
  ['addEventListener', 'removeEventListener', 'addListener', 'removeListener'].map((name) => [name, nothing]),
);
globalThis.matchMedia = (media: string) => ({ media, matches: false, ...listens }) as unknown as MediaQueryList;
Element.prototype.scrollTo = nothing;
/** Styles as they stand at an element: no sheet of the console is read here, and asking all of those of its parts takes a fifth of the time. */
globalThis.getComputedStyle = (element) => (element as HTMLElement).style;
