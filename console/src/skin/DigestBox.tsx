/** How one is mailed what calls out: how often, at which hour of one's own, and when never. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import type { DigestChange, DigestOut } from '../mind/api';
import { useChoosingDigest, useDigest } from '../mind/digest';
import { WEEKDAYS } from '../mind/frame';
import { weekdayOf, when } from '../mind/words';
import { TextIn, useFields } from './form';
import { ErrorNote } from './states';

export function DigestBox() {
  const found = useDigest();
  if (!found.data) return null;
  return (
    <details className="block">
      <summary>
        {found.data.every === 'off' || !found.data.next_at ? (
          <Trans>By mail: no digest</Trans>
        ) : (
          <Trans>By mail: the next digest from {when(found.data.next_at)} on</Trans>
        )}
      </summary>
      {!found.data.mail && (
        <p className="small">
          <Trans>No mail server is set up: nothing is mailed until one is.</Trans>
        </p>
      )}
      <Form key={JSON.stringify(found.data)} of={found.data} />
    </details>
  );
}

function Form({ of }: { of: DigestOut }) {
  const choose = useChoosingDigest();
  const here = new Intl.DateTimeFormat().resolvedOptions().timeZone;
  const form = useFields(
    {
      every: of.every,
      weekday: of.weekday,
      at: of.at,
      time_zone: of.every === 'off' ? here : of.time_zone,
      quiet_from: of.quiet_from ?? '',
      quiet_to: of.quiet_to ?? '',
    },
    choose.error,
  );
  const every = form.watch('every');
  const hours = { htmlInput: { step: 60 }, inputLabel: { shrink: true } };
  return (
    <form
      className="acts"
      aria-label={t`A digest by mail`}
      onSubmit={form.handleSubmit((asked) =>
        choose.mutate({
          ...asked,
          quiet_from: asked.quiet_from || null,
          quiet_to: asked.quiet_to || null,
        } as DigestChange),
      )}
    >
      <TextIn form={form} name="every" select size="small" label={t`A digest`}>
        <MenuItem value="off">{t`not at all`}</MenuItem>
        <MenuItem value="day">{t`every day`}</MenuItem>
        <MenuItem value="week">{t`every week`}</MenuItem>
      </TextIn>
      {every === 'week' && (
        <TextIn form={form} name="weekday" select size="small" label={t`On`}>
          {WEEKDAYS.map((each, n) => (
            <MenuItem key={each} value={each}>
              {weekdayOf(n)}
            </MenuItem>
          ))}
        </TextIn>
      )}
      {every !== 'off' && (
        <>
          <TextIn form={form} name="at" type="time" size="small" label={t`At`} slotProps={hours} />
          <TextIn form={form} name="time_zone" size="small" label={t`Time zone`} />
          <TextIn form={form} name="quiet_from" type="time" size="small" label={t`Quiet from`} slotProps={hours} />
          <TextIn form={form} name="quiet_to" type="time" size="small" label={t`Quiet to`} slotProps={hours} />
        </>
      )}
      <Button type="submit" disabled={choose.isPending}>
        <Trans>Keep</Trans>
      </Button>
      {choose.isError && <ErrorNote error={choose.error} />}
    </form>
  );
}
