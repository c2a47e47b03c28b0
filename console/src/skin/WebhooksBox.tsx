/** Addresses that are told when something happens: what waits for them, how the last try went; added, tried, dropped. */
import { plural, t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import Button from '@mui/material/Button';
import type { WebhookMade, WebhookOut } from '../mind/api';
import {
  EVENTS,
  useAddingWebhook,
  useDroppingWebhook,
  useTryingWebhook,
  useWebhooks,
  type WebhookAsked,
} from '../mind/webhooks';
import { count, when } from '../mind/words';
import { CheckIn, TextIn, useFields } from './form';
import { Answer, ErrorNote } from './states';

function eventName(event: string): string {
  const names: Record<string, string> = {
    'alert.opened': t`An alert calls out`,
    'alert.closed': t`An alert is over`,
    'edition.approved': t`An edition is approved`,
    'edition.sent': t`An edition is sent`,
  };
  return names[event] ?? event;
}

export function WebhooksBox() {
  const found = useWebhooks();
  const many = found.data?.length ?? 0;
  return (
    <details className="block">
      <summary>
        {many
          ? plural(many, { one: '# other program is told', other: '# other programs are told' })
          : t`Other programs: none is told`}
      </summary>
      <Answer of={found} height={40}>
        {(all) => (all.length ? <Table all={all} /> : null)}
      </Answer>
      <Add />
    </details>
  );
}

function Table({ all }: { all: readonly WebhookOut[] }) {
  return (
    <div className="wrap">
      <table className="t fit">
        <thead>
          <tr>
            <th scope="col">
              <Trans>Address</Trans>
            </th>
            <th scope="col">
              <Trans>Is told when</Trans>
            </th>
            <th scope="col">
              <Trans>Quiet hours</Trans>
            </th>
            <th scope="col" className="num">
              <Trans>Waiting</Trans>
            </th>
            <th scope="col">
              <Trans>Last told</Trans>
            </th>
            <th scope="col">
              <span className="vh">
                <Trans>Change</Trans>
              </span>
            </th>
          </tr>
        </thead>
        <tbody>
          {all.map((each) => (
            <One key={each.id} hook={each} />
          ))}
        </tbody>
      </table>
    </div>
  );
}

function One({ hook }: { hook: WebhookOut }) {
  const trying = useTryingWebhook();
  const dropping = useDroppingWebhook();
  const error = trying.error ?? dropping.error;
  const name = hook.label || hook.url;
  return (
    <tr>
      <th scope="row">
        {name}
        {hook.label && <div className="small mut">{hook.url}</div>}
      </th>
      <td className="small">{hook.events.map(eventName).join(', ')}</td>
      <td className="small">
        {hook.quiet_from ? t`${hook.quiet_from} to ${hook.quiet_to ?? ''}, ${hook.time_zone ?? ''}` : t`none`}
      </td>
      <td className="num">{count(hook.waiting)}</td>
      <td className="small">
        {hook.told_at ? when(hook.told_at) : t`never`}
        {hook.why && <div className="bad">{hook.why}</div>}
        {hook.failed > 0 && (
          <div>{plural(hook.failed, { one: '# post was given up', other: '# posts were given up' })}</div>
        )}
        {error && <ErrorNote error={error} />}
      </td>
      <td>
        <button
          type="button"
          className="plain"
          aria-label={t`Try ${name}`}
          disabled={trying.isPending}
          onClick={() => trying.mutate(hook.id)}
        >
          <Trans>Try it</Trans>
        </button>
        <button
          type="button"
          className="plain"
          aria-label={t`Take away: ${name}`}
          disabled={dropping.isPending}
          onClick={() =>
            window.confirm(t`Tell ${name} nothing more? What waits for it goes with it.`) && dropping.mutate(hook.id)
          }
        >
          <Trans>Take away</Trans>
        </button>
      </td>
    </tr>
  );
}

const NEW = { url: '', label: '', quiet_from: '', quiet_to: '' };

function Add() {
  const add = useAddingWebhook();
  const form = useFields(
    { ...NEW, time_zone: new Intl.DateTimeFormat().resolvedOptions().timeZone, on: EVENTS.map((_, n) => n < 2) },
    add.error,
  );
  const hours = { htmlInput: { step: 60 }, inputLabel: { shrink: true } };
  return (
    <form
      aria-label={t`Another program to be told`}
      onSubmit={form.handleSubmit(({ on, ...asked }) =>
        add.mutate(
          {
            ...asked,
            quiet_from: asked.quiet_from || null,
            quiet_to: asked.quiet_to || null,
            events: EVENTS.filter((_, n) => on[n]),
          } satisfies WebhookAsked,
          { onSuccess: () => form.reset() },
        ),
      )}
    >
      <div className="acts">
        <TextIn form={form} name="url" size="small" label={t`Address`} type="url" required />
        <TextIn form={form} name="label" size="small" label={t`What it is for`} />
        <TextIn form={form} name="quiet_from" type="time" size="small" label={t`Quiet from`} slotProps={hours} />
        <TextIn form={form} name="quiet_to" type="time" size="small" label={t`Quiet to`} slotProps={hours} />
        <TextIn form={form} name="time_zone" size="small" label={t`Time zone`} />
      </div>
      <div className="acts">
        {EVENTS.map((event, n) => (
          <CheckIn key={event} form={form} name={`on.${n}`} label={eventName(event)} />
        ))}
        <Button type="submit" disabled={add.isPending}>
          <Trans>Tell it</Trans>
        </Button>
      </div>
      {add.isError && <ErrorNote error={add.error} />}
      {add.data && <Secret made={add.data} />}
    </form>
  );
}

function Secret({ made }: { made: WebhookMade }) {
  return (
    <p className="small" role="status">
      <Trans>
        The key of its signatures, shown this once: <code>{made.secret}</code>
      </Trans>
    </p>
  );
}
