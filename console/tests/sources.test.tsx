/** Connecting, adding, changing and pulling what a site's history comes from. */
import { screen, waitFor, within } from '@testing-library/react';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { changed, check, choose, last, opened, part, press, refusing, told, type, valueOf, REFUSED } from './changing';
import { json } from './service';

afterEach(() => {
  vi.unstubAllGlobals();
  vi.restoreAllMocks();
});

const SITES = [
  {
    key: 'hivewright.example',
    host: 'hivewright.example',
    client: 'hivewright',
    client_name: 'Hivewright',
    colour: '#35477D',
    brand_terms: '',
  },
];
const PROPERTY = {
  id: 'p-1',
  label: 'Hivewright shop',
  engine: 'Quillon',
  first_day: '2023-01-01',
  overlaps: '',
  connected_to: null,
};
const ASKED = { 'GET /sites': SITES, 'POST /properties': [PROPERTY] };
const URL_OF = 'https://feed.example';

describe('a property', () => {
  const dialog = () => part('Connect a property', 'dialog');
  const begin = async () => {
    await opened('/sources');
    await press('Connect a property');
    type(/^Feed address/, URL_OF, dialog());
  };

  it('is looked for with a credential, then connected to a site', async () => {
    const sent = changed(ASKED);
    await begin();
    type(/^Client id/, 'tallow-lane', dialog());
    type(/^Client secret/, 'lamp-oil', dialog());
    await choose(/^Site/, /hivewright.example/, dialog());
    await press('See its properties', dialog());
    await press('Connect Hivewright shop, Quillon', dialog());
    const credential = { url: URL_OF, account: 'tallow-lane', secret: 'lamp-oil', mapping: '' };
    await last(sent, 2);
    expect(told(sent)).toEqual([
      ['POST /properties', credential],
      ['POST /sites/hivewright.example/sources', { ...credential, property: 'p-1', part: '' }],
    ]);
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
  });

  it('that is connected elsewhere is not, but for a part of it', async () => {
    const taken = { ...PROPERTY, connected_to: 'other.example' };
    const sent = changed({ ...ASKED, 'POST /properties': [taken] });
    await begin();
    type(/^Client id/, 'tallow-lane', dialog());
    type(/^Client secret/, 'lamp-oil', dialog());
    await choose(/^Site/, /hivewright.example/, dialog());
    await press('See its properties', dialog());
    expect(await dialog().findByText('connected to other.example')).toBeVisible();
    expect(dialog().queryByRole('button', { name: /^Connect Hivewright/ })).toBeNull();
    type(/^Only this part of it/, 'blog.hivewright.example', dialog());
    await press(/^Connect Hivewright/, dialog());
    expect((await last(sent, 2)).body).toMatchObject({ property: 'p-1', part: 'blog.hivewright.example' });
  });

  it('none of which can be seen is told, and is looked for anew with another secret', async () => {
    const answers: Record<string, unknown> = { ...ASKED, 'POST /properties': [] };
    changed(answers);
    await begin();
    type(/^Client id/, 'tallow-lane', dialog());
    type(/^Client secret/, 'lamp', dialog());
    await choose(/^Site/, /hivewright.example/, dialog());
    await press('See its properties', dialog());
    expect(await dialog().findByText(/can see no property/)).toBeVisible();
    answers['POST /properties'] = [PROPERTY];
    type(/^Client secret/, 'lamp-oil', dialog());
    await waitFor(() => expect(dialog().queryByText(/can see no property/)).toBeNull());
    await press('See its properties', dialog());
    expect(await dialog().findByText('Hivewright shop')).toBeVisible();
  });

  it('of another interface is described by a mapping', async () => {
    const sent = changed(ASKED);
    await begin();
    await check(/described by a mapping/, dialog());
    type(/^Mapping/, 'name = "one"', dialog());
    await choose(/^Site/, /hivewright.example/, dialog());
    await press('See its properties', dialog());
    expect((await last(sent, 1)).body).toEqual({
      url: URL_OF,
      account: '',
      secret: '',
      mapping: 'name = "one"',
      connector: 'mapped-feed',
      grant: null,
    });
  });

  it('that a person grants leads to the provider first', async () => {
    const go = vi.fn();
    vi.stubGlobal('location', { ...window.location, assign: go });
    const sent = changed({ ...ASKED, 'POST /grants': { go: 'https://provider.example/agree', name: 'g' } });
    await begin();
    await check(/described by a mapping/, dialog());
    type(/^Mapping/, 'kind = "oauth-code"', dialog());
    await press('Grant access at the provider', dialog());
    expect((await last(sent, 1)).what).toBe('POST /grants');
    await waitFor(() => expect(go).toHaveBeenCalledWith('https://provider.example/agree'));
  });

  it('that was granted asks for no secret', async () => {
    const grant = { url: URL_OF, account: 'tallow-lane', mapping: 'kind = "oauth-code"', name: 'g-7' };
    const sent = changed({ ...ASKED, 'GET /grants/g-7': grant });
    await opened('/sources?grant=g-7');
    await waitFor(() => expect(screen.queryByText('Access was granted by you at the provider.')).toBeVisible());
    expect(dialog().queryByLabelText(/secret/)).toBeNull();
    await choose(/^Site/, /hivewright.example/, dialog());
    await press('See its properties', dialog());
    expect((await last(sent, 1)).body).toMatchObject({ grant: 'g-7', connector: 'mapped-feed', secret: '' });
  });

  it('that was not granted is told with what the provider said', async () => {
    changed(ASKED);
    await opened('/sources?refused=access_denied');
    expect(screen.getByText('The provider did not grant access: access_denied')).toBeVisible();
    expect(screen.queryByRole('dialog')).toBeNull();
  });

  it('may be the sitemap of the site itself', async () => {
    const sent = changed(ASKED);
    await begin();
    await check(/own sitemap/, dialog());
    type(/^Address of the sitemap/, 'https://hivewright.example/sitemap.xml', dialog());
    await choose(/^Site/, /hivewright.example/, dialog());
    await press('See its properties', dialog());
    expect((await last(sent, 1)).body).toEqual({
      url: 'https://hivewright.example/sitemap.xml',
      account: '',
      secret: '',
      mapping: '',
      connector: 'sitemap',
    });
  });

  it('whose credential is refused says so at the field', async () => {
    changed({ ...ASKED, 'POST /properties': refusing('secret') });
    await begin();
    type(/^Client id/, 'tallow-lane', dialog());
    type(/^Client secret/, 'wrong', dialog());
    await choose(/^Site/, /hivewright.example/, dialog());
    await press('See its properties', dialog());
    expect(await screen.findByText(REFUSED)).toBeVisible();
    expect(dialog().getByLabelText(/^Client secret/)).toBeInvalid();
  });
});

