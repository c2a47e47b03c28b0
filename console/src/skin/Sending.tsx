/** When a report is due and whom it goes to; and what became of an edition's mails. */
import { plural, t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useState } from 'react';
import Button from '@mui/material/Button';
import { named } from '../mind/named';
import type { EditionOut, ReportOut } from '../mind/api';
import { useAnsweringMail, useDeliveries, useChangingReport, useSending, useTestMail } from '../mind/reports';
import { scheduleTyped, scheduleWords, when } from '../mind/words';
import { CheckIn, Sends, TextIn, useFields } from './form';
import { ErrorNote } from './states';

const FILES = ['pdf', 'html', 'xlsx', 'zip'] as const;

interface Fields {
  schedule: string;
  weekend: ReportOut['weekend'];
  when_late: ReportOut['when_late'];
  wait_days: string;
  approval: boolean;
  paused: boolean;
  recipients: string;
  attach: string;
  message: string;
}

/** Says when it is due and to whom it goes; opens into a form. */
export function SendingOf({ of }: { of: ReportOut }) {
  const [open, setOpen] = useState(false);
  const next = of.paused ? named('paused') : of.coming[0] ? t`next ${when(of.coming[0])}` : t`no schedule`;
  const people = of.recipients.length;
  return (
    <details className="how" open={open} onToggle={(e) => setOpen(e.currentTarget.open)}>
      <summary className="small">
        {of.schedule ? scheduleWords(of.schedule) : t`When it is due`} · {next} ·{' '}
        {people ? plural(people, { one: 'to # person', other: 'to # people' }) : t`to nobody yet`}
        {of.schedule && !of.approval && t` · sent by itself`}
      </summary>
      {open && <Form of={of} done={() => setOpen(false)} />}
    </details>
  );
}

function Form({ of, done }: { of: ReportOut; done: () => void }) {
  const changing = useChangingReport(of, done);
  const form = useFields<Fields>(
    {
      schedule: scheduleTyped(of.schedule),
      weekend: of.weekend,
      when_late: of.when_late,
      wait_days: String(of.wait_days),
      approval: of.approval,
      paused: of.paused,
      recipients: of.recipients.map((each) => (each.name ? `${each.name} <${each.email}>` : each.email)).join('\n'),
      attach: of.attach.join(' '),
      message: of.message,
    },
    changing.error,
  );
  return (
    <form
      className="stack set"
      onSubmit={(e) => {
        e.preventDefault();
        void form.handleSubmit((fields) =>
          changing.mutate({
            ...fields,
            wait_days: Number(fields.wait_days),
            recipients: fields.recipients
              .split('\n')
              .map(personOf)
              .filter((each) => each.email),
            attach: FILES.filter((each) => fields.attach.split(/[ ,]+/).includes(each)),
          }),
        )();
      }}
    >
      <TextIn
        form={form}
        name="schedule"
        label={t`When it is due`}
        helperText={t`monthly on 1 at 07:00, weekly on monday at 07:00, an RFC 5545 rule, or nothing`}
      />
      <TextIn form={form} name="weekend" label={t`On a weekend`} select slotProps={{ select: { native: true } }}>
        <option value="as it falls">
          <Trans>stays on that day</Trans>
        </option>
        <option value="next">
          <Trans>moves to the next weekday</Trans>
        </option>
        <option value="previous">
          <Trans>moves to the weekday before</Trans>
        </option>
      </TextIn>
      <TextIn
        form={form}
        name="when_late"
        label={t`While days are missing`}
        select
        slotProps={{ select: { native: true } }}
      >
        <option value="wait">
          <Trans>wait for them</Trans>
        </option>
        <option value="mark">
          <Trans>go out marked</Trans>
        </option>
      </TextIn>
      <TextIn form={form} name="wait_days" label={t`Wait so many days at most`} type="number" />
      <TextIn form={form} name="recipients" label={t`Recipients, one a line`} multiline minRows={2} />
      <TextIn form={form} name="attach" label={t`Files with the mail`} helperText={FILES.join(', ')} />
      <TextIn form={form} name="message" label={t`Words above the summary`} multiline minRows={2} />
      <CheckIn form={form} name="approval" label={t`Nothing is sent before somebody signs it off`} />
      <CheckIn form={form} name="paused" label={t`Paused`} />
      <Sends text={t`Keep`} busy={changing.isPending} />
      {of.unsubscribed.length > 0 && (
        <p className="small">
          <Trans>No longer wanted by {of.unsubscribed.join(', ')}; it is not sent there.</Trans>
        </p>
      )}
      {of.coming.length > 0 && (
        <p className="small">
          <Trans>Comes next {of.coming.map(when).join(', ')}.</Trans>
        </p>
      )}
      {changing.isError && <ErrorNote error={changing.error} />}
    </form>
  );
}

