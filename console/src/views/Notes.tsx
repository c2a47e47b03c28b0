/** What happened when, and what came of it. */
import { plural, t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useState } from 'react';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { named } from '../mind/named';
import { send, type NoteEffect, type NoteOut, type NotesTaken } from '../mind/api';
import { useFrame } from '../mind/frame';
import { effect, notes, site as siteOf, sets, timeline } from '../mind/questions';
import { count, signedPercent, span, longDay } from '../mind/words';
import { Said } from '../skin/Said';
import { WindowBar } from '../skin/WindowBar';
import { Cautions } from '../skin/small';
import { TextIn, useFields } from '../skin/form';
import { Answer, Empty, ErrorNote, Section } from '../skin/states';
import { Th } from '../skin/How';

const KINDS = ['site change', 'content', 'engine update', 'outage', 'campaign', 'moving holiday', 'other'] as const;

export default function Notes() {
  const { site, frame, search, change } = useFrame();
  const line = useQuery(timeline(site, frame));
  const found = useQuery(notes(site));
  const chosen = Number(search.get('note')) || undefined;
  const [gone, setGone] = useState<NoteOut>();
  const open = found.data?.find((note) => note.id === chosen);
  return (
    <>
      <WindowBar read={line.data} />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Dated notes</Trans>
          </h1>
          <span className="small">
            <Trans>On this site, on its client, and on the whole agency.</Trans>
          </span>
        </div>
        <div className="cols side">
          <Answer of={found} height={300}>
            {(all) =>
              all.length ? (
                <List
                  all={all}
                  chosen={chosen}
                  choose={(n) => change({ note: n === chosen ? undefined : String(n) })}
                />
              ) : (
                <Empty
                  why={t`Nothing is noted yet. Write down what was changed and when; every chart shows it, and its effect is read here.`}
                />
              )
            }
          </Answer>
          <div className="stack">
            {chosen !== undefined && <Effect key={chosen} number={chosen} deleted={() => setGone(open)} />}
            {gone && <Gone note={gone} back={() => setGone(undefined)} />}
            <NewNote />
            <TakeNotes />
          </div>
        </div>
      </main>
    </>
  );
}

