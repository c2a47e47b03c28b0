// @vitest-environment jsdom
import { describe, expect, it } from 'vitest';
import { VIEWS, addressOf, goals, viewGoals, viewsOf } from '../src/mind/places';

const SITES = [
  { key: 'skerryferries.example', host: 'skerryferries.example', client_name: 'Skerry Ferries' },
  { key: 'hivewright.example', host: 'hivewright.example', client_name: 'Hivewright' },
  { key: 'blog.hivewright.example', host: 'blog.hivewright.example', client_name: 'Hivewright' },
];
const to = (text: string, open?: string) => goals(text, SITES, open, '?window=P7D').map((goal) => goal.to);

describe('going somewhere by name', () => {
  it('finds clients by name or host, and stays on the view that is open', () => {
    expect(to('SKÉRRY', 'fading')).toEqual(['/sites/skerryferries.example/fading?window=P7D']);
    expect(to('blog')).toEqual(['/sites/blog.hivewright.example/overview?window=P7D']);
    expect(to('')).toHaveLength(SITES.length);
  });

  it('takes a client and a view at once', () => {
    expect(to('hive reach')).toEqual([
      '/sites/hivewright.example/reach?window=P7D',
      '/sites/blog.hivewright.example/reach?window=P7D',
    ]);
    expect(to('nobody reach')).toEqual([]);
  });

  it('offers the views of the open site, and only the agency’s without one', () => {
    expect(viewGoals('dated', 'a.example', '').map((goal) => goal.to)).toEqual(['/sites/a.example/notes']);
    expect(viewGoals('', undefined, '').map((goal) => goal.to)).toEqual([
      '/',
      '/sources',
      '/imports',
      '/keeping',
      '/people',
      '/alerts',
      '/work',
      '/looks',
      '/due',
    ]);
  });

  it('offers a reader what they may see, and nothing that changes anything', () => {
    const offered = viewsOf('reader');
    expect(offered[0]?.name).toBe('Reports');
    expect(offered.map((view) => view.at)).not.toContain('people');
    expect(offered.every((view) => view.ofSite || view.at === '')).toBe(true);
    expect(viewsOf('analyst')).toBe(VIEWS);
  });

  it('gives every view an address and a key of its own', () => {
    const keys = VIEWS.flatMap((view) => view.key ?? []);
    expect(new Set(keys).size).toBe(keys.length);
    expect(new Set(VIEWS.map((view) => addressOf(view, 'a'))).size).toBe(VIEWS.length);
  });
});