describe('adding', () => {
  const dialog = () => part('Add', 'dialog');
  const begin = async () => {
    await opened('/sources');
    await press('Add a client or site');
  };

  it('a client, with the zone its days are of', async () => {
    const sent = changed(ASKED);
    await begin();
    type(/^Name/, 'Northgale', dialog());
    type(/^Time zone/, 'Europe/Oslo', dialog());
    await press('Add', dialog());
    expect(told([await last(sent, 1)])).toEqual([['POST /clients', { name: 'Northgale', time_zone: 'Europe/Oslo' }]]);
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
  });

  it('a site of a client', async () => {
    const sent = changed({ 'GET /clients': [{ key: 'hivewright', name: 'Hivewright', sites: [], keep_months: null }] });
    await begin();
    await choose(/^What/, 'A site of a client', dialog());
    await choose(/^Client/, 'Hivewright', dialog());
    type(/^Host/, 'blog.hivewright.example', dialog());
    type(/^Brand words/, 'hivewright', dialog());
    await press('Add', dialog());
    expect(told([await last(sent, 1)])).toEqual([
      ['POST /clients/hivewright/sites', { host: 'blog.hivewright.example', brand_terms: 'hivewright' }],
    ]);
  });

  it('files of a site; what was chosen for another kind is let go', async () => {
    const sent = changed({ ...ASKED, 'GET /clients': [{ key: 'hivewright', name: 'Hivewright', sites: [] }] });
    await begin();
    await choose(/^What/, 'A site of a client', dialog());
    await choose(/^Client/, 'Hivewright', dialog());
    await choose(/^What/, 'Files of a site', dialog());
    expect(dialog().getByRole('combobox', { name: /^Site/ })).not.toHaveTextContent('Hivewright');
    await choose(/^Site/, /hivewright.example/, dialog());
    type(/^What the files are/, 'old exports', dialog());
    type(/^Engine/, 'Quillon', dialog());
    type(/^Time zone/, 'UTC', dialog());
    await press('Add', dialog());
    expect(told([await last(sent, 1)])).toEqual([
      ['POST /sites/hivewright.example/file-sources', { label: 'old exports', engine: 'Quillon', time_zone: 'UTC' }],
    ]);
  });

  it('what is there already is told, and the dialog stays', async () => {
    changed({ ...ASKED, 'POST /clients': refusing('name', REFUSED, 'client-exists', 409) });
    await begin();
    type(/^Name/, 'Hivewright', dialog());
    await press('Add', dialog());
    expect(await dialog().findByText(REFUSED)).toBeVisible();
    await choose(/^What/, 'A site of a client', dialog());
    await waitFor(() => expect(dialog().queryByRole('alert')).toBeNull());
  });
});

const SOURCE = {
  id: 3,
  site: 'hivewright.example',
  label: 'Hivewright shop',
  kind: 'search',
  connector: 'noctilum-feed',
  engine: 'Quillon',
  account: 'tallow-lane',
  property: 'p-1',
  scope: '',
  time_zone: 'Europe/London',
  schedule: 'FREQ=DAILY;BYHOUR=6;BYMINUTE=0',
  paused: false,
  counted: true,
  state: 'ready',
  fault: '',
  job: null,
  first_held: '2023-01-01',
  complete_through: '2026-03-15',
  days_held: 1170,
  days_lost: 0,
  days_flagged: 2,
  pulled_at: '2026-03-18T06:00:00Z',
  next_run_at: '2026-03-19T06:00:00Z',
  retry_at: null,
};
const listed = (...more: object[]) => ({ 'GET /sources': more.map((each) => ({ ...SOURCE, ...each })) });

