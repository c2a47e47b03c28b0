/** Alerts of the agency or of one site: what broke between two looks, told once, until it is over or seen to. */
import { plural, t } from '@lingui/core/macro';
import { Plural, Trans } from '@lingui/react/macro';
import { useState } from 'react';
import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import {
  alerts,
  byCause,
  daysAfter,
  fleet,
  useNoting,
  useSeeingTo,
  type Alert,
  type AlertChange,
} from '../mind/alerts';
import type { FleetEvent } from '../mind/api';
import { useKeys } from '../mind/keys';
import { named } from '../mind/named';
import { me } from '../mind/questions';
import { fixed, percent, shortDay } from '../mind/words';
import { stepRows } from '../mind/worklist';
import { DigestBox } from '../skin/DigestBox';
import { WebhooksBox } from '../skin/WebhooksBox';
import { RulesBox } from '../skin/RulesBox';
import { SitePick } from '../skin/SitePick';
import { TextIn, useFields } from '../skin/form';
import { Answer, Empty, ErrorNote, Section } from '../skin/states';

const STATES = ['calling', 'snoozed', 'muted', 'closed', 'all'] as const;
const STATE_NAMES: Record<(typeof STATES)[number], string> = {
  calling: t`Calling`,
  snoozed: t`Snoozed`,
  muted: t`Muted`,
  closed: t`Over`,
  all: t`All`,
};
const A_WEEK = 7;
const SITES_SHOWN = 8;

export default function Alerts() {
  const [search, setSearch] = useSearchParams();
  const who = useQuery(me);
  const site = search.get('site') ?? '';
  const state = STATES.find((each) => each === search.get('state')) ?? 'calling';
  const found = useQuery(alerts({ site: site || undefined, state }));
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
        <h1>{title(found.data ?? [], state)}</h1>
        <div role="group" aria-label={t`Which alerts`} className="switch">
          {STATES.map((each) => (
            <button
              key={each}
              type="button"
              className="plain"
              aria-pressed={state === each}
              onClick={() => change('state', each === 'calling' ? undefined : each)}
            >
              {STATE_NAMES[each]}
            </button>
          ))}
        </div>
        <span className="r acts">
          <SitePick site={site} choose={(next) => change('site', next)} />
        </span>
      </div>
      <Answer of={found} height={300}>
        {(all) =>
          all.length ? (
            byCause(all).map((cause) => <Cause key={cause[0]!.id} alerts={cause} today={who.data?.today ?? ''} />)
          ) : (
            <Empty why={t`Nothing calls out. Every night all rules are asked of every site.`} />
          )
        }
      </Answer>
      {state === 'calling' && <ManyAtOnce />}
      <DigestBox />
      {who.data?.role === 'owner' && <WebhooksBox />}
      <RulesBox />
    </main>
  );
}

/** Days on which far more sites moved than chance allows; each may be kept as a dated note of the agency. */
function ManyAtOnce() {
  const found = useQuery(fleet);
  if (!found.data?.events.length) return null;
  return (
    <Section title={t`Many sites at once`} about={t`more than chance allows: an engine update, probably`}>
      {found.data.events.map((event) => (
        <Moved key={event.day} event={event} />
      ))}
    </Section>
  );
}

function Moved({ event }: { event: FleetEvent }) {
  const note = useNoting();
  const ranksToo = event.ranks_too ?? 0;
  const many = event.fell + event.rose;
  const text = t`An engine update, probably: ${many} of ${event.looked_at} sites moved`;
  return (
    <div className="acts">
      <p className="small">
        <Trans>
          From {shortDay(event.day)} on {many} of {event.looked_at} sites moved, {event.fell} of them down; on a usual
          day {fixed(event.usual, 1)} do.
        </Trans>{' '}
        {event.on === 'ranks' && <Trans>It is the ranks of their keywords that moved.</Trans>}
        {ranksToo > 0 && (
          <Plural
            value={ranksToo}
            one="The ranks of # site moved as well."
            other="The ranks of # sites moved as well."
          />
        )}{' '}
        {event.sites.slice(0, SITES_SHOWN).map((each, n) => (
          <span key={each.site}>
            {n ? ', ' : ''}
            <Link to={`/sites/${each.site.replaceAll('/', '~')}/overview`}>{each.site}</Link>
            {each.share !== null && each.share !== undefined && ` (${each.section} ${percent(each.share, 0)})`}
          </span>
        ))}
        {event.sites.length > SITES_SHOWN ? ' …' : '.'}
      </p>
      {event.noted.length > 0 ? (
        <span className="small">
          <Trans>Noted: {event.noted.join('; ')}</Trans>
        </span>
      ) : (
        <Button size="small" disabled={note.isPending} onClick={() => note.mutate({ day: event.day, text })}>
          <Trans>Keep as a dated note</Trans>
        </Button>
      )}
      {note.isError && <ErrorNote error={note.error} />}
    </div>
  );
}