function List({
  all,
  chosen,
  choose,
}: {
  all: readonly NoteOut[];
  chosen: number | undefined;
  choose: (n: number) => void;
}) {
  return (
    <div className="wrap">
      <table className="t">
        <thead>
          <tr>
            <th scope="col">
              <Trans>Note</Trans>
            </th>
            <th scope="col">
              <Trans>Day</Trans>
            </th>
            <th scope="col">
              <Trans>Kind</Trans>
            </th>
            <th scope="col">
              <Trans>On</Trans>
            </th>
          </tr>
        </thead>
        <tbody>
          {all.map((note) => (
            <tr key={note.id} className={note.id === chosen ? 'sel' : undefined}>
              <th scope="row">
                <button
                  type="button"
                  className="link"
                  aria-expanded={note.id === chosen}
                  onClick={() => choose(note.id)}
                >
                  {note.text}
                </button>
              </th>
              <td>{note.first === note.last ? longDay(note.first) : span(note.first, note.last)}</td>
              <td>{named(note.kind)}</td>
              <td className="clip">
                {note.page ?? (note.set ? `set ${note.set}` : (note.site ?? note.client ?? t`the agency`))}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** A note just deleted, and the way back. */
function Gone({ note, back }: { note: NoteOut; back: () => void }) {
  const client = useQueryClient();
  const again = useMutation({
    mutationFn: () =>
      send<NoteOut>('POST', '/notes', {
        first: note.first,
        last: note.last,
        kind: note.kind,
        text: note.text,
        client: note.site ? undefined : note.client,
        site: note.site,
        page: note.page,
        set: note.set,
      }),
    onSuccess: async () => {
      back();
      await client.invalidateQueries({ queryKey: ['notes'] });
    },
  });
  return (
    <div>
      <p className="small" role="status">
        <Trans>“{note.text}” is deleted.</Trans>{' '}
        <button type="button" className="plain" disabled={again.isPending} onClick={() => again.mutate()}>
          <Trans>Bring it back</Trans>
        </button>
      </p>
      {again.isError && <ErrorNote error={again.error} />}
    </div>
  );
}

function Effect({ number, deleted }: { number: number; deleted: () => void }) {
  const { site, change } = useFrame();
  const client = useQueryClient();
  const found = useQuery(effect(site, number));
  const drop = useMutation({
    mutationFn: () => send('DELETE', `/notes/${number}`),
    onSuccess: async () => {
      deleted();
      change({ note: undefined });
      await client.invalidateQueries({ queryKey: ['notes'] });
    },
  });
  return (
    <Section title={t`What came of it`} label={t`What came of it`}>
      <Answer of={found} height={160}>
        {(data) => <Told data={data} />}
      </Answer>
      <p>
        <button type="button" className="plain" onClick={() => drop.mutate()}>
          <Trans>Delete this note</Trans>
        </button>
      </p>
      {drop.isError && <ErrorNote error={drop.error} />}
    </Section>
  );
}

const WAY: Record<string, string> = { better: 'better', worse: 'worse' };

function Told({ data }: { data: NoteEffect }) {
  const rest = data.rest_before ? (data.rest_now ?? 0) / data.rest_before - 1 : null;
  return (
    <>
      <div className={WAY[data.verdict] ?? ''}>
        <Said sentences={data.sentences} className="lead side" />
      </div>
      {data.now && data.before && data.window && data.against && (
        <table className="t tight">
          <thead>
            <tr>
              <th scope="col">
                <Trans>Clicks</Trans>
              </th>
              <th scope="col" className="num">
                {span(data.against.first, data.against.last)}
              </th>
              <th scope="col" className="num">
                {span(data.window.first, data.window.last)}
              </th>
              <Th how="note-effect.clicks_ratio_change">
                <Trans>change</Trans>
              </Th>
            </tr>
          </thead>
          <tbody>
            <tr>
              <th scope="row" title={data.of}>
                {data.of}
              </th>
              <td className="num was">{count(data.before.clicks)}</td>
              <td className="num now">{count(data.now.clicks)}</td>
              <td className="num">{signedPercent(data.change?.clicks_ratio)}</td>
            </tr>
            {rest !== null && (
              <tr>
                <th scope="row">{data.beside && named(data.beside)}</th>
                <td className="num was">{count(data.rest_before)}</td>
                <td className="num">{count(data.rest_now)}</td>
                <td className="num">{signedPercent(rest)}</td>
              </tr>
            )}
            {data.own_season !== null && (
              <tr>
                <th
                  scope="row"
                  title={plural(data.years ?? 0, { one: 'from a year before', other: 'from # earlier years' })}
                >
                  <Trans>its own season</Trans>
                </th>
                <td />
                <td />
                <td className="num">{signedPercent(data.own_season)}</td>
              </tr>
            )}
          </tbody>
        </table>
      )}
      {data.others.length > 0 && (
        <>
          <p className="small" style={{ marginTop: 6 }}>
            <Trans>Also in these days:</Trans>
          </p>
          <ul className="cautions">
            {data.others.map((note) => (
              <li key={note.id}>
                {longDay(note.first)}: {note.text}
              </li>
            ))}
          </ul>
        </>
      )}
      <Cautions items={data.cautions} />
    </>
  );
}

const BLANK = { text: '', first: '', last: '', kind: 'content', on: 'site', page: '' };

function NewNote() {
  const { site } = useFrame();
  const about = useQuery(siteOf(site));
  const known = useQuery(sets(about.data?.client));
  const client = useQueryClient();
  const add = useMutation({
    mutationFn: ({ on, page, last, ...said }: typeof BLANK) =>
      send<NoteOut>('POST', '/notes', {
        ...said,
        last: last || undefined,
        ...place(on, site, about.data?.client, page),
      }),
    onSuccess: async () => {
      form.resetField('text');
      await client.invalidateQueries({ queryKey: ['notes'] });
    },
  });
  const form = useFields(BLANK, add.error);
  const said = form.watch();
  const shrunk = { inputLabel: { shrink: true } };
  return (
    <Section title={t`Note something`} label={t`Note something`}>
      <form className="noteform" onSubmit={form.handleSubmit((asked) => add.mutate(asked))}>
        <TextIn form={form} name="text" label={t`What`} required slotProps={{ htmlInput: { maxLength: 1000 } }} />
        <div style={{ display: 'flex', gap: '14px 8px', flexWrap: 'wrap' }}>
          <TextIn form={form} name="first" label={t`On`} type="date" required slotProps={shrunk} />
          <TextIn
            form={form}
            name="last"
            label={t`to (if days)`}
            type="date"
            slotProps={{ ...shrunk, htmlInput: { min: said.first } }}
          />
          <TextIn form={form} name="kind" label={t`Kind`} select slotProps={{ select: { native: true } }}>
            {KINDS.map((each) => (
              <option key={each} value={each}>
                {named(each)}
              </option>
            ))}
          </TextIn>
        </div>
        <TextIn form={form} name="on" label={t`Concerns`} select slotProps={{ select: { native: true } }}>
          <option value="site">
            <Trans>this site</Trans>
          </option>
          <option value="page">
            <Trans>one page</Trans>
          </option>
          {(known.data ?? []).map((each) => (
            <option key={each.id} value={`set ${each.name}`}>
              <Trans>set {each.name}</Trans>
            </option>
          ))}
          <option value="client">
            <Trans>the client</Trans>
          </option>
          <option value="agency">
            <Trans>the whole agency</Trans>
          </option>
        </TextIn>
        {said.on === 'page' && (
          <TextIn form={form} name="page" label={t`Page`} required placeholder="/timetables/ronsay" />
        )}
        <button type="submit" className="plain" disabled={add.isPending || !said.first || !said.text.trim()}>
          <Trans>Keep the note</Trans>
        </button>
        {add.isError && <ErrorNote error={add.error} />}
      </form>
    </Section>
  );
}

function place(on: string, site: string, client: string | undefined, page: string): Record<string, string | undefined> {
  if (on === 'agency') return {};
  if (on === 'client') return { client };
  if (on === 'page') return { site, page };
  return on.startsWith('set ') ? { site, set: on.slice(4) } : { site };
}

function TakeNotes() {
  const { site } = useFrame();
  const client = useQueryClient();
  const take = useMutation({
    mutationFn: async (file: File) =>
      send<NotesTaken>('POST', '/notes/import', {
        format: /\.ic(s|al)$/i.test(file.name) ? 'icalendar' : 'csv',
        text: await file.text(),
        site,
        origin: file.name.slice(0, 200),
      }),
    onSuccess: () => client.invalidateQueries({ queryKey: ['notes'] }),
  });
  return (
    <Section title={t`From a file`} about={t`CSV with day,text, or iCalendar`} label={t`From a file`}>
      <input
        type="file"
        aria-label={t`File of notes`}
        accept=".csv,.ics,.ical,text/csv,text/calendar"
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) take.mutate(file);
        }}
      />
      <div role="status" className="small">
        {take.data && t`${count(take.data.added)} notes added, ${count(take.data.repeated)} there already.`}
      </div>
      {take.data && take.data.refused.length > 0 && (
        <ul className="cautions">
          {take.data.refused.map((line) => (
            <li key={line}>{line}</li>
          ))}
        </ul>
      )}
      {take.isError && <ErrorNote error={take.error} />}
    </Section>
  );
}
