/** The laws of the rooms: the mind draws nothing, the skin fetches nothing. */
import { readFileSync, readdirSync } from 'node:fs';
import { describe, expect, it } from 'vitest';

const room = (name: string) =>
  readdirSync(`src/${name}`).map((file) => [file, readFileSync(`src/${name}/${file}`, 'utf8')] as const);
const imports = (text: string) =>
  [...text.matchAll(/^import (?!type )(.*?) from '([^']+)'/gms)].map((found) => found[2]);

describe('the rooms', () => {
  it('have a skin that is told what it shows and fetches nothing', () => {
    for (const [file, text] of room('skin')) {
      expect(imports(text), file).not.toContain('@tanstack/react-query');
      expect(imports(text), file).not.toContain('../mind/questions');
      expect(text, file).not.toMatch(/\bfetch\(|\bsend(<[^>]*>)?\('/);
    }
  });

  it('have a mind that draws nothing', () => {
    for (const [file, text] of room('mind')) {
      expect
        .soft(
          imports(text).filter((from) => from?.startsWith('@mui') || from?.startsWith('../skin')),
          file,
        )
        .toEqual([]);
    }
  });
});
