/** Every address that the console asks is one of the service's, under that verb. */
import { readFileSync, readdirSync } from 'node:fs';
import { describe, expect, it } from 'vitest';

const DOCUMENT = JSON.parse(readFileSync('openapi.json', 'utf8')) as {
  paths: Record<string, Record<string, unknown>>;
};
const ASKED = /\bask(?:Text)?(?:<[^()]*?>)?\(\s*(`[^`]*`|'[^']*')/g;
const SENT = /\bsend(?:<[^()]*?>)?\(\s*'(POST|PATCH|PUT|DELETE)',\s*(`[^`]*`|'[^']*')/g;
const CHANGED = /\bchange<[^()]*?>\(\s*(`[^`]*`|'[^']*')/g;

interface Address {
  file: string;
  verb: string;
  path: string;
}

function addresses(): Address[] {
  return ['mind', 'skin', 'views'].flatMap((room) =>
    readdirSync(`src/${room}`)
      .filter((file) => !file.includes('.gen.'))
      .flatMap((file) => {
        const text = readFileSync(`src/${room}/${file}`, 'utf8');
        return [
          ...[...text.matchAll(ASKED)].map((found) => ({ file, verb: 'get', path: found[1]! })),
          ...[...text.matchAll(SENT)].map((found) => ({ file, verb: found[1]!.toLowerCase(), path: found[2]! })),
          ...[...text.matchAll(CHANGED)].map((found) => ({ file, verb: 'patch', path: found[1]! })),
        ];
      })
      // any reading, by the path that its declaration gives
      .filter(({ path }) => !path.includes('${words(')),
  );
}

/** Whether the document has an address: a part that is only known when it runs stands for any one part. */
function known({ verb, path }: Address): boolean {
  const parts = path
    .slice(1, -1)
    .replace('${of(key)}', '/sites/*')
    .replace(/\$\{[^}]*$/, '')
    .replace(/\?.*$/, '')
    .replace(/\$\{[^}]*\}$/, (last) => (path.includes(`/${last}`) ? '*' : ''))
    .replace(/\$\{[^}]*\}/g, '*')
    .split('/');
  return Object.entries(DOCUMENT.paths).some(([each, verbs]) => {
    const wanted = each.replace('/api/v1', '').split('/');
    const fits = (part: string, n: number) => part === '*' || part === wanted[n] || /^\{.*\}$/.test(wanted[n] ?? '');
    return verb in verbs && wanted.length === parts.length && parts.every(fits);
  });
}

describe('the addresses of the console', () => {
  it('are all in the document of the service', () => {
    const found = addresses();
    expect(found.length).toBeGreaterThan(120);
    expect(found.filter((each) => !known(each)).map(({ file, verb, path }) => `${file}: ${verb} ${path}`)).toEqual([]);
  });

  it('would be missed there if the service had them not', () => {
    expect(known({ file: '', verb: 'get', path: "'/sites/x/weather'" })).toBe(false);
    expect(known({ file: '', verb: 'delete', path: "'/portfolio'" })).toBe(false);
  });
});
