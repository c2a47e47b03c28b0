import { ON_RAIL, isBeside } from './kin';
import { named } from './named';
import { t } from '@lingui/core/macro';
/** Where one can go: the views of a site and those of the agency, with the key after g; without a group it is not on the rail. */
export interface View {
  name: string;
  at: string;
  key?: string;
  group?: 'Portfolio' | 'Collect' | 'Read' | 'Ranks' | 'Explain' | 'Act' | 'Report';
  ofSite: boolean;
}

export const VIEWS: readonly View[] = [
  { name: t`All clients`, at: '', key: 'p', group: 'Portfolio', ofSite: false },
  { name: t`Sources`, at: 'sources', key: 's', group: 'Collect', ofSite: false },
  { name: t`Held days`, at: 'held', key: 'h', group: 'Collect', ofSite: true },
  { name: t`Imports`, at: 'imports', key: 'i', group: 'Collect', ofSite: false },
  { name: t`Keeping`, at: 'keeping', key: 'k', group: 'Collect', ofSite: false },
  { name: t`People`, at: 'people', key: 'u', group: 'Collect', ofSite: false },
  { name: t`Overview`, at: 'overview', key: 'o', group: 'Read', ofSite: true },
  { name: t`Queries`, at: 'queries', key: 'q', group: 'Read', ofSite: true },
  { name: t`Pages`, at: 'pages', key: 'a', group: 'Read', ofSite: true },
  { name: t`Places & devices`, at: 'places', key: 'd', group: 'Read', ofSite: true },
  { name: t`Sets`, at: 'sets', key: 't', group: 'Read', ofSite: true },
  { name: t`Ladder`, at: 'ladder', key: 'l', group: 'Ranks', ofSite: true },
  { name: t`Keywords`, at: 'keywords', key: 'w', group: 'Ranks', ofSite: true },
  { name: t`Competitors`, at: 'competitors', key: 'm', group: 'Ranks', ofSite: true },
  { name: t`Features`, at: 'features', key: 'e', group: 'Ranks', ofSite: true },
  { name: t`Ranks by place`, at: 'rank-places', key: 'b', group: 'Ranks', ofSite: true },
  { name: t`Fading`, at: 'fading', key: 'f', group: 'Explain', ofSite: true },
  { name: t`Within reach`, at: 'reach', key: 'r', group: 'Explain', ofSite: true },
  { name: t`Overlap`, at: 'overlap', key: 'v', group: 'Explain', ofSite: true },
  { name: t`Clusters`, at: 'clusters', key: 'c', group: 'Explain', ofSite: true },
  { name: t`Dated notes`, at: 'notes', key: 'n', group: 'Explain', ofSite: true },
  { name: t`Monthly check`, at: 'monthly', key: '1', group: 'Act', ofSite: true },
  { name: t`Alerts`, at: 'alerts', group: 'Act', ofSite: false },
  { name: t`Worklist`, at: 'work', key: 'j', group: 'Act', ofSite: false },
  { name: t`Trials`, at: 'trials', key: 'z', group: 'Act', ofSite: true },
  { name: t`Targets`, at: 'targets', key: '2', group: 'Act', ofSite: true },
  { name: t`Looks`, at: 'looks', group: 'Report', ofSite: false },
  { name: t`Due`, at: 'due', key: 'x', group: 'Report', ofSite: false },
  { name: t`Reports`, at: 'reports', key: 'y', group: 'Report', ofSite: true },
  { name: t`Unclicked`, at: 'unclicked', ofSite: true },
  { name: t`Mobile and desktop`, at: 'device-gap', ofSite: true },
];

