/** The worklist of the agency or of one site: what is to be done, what is being done, what was done and came of it. */
import { plural, t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useState } from 'react';
import Button from '@mui/material/Button';
import { useQueries, useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { useKeys } from '../mind/keys';
import { named } from '../mind/named';
import { me } from '../mind/questions';
import {
  stepRows,
  useCalendar,
  useChangingItem,
  useDroppingItem,
  work,
  worked,
  type Item,
  type ItemChange,
} from '../mind/worklist';
import { count, shortDay, signedPercent } from '../mind/words';
import { SitePick } from '../skin/SitePick';
import { TextIn, useFields } from '../skin/form';
import { Answer, Empty, ErrorNote, Section } from '../skin/states';

type Outcome = { verdict: string; moved: number | null; ready: string | null };
const STATES = ['open', 'done', 'dropped', 'all'] as const;
const STATE_NAMES: Record<(typeof STATES)[number], string> = {
  open: t`Open`,
  done: t`Done`,
  dropped: t`Dropped`,
  all: t`All`,
};

export default function Work() {
  const [search, setSearch] = useSearchParams();
  const who = useQuery(me);
  const site = search.get('site') ?? '';
  const mine = search.get('mine') !== null;
  const today = who.data?.today ?? '';
  const state = STATES.find((each) => each === search.get('state')) ?? 'open';
  const which = { site: site || undefined, owner: mine ? who.data?.email : undefined, state };
  const found = useQuery({ ...work(which), enabled: !mine || who.data !== undefined });
  const change = (name: string, value: string | undefined) =>
    setSearch((now) => {
      if (value === undefined) now.delete(name);
      else now.set(name, value);
      return now;
    });
  useKeys({ j: () => stepRows(1), k: () => stepRows(-1) });
  return (
    <main className="page">
      <div className="head">
        <h1>{title(found.data ?? [], state, today)}</h1>
        <div role="group" aria-label={t`Which items`} className="switch">
          {STATES.map((each) => (
            <button
              key={each}
              type="button"
              className="plain"
              aria-pressed={state === each}
              onClick={() => change('state', each === 'open' ? undefined : each)}
            >
              {STATE_NAMES[each]}
            </button>
          ))}
        </div>
        <label>
          <input type="checkbox" checked={mine} onChange={(e) => change('mine', e.target.checked ? '' : undefined)} />{' '}
          <Trans>mine</Trans>
        </label>
        <span className="r acts">
          <SitePick site={site} choose={(next) => change('site', next)} />
          <Calendar which={which} />
        </span>
      </div>
      <Answer of={found} height={300}>
        {(items) =>
          items.length ? (
            <Items items={items} today={today} />
          ) : (
            <Empty
              why={t`Nothing of the kind stands here. On any table of a site, w puts the row in focus on the worklist, x marks several.`}
            />
          )
        }
      </Answer>
    </main>
  );
}

function title(items: readonly Item[], state: string, today: string): string {
  const late = items.filter((each) => overdue(each, today)).length;
  if (state !== 'open' || !items.length) return t`Worklist`;
  const open = plural(items.length, { one: '# item to do', other: '# items to do' });
  return late ? `${open}, ${plural(late, { one: '# overdue', other: '# overdue' })}` : open;
}

const isOpen = (item: Item) => item.state === 'to do' || item.state === 'doing';
const overdue = (item: Item, today: string) => isOpen(item) && item.due !== null && item.due < today;

/** What came of the items that are done, by their numbers; asked of each site that has some. */
function useOutcomes(items: readonly Item[]): ReadonlyMap<number, Outcome> {
  const sites = [...new Set(items.filter((each) => each.state === 'done').map((each) => each.site))];
  const read = useQueries({ queries: sites.map((site) => worked(site)) });
  return new Map(read.flatMap((each) => (each.data?.rows ?? []).map((row) => [row.number, row] as const)));
}

function Items({ items, today }: { items: readonly Item[]; today: string }) {
  const came = useOutcomes(items);
  const done = items.some((each) => each.state === 'done');
  return (
    <div className="wrap">
      <table className="t">
        <thead>
          <tr>
            <th scope="col">{t`About`}</th>
            <th scope="col">{t`What to do`}</th>
            <th scope="col">{t`Who`}</th>
            <th scope="col">{t`Due`}</th>
            <th scope="col">{t`State`}</th>
            <th scope="col" className="num">
              {t`Clicks then`}
            </th>
            {done && <th scope="col">{t`What came of it`}</th>}
            <th scope="col">
              <span className="vh">{t`Change`}</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {items.map((item) => (
            <Line key={item.id} item={item} came={came.get(item.id)} done={done} late={overdue(item, today)} />
          ))}
        </tbody>
      </table>
    </div>
  );
}

interface LineProps {
  item: Item;
  came: Outcome | undefined;
  done: boolean;
  late: boolean;
}

function Line({ item, came, done, late }: LineProps) {
  return (
    <tr data-of={item.of} data-key={item.key || item.site}>
      <th scope="row">
        <Link to={addressOf(item)} title={item.key || item.site}>
          {item.key || t`the site`}
        </Link>
        <span className="small"> {item.site}</span>
      </th>
      <td className="why">
        {item.todo} <span className="small">{item.kind === 'other' ? '' : named(item.kind)}</span>
        <div className="small">{item.reason || item.why}</div>
      </td>
      <td className="clip" title={item.owner ?? undefined}>
        {item.owner?.split('@')[0] ?? '–'}
      </td>
      <td className={late ? 'late' : undefined}>
        {item.due ? shortDay(item.due) : '–'}
        {late && <span className="small"> {t`overdue`}</span>}
      </td>
      <td>{item.state === 'done' && item.done_on ? t`done ${shortDay(item.done_on)}` : named(item.state)}</td>
      <td className="num">{count(item.baseline?.clicks ?? null)}</td>
      {done && <td>{came ? <Came of={came} item={item} /> : ''}</td>}
      <td>
        <Changing item={item} />
      </td>
    </tr>
  );
}

function Came({ of, item }: { of: Outcome; item: Item }) {
  if (of.verdict === 'waits') return <span className="mut">{of.ready ? t`read on ${shortDay(of.ready)}` : ''}</span>;
  return (
    <Link to={`/sites/${item.site.replaceAll('/', '~')}/read/worked`}>
      {named(of.verdict)}
      {of.moved === null ? '' : ` ${signedPercent(of.moved)}`}
    </Link>
  );
}

function addressOf(item: Item): string {
  const at = `/sites/${item.site.replaceAll('/', '~')}`;
  const key = encodeURIComponent(item.key);
  if (item.of === 'page') return `${at}/queries?page=${key}`;
  if (item.of === 'set') return `${at}/queries?filter=${encodeURIComponent(`set "${item.key}"`)}`;
  return item.of === 'site' ? `${at}/overview` : `${at}/queries?item=${key}`;
}

function Changing({ item }: { item: Item }) {
  const change = useChangingItem();
  const drop = useDroppingItem();
  const [asking, ask] = useState<'done' | 'dropped'>();
  const to = (next: ItemChange) => change.mutate({ item, change: next }, { onSuccess: () => ask(undefined) });
  const failed = change.error ?? drop.error;
  const about = item.key || item.site;
  return (
    <span className="acts tight">
      {item.state === 'to do' && (
        <button type="button" className="plain" onClick={() => to({ state: 'doing' })} aria-label={t`Begin: ${about}`}>
          <Trans>Begin</Trans>
        </button>
      )}
      {isOpen(item) && (
        <>
          <button
            type="button"
            className="plain"
            aria-expanded={asking === 'done'}
            onClick={() => ask(asking === 'done' ? undefined : 'done')}
            aria-label={t`Done: ${about}`}
          >
            <Trans>Done…</Trans>
          </button>
          <button
            type="button"
            className="plain"
            aria-expanded={asking === 'dropped'}
            onClick={() => ask(asking === 'dropped' ? undefined : 'dropped')}
            aria-label={t`Drop: ${about}`}
          >
            <Trans>Drop…</Trans>
          </button>
        </>
      )}
      {!isOpen(item) && (
        <button type="button" className="plain" onClick={() => to({ state: 'to do' })} aria-label={t`Reopen: ${about}`}>
          <Trans>Reopen</Trans>
        </button>
      )}
      {item.state === 'dropped' && (
        <button type="button" className="plain" onClick={() => drop.mutate(item)} aria-label={t`Delete: ${about}`}>
          <Trans>Delete</Trans>
        </button>
      )}
      {asking && <Saying state={asking} busy={change.isPending} say={to} />}
      {failed && <ErrorNote error={failed} />}
    </span>
  );
}

/** The day on which something was done, or why it is dropped. */
function Saying({ state, busy, say }: { state: 'done' | 'dropped'; busy: boolean; say: (change: ItemChange) => void }) {
  const form = useFields({ on: '', reason: '' }, undefined);
  return (
    <form
      className="acts"
      onSubmit={form.handleSubmit(({ on, reason }) =>
        say(state === 'done' ? { state, ...(on ? { done_on: on } : {}) } : { state, reason }),
      )}
    >
      {state === 'done' ? (
        <TextIn
          form={form}
          name="on"
          type="date"
          size="small"
          label={t`On`}
          helperText={t`Today without a day.`}
          slotProps={{ inputLabel: { shrink: true } }}
        />
      ) : (
        <TextIn form={form} name="reason" size="small" label={t`Reason`} required />
      )}
      <Button type="submit" size="small" disabled={busy}>
        {state === 'done' ? t`Done` : t`Drop`}
      </Button>
    </form>
  );
}

/** The list for a calendar: as a file, or at an address of one's own. */
function Calendar({ which }: { which: { site?: string | undefined; owner?: string | undefined; state: string } }) {
  const make = useCalendar();
  const asked = new URLSearchParams(Object.entries(which).filter((each): each is [string, string] => !!each[1]));
  return (
    <>
      <a href={`/api/v1/worklist.ics?${asked.toString()}`} download="worklist.ics">
        <Trans>Save as calendar</Trans>
      </a>
      <button type="button" className="plain" disabled={make.isPending} onClick={() => make.mutate()}>
        <Trans>An address for my calendar</Trans>
      </button>
      {make.isError && <ErrorNote error={make.error} />}
      {make.data && (
        <Section title={t`Your calendar reads it here`} about={t`told once; a new address ends this one`}>
          <code style={{ wordBreak: 'break-all' }}>{make.data.address}</code>
        </Section>
      )}
    </>
  );
}
