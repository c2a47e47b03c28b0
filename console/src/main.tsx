/** Turns to the reader's language, then starts: what is said stands in modules, so its catalogue comes first. */
import { turnTo } from './mind/said';

await turnTo();
await import('./start');