function title(found: readonly Alert[], state: string): string {
  if (state !== 'calling' || !found.length) return t`Alerts`;
  return plural(found.length, { one: '# alert calls out', other: '# alerts call out' });
}

function Cause({ alerts: found, today }: { alerts: readonly Alert[]; today: string }) {
  const first = found[0]!;
  const label =
    found.length > 1 ? t`${named(first.rule)}, ${found.length} sites` : `${named(first.rule)} ${first.site}`;
  return (
    <section className="block" aria-label={label}>
      {found.length > 1 && (
        <h2 className="small">
          <Trans>
            {named(first.rule)} on {found.length} sites since about {first.since ? shortDay(first.since) : ''}: perhaps
            one cause
          </Trans>
        </h2>
      )}
      <div className="wrap">
        <table className="t">
          <tbody>
            {found.map((alert) => (
              <Line key={alert.id} alert={alert} today={today} />
            ))}
          </tbody>
        </table>
      </div>
    </section>
  );
}

function Line({ alert, today }: { alert: Alert; today: string }) {
  const at = `/sites/${alert.site.replaceAll('/', '~')}`;
  return (
    <tr data-of={alert.rule === 'page gone' ? 'page' : 'site'} data-key={alert.key || alert.site} data-why={alert.text}>
      <th scope="row">
        <Link to={`${at}/overview`}>{alert.site}</Link>
        <div className="small">{named(alert.rule)}</div>
      </th>
      <td className="why">
        {alert.text} <Link to={`${at}/read/${alert.look}`}>{t`Look`}</Link>
        {alert.reason && <div className="small">{alert.reason}</div>}
      </td>
      <td>{named(alert.sure)}</td>
      <td>
        {alert.state === 'snoozed' && alert.until ? t`snoozed until ${shortDay(alert.until)}` : named(alert.state)}
        {alert.by && <div className="small">{alert.by.split('@')[0]}</div>}
      </td>
      <td>{alert.state !== 'closed' && <SeeingTo alert={alert} today={today} />}</td>
    </tr>
  );
}

function SeeingTo({ alert, today }: { alert: Alert; today: string }) {
  const see = useSeeingTo();
  const [muting, mute] = useState(false);
  const to = (change: AlertChange) => see.mutate({ id: alert.id, change }, { onSuccess: () => mute(false) });
  const about = `${named(alert.rule)} ${alert.key || alert.site}`;
  const calls = alert.state === 'open' || alert.state === 'acknowledged';
  return (
    <span className="acts tight">
      {alert.state === 'open' && (
        <button
          type="button"
          className="plain"
          onClick={() => to({ state: 'acknowledged', reason: '' })}
          aria-label={t`Seen: ${about}`}
        >
          <Trans>Seen</Trans>
        </button>
      )}
      {calls && (
        <>
          <button
            type="button"
            className="plain"
            onClick={() => to({ state: 'snoozed', until: daysAfter(today, A_WEEK), reason: '' })}
            aria-label={t`Snooze a week: ${about}`}
          >
            <Trans>Snooze a week</Trans>
          </button>
          <button
            type="button"
            className="plain"
            aria-expanded={muting}
            onClick={() => mute(!muting)}
            aria-label={t`Mute: ${about}`}
          >
            <Trans>Mute…</Trans>
          </button>
        </>
      )}
      {!calls && (
        <button
          type="button"
          className="plain"
          onClick={() => to({ state: 'open', reason: '' })}
          aria-label={t`Let it call again: ${about}`}
        >
          <Trans>Let it call again</Trans>
        </button>
      )}
      {muting && <Reason busy={see.isPending} say={(reason) => to({ state: 'muted', reason })} />}
      {see.isError && <ErrorNote error={see.error} />}
    </span>
  );
}

function Reason({ busy, say }: { busy: boolean; say: (reason: string) => void }) {
  const form = useFields({ reason: '' }, undefined);
  return (
    <form className="acts" onSubmit={form.handleSubmit(({ reason }) => say(reason))}>
      <TextIn
        form={form}
        name="reason"
        size="small"
        label={t`Reason`}
        rules={{ required: t`Why shall it be quiet?` }}
      />
      <Button type="submit" size="small" disabled={busy}>
        <Trans>Mute</Trans>
      </Button>
    </form>
  );
}
