/** Saved sets of queries and pages: side by side in the window, tried before they are saved. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useState } from 'react';
import { type QueryClient, useMutation, useQueries, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link } from 'react-router';
import { change as changeKept, send, type Measure, type SetOut } from '../mind/api';
import { carried, useFrame } from '../mind/frame';
import { quoted } from '../mind/filter';
import { cross, sets, site as siteOf, timeline, tried } from '../mind/questions';
import { count, percent, place } from '../mind/words';
import { BrandBox } from '../skin/BrandBox';
import { HeatTable } from '../skin/HeatTable';
import { Said } from '../skin/Said';
import { WindowBar } from '../skin/WindowBar';
import { Cautions, ClicksChange, Spark } from '../skin/small';
import { TextIn, useFields } from '../skin/form';
import { Answer, Empty, ErrorNote, Section } from '../skin/states';
import { Th } from '../skin/How';

export default function Sets() {
  const { site, frame } = useFrame();
  const line = useQuery(timeline(site, frame));
  const about = useQuery(siteOf(site));
  const known = useQuery({ ...sets(about.data?.client), enabled: about.data !== undefined });
  const [edited, edit] = useState<SetOut>();
  return (
    <>
      <WindowBar read={line.data} />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Sets</Trans>
          </h1>
          <span className="small">
            <Trans>Queries or pages that belong together; every reading takes one as its filter.</Trans>
          </span>
        </div>
        <div className="cols side">
          <Answer of={known} height={300}>
            {(all) =>
              all.length ? (
                <div className="stack">
                  <Beside all={all} edit={edit} />
                  <AcrossSets all={all} />
                </div>
              ) : (
                <Empty
                  why={t`No set is saved yet. Write a rule at the right, see what it finds, and give it a name.`}
                />
              )
            }
          </Answer>
          <div className="stack">
            <NewSet key={edited?.id ?? 'new'} start={edited} done={() => edit(undefined)} client={about.data?.client} />
            <BrandBox site={site} />
          </div>
        </div>
      </main>
    </>
  );
}

/** Asks again for what a set that came or went takes part in. */
const anew = (client: QueryClient) =>
  Promise.all(['sets', 'cross'].map((name) => client.invalidateQueries({ queryKey: [name] })));

const named = (name: string) => `set ${quoted('page', name)}`;

