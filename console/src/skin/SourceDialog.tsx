/** Changing a source: when it is pulled, whether it is read with the others, its secret. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import type { Source } from '../mind/api';
import { useChangingSource } from '../mind/doing';
import { scheduleTyped } from '../mind/words';
import { CheckIn, DialogForm, Sends, TextIn, useFields } from './form';

export function SourceDialog({ source, close }: { source: Source | undefined; close: () => void }) {
  return (
    <Dialog open={source !== undefined} onClose={close} aria-labelledby="source-title">
      {source && <Form key={source.id} source={source} close={close} />}
    </Dialog>
  );
}

function Form({ source, close }: { source: Source; close: () => void }) {
  const keep = useChangingSource(source.id, close);
  const kept = {
    schedule: scheduleTyped(source.schedule),
    paused: source.paused,
    counted: source.counted,
    secret: '',
  };
  const form = useFields(kept, keep.error);
  const submit = form.handleSubmit((said) =>
    keep.mutate({
      ...(said.schedule === kept.schedule ? {} : { schedule: said.schedule || 'off' }),
      ...(said.paused === kept.paused ? {} : { paused: said.paused }),
      ...(said.counted === kept.counted ? {} : { counted: said.counted }),
      ...(said.secret ? { secret: said.secret } : {}),
    }),
  );
  const feed = source.connector !== 'files';
  return (
    <DialogForm
      id="source-title"
      title={source.label}
      submit={submit}
      error={keep.error}
      buttons={
        <>
          <Button onClick={close}>
            <Trans>Cancel</Trans>
          </Button>
          <Sends text={t`Keep`} busyText={t`Keeping…`} busy={keep.isPending} />
        </>
      }
    >
      <p className="small">
        <Trans>
          {source.site} counts {source.scope || source.property}. Days begin and end in {source.time_zone}.
        </Trans>
      </p>
      {feed && (
        <TextIn
          form={form}
          name="schedule"
          label={t`Pulled`}
          helperText={t`hourly, daily at 06:00, monthly on 3 at 06:00, an RFC 5545 rule, or off`}
        />
      )}
      {feed && <CheckIn form={form} name="paused" label={t`Paused; what falls due is caught up when it goes on`} />}
      <CheckIn form={form} name="counted" label={t`Read together with the site’s other sources`} />
      {feed && (
        <TextIn
          form={form}
          name="secret"
          label={t`New secret`}
          type="password"
          autoComplete="off"
          helperText={t`Only to replace the one that is kept; it is tried at once.`}
        />
      )}
    </DialogForm>
  );
}