describe('a source', () => {
  const dialog = () => part('Hivewright shop', 'dialog');

  it('is changed only where something was', async () => {
    const sent = changed(listed({}));
    await opened('/sources');
    await press('Change: Hivewright shop');
    expect(dialog().getByText(/counts p-1. Days begin and end in Europe\/London/)).toBeVisible();
    await check(/^Paused/, dialog());
    await press('Keep', dialog());
    expect(told([await last(sent, 1)])).toEqual([['PATCH /sources/3', { paused: true }]]);
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
  });

  it('is pulled no more without a schedule, and given a new secret', async () => {
    const sent = changed(listed({}));
    await opened('/sources');
    await press('Change: Hivewright shop');
    type(/^Pulled/, '', dialog());
    type(/^New secret/, 'wick', dialog());
    await check(/^Read together/, dialog());
    await press('Keep', dialog());
    expect((await last(sent, 1)).body).toEqual({ schedule: 'off', counted: false, secret: 'wick' });
  });

  it('of files has no schedule and no secret', async () => {
    changed(listed({ connector: 'files' }));
    await opened('/sources');
    await press('Change: Hivewright shop');
    expect(dialog().queryByLabelText(/^Pulled/)).toBeNull();
    expect(dialog().queryByLabelText(/secret/)).toBeNull();
    expect(dialog().getByRole('checkbox', { name: /^Read together/ })).toBeChecked();
  });

  it('whose schedule is none says so at the field', async () => {
    changed({ ...listed({}), 'PATCH /sources/3': refusing('schedule') });
    await opened('/sources');
    await press('Change: Hivewright shop');
    type(/^Pulled/, 'now and then', dialog());
    await press('Keep', dialog());
    expect(await dialog().findByText(REFUSED)).toBeVisible();
    expect(valueOf(/^Pulled/, dialog())).toBe('now and then');
  });

  it('is pulled at once; where it cannot be, its row says why', async () => {
    const sent = changed({ ...listed({}), 'POST /sources/3/pulls': refusing('source', REFUSED, 'pulling', 409) });
    await opened('/sources');
    await press('Pull now: Hivewright shop');
    await last(sent, 1);
    expect(await screen.findByRole('alert')).toHaveTextContent('That cannot be kept.');
  });

  const JOB = {
    id: 9,
    site: 'hivewright.example',
    state: 'running',
    done: 25,
    due: 100,
    rows: 51200,
    seconds_left: 90,
    expires_in: 3,
    stopping: false,
    waits_until: null,
    fault: '',
  };

  it.each([
    [{}, '25 of 100 days, 51,200 rows, 2 min left; the oldest day expires in 3 days'],
    [{ expires_in: 30, seconds_left: null }, '25 of 100 days, 51,200 rows'],
    [{ state: 'queued' }, 'waiting for the worker'],
  ])('that is being pulled says how far it is: %o', async (more, said) => {
    const sent = changed(listed({ job: { ...JOB, ...more } }));
    await opened('/sources');
    const row = screen.getByRole('row', { name: /Hivewright shop/ });
    expect(within(row).getByRole('status')).toHaveTextContent(said);
    expect(within(row).getByRole('progressbar')).toHaveAttribute('aria-valuenow', '25');
    await press('Cancel: the pull of hivewright.example');
    expect(told([await last(sent, 1)])).toEqual([['DELETE /jobs/9']]);
  });

  it.each([
    [{ paused: true }, 'paused'],
    [{ next_run_at: null }, 'no schedule'],
    [{ retry_at: '2026-03-19T06:00:00Z' }, /^again /],
    [{ state: 'broken', fault: 'The secret is refused.' }, 'stopped'],
    [{ pulled_at: null, first_held: null }, 'never'],
  ])('shows in words where it stands: %o', async (more, said) => {
    changed(listed(more));
    await opened('/sources');
    const row = screen.getByRole('row', { name: /Hivewright shop/ });
    expect(within(row).getByText(said)).toBeVisible();
    if ('fault' in more) expect(screen.getByRole('alert')).toHaveTextContent(more.fault);
  });

  it('notices are read and go', async () => {
    const answers: Record<string, unknown> = {
      ...listed({}),
      'GET /notices': [{ id: 5, text: 'A secret ends soon.', at: '2026-03-18T06:00:00Z' }],
    };
    const sent = changed(answers);
    await opened('/sources');
    answers['GET /notices'] = json([]);
    await press('Seen: A secret ends soon.');
    expect(told([await last(sent, 1)])).toEqual([['DELETE /notices/5']]);
    await waitFor(() => expect(screen.queryByText('A secret ends soon.')).toBeNull());
  });
});