function Beside({ all, edit }: { all: readonly SetOut[]; edit: (set: SetOut) => void }) {
  const { site, frame, search } = useFrame();
  const client = useQueryClient();
  const both = (name: string) => (frame.where.filter ? `(${frame.where.filter}) and ${named(name)}` : named(name));
  const lines = useQueries({
    queries: all.map((each) => timeline(site, { ...frame, where: { ...frame.where, filter: both(each.name) } })),
  });
  const drop = useMutation({
    mutationFn: (gone: SetOut) => send('DELETE', `/sets/${gone.id}`),
    onSuccess: () => anew(client),
  });
  const back = useMutation({
    mutationFn: ({ name, item, rule, members, client: owner }: SetOut) =>
      send<SetOut>('POST', '/sets', { name, item, rule, members, client: owner ?? undefined }),
    onSuccess: async () => {
      drop.reset();
      await anew(client);
    },
  });
  return (
    <Section title={t`Side by side`} about={t`in the window above`} label={t`Side by side`}>
      <div className="wrap">
        <table className="t">
          <thead>
            <tr>
              <th scope="col">
                <Trans>Set</Trans>
              </th>
              <th scope="col">
                <Trans>Of</Trans>
              </th>
              <Th how="breakdown.clicks">
                <Trans>clicks</Trans>
              </Th>
              <Th how="breakdown.clicks_before">
                <Trans>before</Trans>
              </Th>
              <Th how="breakdown.clicks_change">
                <Trans>change</Trans>
              </Th>
              <Th how="breakdown.ctr">
                <Trans>click-through</Trans>
              </Th>
              <Th how="breakdown.position">
                <Trans context="among the results">place</Trans>
              </Th>
              <th scope="col">
                <Trans>by day</Trans>
              </th>
              <th scope="col">
                <span className="vh">
                  <Trans>Change or delete</Trans>
                </span>
              </th>
            </tr>
          </thead>
          <tbody>
            {all.map((each, n) => {
              const data = lines[n]?.data;
              return (
                <tr key={each.id}>
                  <th scope="row">
                    <Link
                      to={`/sites/${site}/overview${carried(search, { filter: both(each.name) })}`}
                      title={each.rule || t`${each.members.length} listed`}
                    >
                      {each.name}
                    </Link>
                  </th>
                  <td>
                    <Link
                      to={`/sites/${site}/${each.item === 'page' ? 'pages' : 'queries'}${carried(search, { filter: both(each.name) })}`}
                      aria-label={
                        each.item === 'page' ? t`Pages of the set ${each.name}` : t`Queries of the set ${each.name}`
                      }
                    >
                      {each.item === 'page' ? t`pages` : t`queries`}
                    </Link>
                    {each.client ? '' : t`, agency`}
                  </td>
                  <td className="num now">{count(data?.now.clicks)}</td>
                  <td className="num was">{count(data?.before?.clicks)}</td>
                  <td className="num">
                    <ClicksChange change={data?.change ?? null} />
                  </td>
                  <td className="num">{percent(data?.now.ctr)}</td>
                  <td className="num">{place(data?.now.position)}</td>
                  <td>
                    {data && (
                      <Spark
                        values={data.points.map((p) => p.clicks)}
                        width={96}
                        height={24}
                        label={t`Clicks by day of ${each.name}`}
                      />
                    )}
                  </td>
                  <td style={{ whiteSpace: 'nowrap' }}>
                    <button
                      type="button"
                      className="plain"
                      aria-label={t`Change the set ${each.name}`}
                      onClick={() => edit(each)}
                    >
                      <Trans>Change</Trans>
                    </button>{' '}
                    <button
                      type="button"
                      className="plain"
                      aria-label={t`Delete the set ${each.name}`}
                      onClick={() => drop.mutate(each)}
                    >
                      ×
                    </button>
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      {drop.isSuccess && (
        <p className="small" role="status">
          <Trans>The set {drop.variables.name} is deleted.</Trans>{' '}
          <button type="button" className="plain" disabled={back.isPending} onClick={() => back.mutate(drop.variables)}>
            <Trans>Bring it back</Trans>
          </button>
        </p>
      )}
      {drop.isError && <ErrorNote error={drop.error} />}
      {back.isError && <ErrorNote error={back.error} />}
    </Section>
  );
}

const COLUMNS: ReadonlyArray<readonly [string, string]> = [
  ['month', t`months`],
  ['device', t`devices`],
  ['country', t`countries`],
  ['band', t`bands of places`],
];
const SHOWN: ReadonlyArray<readonly [Measure, string]> = [
  ['clicks', t`clicks`],
  ['impressions', t`impressions`],
  ['ctr', t`click-through`],
  ['position', t`position`],
];

/** The same sets over time, or by something else at once. */
function AcrossSets({ all }: { all: readonly SetOut[] }) {
  const { site, frame, search, change } = useFrame();
  const by = COLUMNS.find(([value]) => value === search.get('cross'))?.[0] ?? 'month';
  const measure = SHOWN.find(([value]) => value === search.get('cell'))?.[0] ?? 'clicks';
  const found = useQuery(cross(site, 'set', by, frame, { limit: 100, offset: 0 }));
  const to = (name: string) =>
    `/sites/${site}/${all.find((each) => each.name === name)?.item === 'page' ? 'pages' : 'queries'}${carried(search, { filter: named(name) })}`;
  return (
    <Section
      title={t`Across`}
      label={t`Sets across`}
      about=""
      stale={found.isPlaceholderData}
      right={
        <span className="small">
          <label>
            <Trans>by</Trans>{' '}
            <select
              value={by}
              onChange={(e) => change({ cross: e.target.value === 'month' ? undefined : e.target.value })}
            >
              {COLUMNS.map(([value, name]) => (
                <option key={value} value={value}>
                  {name}
                </option>
              ))}
            </select>
          </label>{' '}
          <label>
            <Trans>showing</Trans>{' '}
            <select
              value={measure}
              onChange={(e) => change({ cell: e.target.value === 'clicks' ? undefined : e.target.value })}
            >
              {SHOWN.map(([value, name]) => (
                <option key={value} value={value}>
                  {name}
                </option>
              ))}
            </select>
          </label>
        </span>
      }
    >
      <Answer of={found} height={200}>
        {(data) => (
          <>
            <Said sentences={data.sentences} className="small" />
            <HeatTable data={data} measure={measure} label={(key) => <Link to={to(key)}>{key}</Link>} />
            <Cautions items={data.cautions} />
          </>
        )}
      </Answer>
    </Section>
  );
}

/** The first column of a file's lines, without quotes. */
const firsts = (text: string) =>
  text
    .split(/\r?\n/)
    .map((line) => (/^"((?:[^"]|"")*)"/.exec(line)?.[1]?.replaceAll('""', '"') ?? line.split(/[;,\t]/)[0] ?? '').trim())
    .filter(Boolean)
    .join('\n');

function NewSet({ start, done, client }: { start: SetOut | undefined; done: () => void; client: string | undefined }) {
  const { site } = useFrame();
  const cache = useQueryClient();
  const kept = {
    name: start?.name ?? '',
    item: start?.item ?? 'query',
    rule: start?.rule ?? '',
    list: start?.members.join('\n') ?? '',
    whose: start && !start.client ? 'agency' : 'client',
  };
  const membersOf = (list: string) =>
    list
      .split('\n')
      .map((each) => each.trim())
      .filter(Boolean);
  const save = useMutation({
    mutationFn: async ({ list, whose, ...said }: typeof kept) => {
      const wanted = { ...said, members: membersOf(list), client: whose === 'client' ? client : null };
      return start
        ? changeKept<SetOut>(`/sets/${start.id}`, start, wanted)
        : send<SetOut>('POST', '/sets', { ...wanted, client: wanted.client ?? undefined });
    },
    onSuccess: async () => {
      form.reset({ ...form.getValues(), name: '', rule: '', list: '' });
      done();
      await anew(cache);
    },
  });
  const form = useFields(kept, save.error);
  const { name, item, rule, list } = form.watch();
  const found = useQuery(tried(site, rule, item));
  const members = membersOf(list);
  const native = { select: { native: true } };
  return (
    <Section
      title={start ? t`Change ${start.name}` : t`Save a set`}
      label={t`Save a set`}
      right={
        start && (
          <button type="button" className="plain" onClick={done}>
            <Trans>A new one instead</Trans>
          </button>
        )
      }
    >
      <form
        className="noteform"
        onSubmit={form.handleSubmit((asked) => {
          if (asked.rule.trim() || members.length) save.mutate(asked);
        })}
      >
        <TextIn form={form} name="name" label={t`Name`} required slotProps={{ htmlInput: { maxLength: 80 } }} />
        <div style={{ display: 'flex', gap: 8 }}>
          <TextIn form={form} name="item" label={t`Of`} select slotProps={native}>
            <option value="query">
              <Trans>queries</Trans>
            </option>
            <option value="page">
              <Trans>pages</Trans>
            </option>
          </TextIn>
          <TextIn form={form} name="whose" label={t`For`} select slotProps={native}>
            <option value="client">
              <Trans>this client</Trans>
            </option>
            <option value="agency">
              <Trans>the whole agency</Trans>
            </option>
          </TextIn>
        </div>
        <TextIn
          form={form}
          name="rule"
          label={t`Rule`}
          multiline
          minRows={2}
          placeholder={item === 'page' ? 'path starts "/guides/"' : 'words >= 4 or question'}
          slotProps={{ htmlInput: { spellCheck: false, maxLength: 4000 } }}
        />
        <TextIn
          form={form}
          name="list"
          label={t`And these, one a line`}
          multiline
          minRows={2}
          slotProps={{ htmlInput: { spellCheck: false } }}
        />
        <label className="small">
          <Trans>
            or from a file, the first column of each line
            <br />
          </Trans>
          <input
            type="file"
            accept=".txt,.csv,.tsv,text/plain,text/csv"
            onChange={(e) => {
              void e.target.files?.[0]?.text().then((text) => form.setValue('list', firsts(text)));
            }}
          />
        </label>
        {rule.trim() && (
          <div aria-live="polite">
            {found.isError ? (
              <ErrorNote error={found.error} />
            ) : (
              found.data && (
                <p className="small">
                  <Trans>
                    Finds {count(found.data.matching)} of {count(found.data.known)}:{' '}
                    {found.data.samples.slice(0, 6).join(', ')}
                    {found.data.matching > 6 ? ' …' : ''}
                  </Trans>
                  {found.data.others.length > 0 && (
                    <>
                      <Trans>
                        <br />
                        Not: {found.data.others.slice(0, 4).join(', ')} …
                      </Trans>
                    </>
                  )}
                </p>
              )
            )}
          </div>
        )}
        <button
          type="submit"
          className="plain"
          disabled={save.isPending || !name.trim() || (!rule.trim() && !members.length)}
        >
          <Trans>Save</Trans>
        </button>
        {save.isError && <ErrorNote error={save.error} />}
      </form>
    </Section>
  );
}