/** Reads "Name <address>" or an address alone. */
export function personOf(line: string): { name: string; email: string } {
  const found = /^(.*)<([^<>]*)>\s*$/.exec(line);
  return found ? { name: (found[1] ?? '').trim(), email: (found[2] ?? '').trim() } : { name: '', email: line.trim() };
}

const SAID: Record<string, string> = {
  waiting: t`waits to be handed over`,
  handing: t`is being handed over`,
  sent: t`taken by the server`,
  refused: t`refused by the server`,
  failed: t`could not be handed over`,
  held: t`in doubt`,
  returned: t`came back`,
};

export function Mails({ of }: { of: EditionOut }) {
  const found = useDeliveries(of);
  const sending = useSending();
  const testing = useTestMail();
  const answering = useAnsweringMail();
  const [to, write] = useState('');
  const refused = [sending, testing, answering].find((each) => each.isError)?.error;
  const again = found.data?.some((each) => each.state === 'failed' || each.state === 'refused');
  return (
    <div className="mails">
      <div className="acts">
        {of.state === 'approved' && (
          <Button variant="contained" disabled={sending.isPending} onClick={() => sending.mutate(of.id)}>
            <Trans>Send it</Trans>
          </Button>
        )}
        {again && (
          <Button variant="outlined" disabled={sending.isPending} onClick={() => sending.mutate(of.id)}>
            <Trans>Try again whom it did not reach</Trans>
          </Button>
        )}
        <form
          className="acts"
          onSubmit={(e) => {
            e.preventDefault();
            testing.mutate({ number: of.id, to: to.trim() });
          }}
        >
          <input
            aria-label={t`Where the test goes`}
            type="email"
            placeholder={t`a test to this address`}
            value={to}
            maxLength={300}
            onChange={(e) => write(e.target.value)}
          />
          <button type="submit" className="plain small" disabled={testing.isPending || !to.trim()}>
            <Trans>Send a test</Trans>
          </button>
        </form>
        {testing.data && (
          <span className="small">
            <Trans>Sent to {testing.data.to}.</Trans>
          </span>
        )}
      </div>
      {refused && <ErrorNote error={refused} />}
      {of.state === 'sent' && found.data && (
        <table className="t" aria-label={t`Its mails`}>
          <tbody>
            {found.data.map((each) => (
              <tr key={each.id}>
                <th scope="row">
                  {each.name} <span className="small">{each.email}</span>
                </th>
                <td className="small">
                  {SAID[each.state]}
                  {each.sent_at ? ` ${when(each.sent_at)}` : ''}
                  {each.why && <span className="mut"> {each.why}</span>}
                  {each.state === 'held' && (
                    <>
                      {' '}
                      <button
                        type="button"
                        className="plain small"
                        onClick={() => answering.mutate({ number: each.id, arrived: true })}
                      >
                        <Trans>It arrived</Trans>
                      </button>{' '}
                      <button
                        type="button"
                        className="plain small"
                        onClick={() => answering.mutate({ number: each.id, arrived: false })}
                      >
                        <Trans>It did not: send it again</Trans>
                      </button>
                    </>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </div>
  );
}
