/** What the console says stands in every catalogue, with the same places; nothing is said past them. */
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, readdirSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseAst } from 'vite';
import { describe, expect, it } from 'vitest';

const SAID = 'src/said';
const OTHERS = ['de', 'fr', 'es'];
const IN_WORDS = new Set([
  'label',
  'title',
  'aria-label',
  'placeholder',
  'helperText',
  'alt',
  'about',
  'why',
  'busyText',
]);

type Catalogue = ReadonlyMap<string, string>;

/** Reads a catalogue: entries of one message and its translation, both written over lines. */
function catalogue(path: string): Catalogue {
  const entries = readFileSync(path, 'utf8').matchAll(/msgid ((?:".*"\n)+)msgstr ((?:".*"\n?)+)/g);
  const joined = (lines: string) =>
    lines
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as string)
      .join('');
  const all = [...entries].map((entry) => [joined(entry[1] ?? ''), joined(entry[2] ?? '')] as const);
  return new Map(all.filter(([message]) => message !== ''));
}

const places = (text: string) =>
  [...new Set([...text.matchAll(/<\/?\d+\/?>|\{\w+(?=[},])|<\/?b>|<br>/g)].map((found) => found[0]))].sort();

describe('catalogues', () => {
  it('hold exactly what the code says', () => {
    const fresh = mkdtempSync(join(tmpdir(), 'said-'));
    execFileSync('npx', ['lingui', 'extract'], { env: { ...process.env, SAID_IN: fresh }, stdio: 'pipe' });
    const used = [...catalogue(join(fresh, 'en.po')).keys()].sort();
    expect(used.length).toBeGreaterThan(1000);
    for (const language of ['en', ...OTHERS])
      expect([...catalogue(join(SAID, `${language}.po`)).keys()].sort()).toEqual(used);
  });

  it.each(OTHERS)('say everything in %s, with the same places', (language) => {
    for (const [message, said] of catalogue(join(SAID, `${language}.po`))) {
      expect(said.trim(), message).not.toBe('');
      expect(places(said), message).toEqual(places(message));
    }
  });
});

interface Node {
  type: string;
  [key: string]: unknown;
}
const isNode = (value: unknown): value is Node => typeof value === 'object' && value !== null && 'type' in value;
const wordy = (text: unknown) =>
  typeof text === 'string' && /\p{L}{2}/u.test(text.replace(/&\w+;/g, '')) && text.trim() !== 'Noctilum';
const nameOf = (node: unknown) => (isNode(node) && typeof node.name === 'string' ? node.name : '');

/** Finds words that are shown as they stand: text between tags outside a translation, and worded attributes. */
function unsaid(node: unknown, inTrans: boolean): string[] {
  if (Array.isArray(node)) return node.flatMap((each) => unsaid(each, inTrans));
  if (!isNode(node)) return [];
  if (node.type === 'JSXText') return !inTrans && wordy(node.value) ? [String(node.value).trim()] : [];
  if (node.type === 'JSXAttribute' && isNode(node.value) && node.value.type === 'Literal')
    return IN_WORDS.has(nameOf(node.name)) && wordy(node.value.value) ? [String(node.value.value)] : [];
  const element = node.type === 'JSXElement' && isNode(node.openingElement) ? nameOf(node.openingElement.name) : '';
  return Object.values(node).flatMap((each) => unsaid(each, inTrans || element === 'Trans'));
}

/** Written as the service takes them: an address, a path, paper. */
const AS_THEY_ARE = ['https://feed.example', 'skerryferries.example', '/timetables/ronsay', 'A4'];

describe('parts and views', () => {
  const files = ['src', 'src/skin', 'src/views'].flatMap((room) =>
    readdirSync(room)
      .filter((name) => name.endsWith('.tsx'))
      .map((name) => join(room, name)),
  );

  it('find a word that is not said through a catalogue', () => {
    const found = unsaid(parseAst('<p title="Held days">of <Trans>all</Trans> clients</p>', { lang: 'tsx' }), false);
    expect(found).toEqual(['Held days', 'of', 'clients']);
  });

  it.each(files)('%s says every word through the catalogues', (path) => {
    const found = unsaid(parseAst(readFileSync(path, 'utf8'), { lang: 'tsx' }), false);
    expect(found.filter((each) => !AS_THEY_ARE.includes(each))).toEqual([]);
  });
});