/** Readings that a view shows already; others have an entry of their own, made from what the service says of them. */
const IN_VIEWS = new Set([
  'timeline',
  'breakdown',
  'cross',
  'bands',
  'weekdays',
  'life',
  'drivers',
  'fading',
  'within-reach',
  'overlap',
  'clusters',
  'unclicked',
  'device-gap',
  'odd-days',
  'note-effect',
  'ledger',
  'day',
  'changes',
  'reconcile',
  'rank-summary',
  'ladder',
  'keyword',
  'share-of-voice',
  'domain',
  'result-features',
  'cross-check',
  'feature-effect',
  'local-grid',
  'device-ranks',
  'ranks',
  'listings',
  'features',
  'feature-owners',
  'feature-turns',
  'citations',
  'trial',
  'trial-plan',
  'course',
  'target',
]);

const capital = (text: string) => `${text.charAt(0).toUpperCase()}${text.slice(1)}`;

export function viewsOfReadings(
  readings: ReadonlyArray<{ name: string; group: 'Collect' | 'Read' | 'Ranks' | 'Explain' | 'Act' }>,
): View[] {
  return readings
    .filter((each) => !IN_VIEWS.has(each.name) && !isBeside(each.name))
    .map(({ name, group }) => ({
      name: ON_RAIL[name] ?? capital(named(name).replaceAll('-', ' ')),
      at: `read/${name}`,
      group,
      ofSite: true,
    }));
}

/** The address of a view; of a site's only with the site. search: what goes along, with its question mark. */
export function addressOf(view: View, site: string | undefined, search = ''): string {
  return view.ofSite ? (site ? `/sites/${site}/${view.at}${search}` : '/') : `/${view.at}`;
}

export interface Goal {
  name: string;
  about: string;
  to: string;
}

interface Named {
  key: string;
  host: string;
  client_name: string;
}

const plain = (text: string) => text.normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase();

/** What a text may mean, best first: clients by name or host, views of the open site, and both at once ("skerry fad"). */
export function goals(
  text: string,
  sites: readonly Named[],
  open: string | undefined,
  search: string,
  most = 12,
): Goal[] {
  const words = plain(text).split(/\s+/).filter(Boolean);
  const holds = (name: string) => words.every((word) => plain(name).includes(word));
  const here = VIEWS.find((view) => view.ofSite && view.at === open) ?? VIEWS.find((view) => view.at === 'overview')!;
  const toSite = (site: Named, view: View): Goal => ({
    name: site.client_name,
    about: view === here ? site.host : `${site.host} · ${view.name}`,
    to: addressOf(view, site.key, search),
  });
  const clients = sites.filter((site) => holds(`${site.client_name} ${site.host}`)).map((site) => toSite(site, here));
  const both =
    words.length < 2
      ? []
      : sites.flatMap((site) =>
          VIEWS.filter(
            (view) =>
              view.ofSite &&
              view !== here &&
              holds(`${site.client_name} ${site.host} ${view.name}`) &&
              !holds(`${site.client_name} ${site.host}`),
          ).map((view) => toSite(site, view)),
        );
  return [...clients, ...both].slice(0, most);
}

/** The views a text may mean, of the open site and of the agency. */
export function viewGoals(text: string, site: string | undefined, search: string): Goal[] {
  const words = plain(text).split(/\s+/).filter(Boolean);
  return VIEWS.filter((view) => (!view.ofSite || site) && words.every((word) => plain(view.name).includes(word))).map(
    (view) => ({ name: view.name, about: view.ofSite ? site! : t`the agency`, to: addressOf(view, site, search) }),
  );
}

/** Views that ask nothing which a reader may not see. */
const OF_READERS = new Set([
  '',
  'overview',
  'queries',
  'pages',
  'places',
  'ladder',
  'competitors',
  'features',
  'fading',
  'reach',
]);

/** The views of a role. */
export function viewsOf(role: string): readonly View[] {
  if (role !== 'reader') return VIEWS;
  return VIEWS.filter((view) => OF_READERS.has(view.at)).map((view) =>
    view.at === '' ? { ...view, name: t`Reports`, group: 'Report' } : view,
  );
}
