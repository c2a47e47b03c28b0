/** Deleting for good: what goes is named once more by whoever deletes it. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import { useErasing } from '../mind/doing';
import { DialogForm, Sends, TextIn, useFields } from './form';

export interface Doomed {
  kind: 'client' | 'site';
  key: string;
  name: string;
  sites: readonly string[];
}

export function EraseDialog({ doomed, close }: { doomed: Doomed | undefined; close: () => void }) {
  return (
    <Dialog open={doomed !== undefined} onClose={close} aria-labelledby="erase-title">
      {doomed && <Form key={doomed.key} doomed={doomed} close={close} />}
    </Dialog>
  );
}

function Form({ doomed, close }: { doomed: Doomed; close: () => void }) {
  const erase = useErasing(doomed.kind, doomed.key, close);
  const form = useFields({ confirm: '' }, erase.error);
  return (
    <DialogForm
      id="erase-title"
      title={t`Delete ${doomed.name} for good`}
      submit={form.handleSubmit(() => erase.mutate(undefined))}
      error={erase.error}
      buttons={
        <>
          <Button onClick={close}>
            <Trans>Keep it</Trans>
          </Button>
          <Sends
            text={t`Delete for good`}
            busyText={t`Deleting…`}
            color="error"
            busy={erase.isPending}
            disabled={form.watch('confirm') !== doomed.key}
          />
        </>
      }
    >
      <p>
        <Trans>
          {doomed.sites.length
            ? t`The whole history of ${doomed.sites.join(', ')} goes, with its sources and their secrets.`
            : t`This client has no site; only its settings go.`}{' '}
          Nothing brings it back but a backup or a hand-over file made before.
        </Trans>
      </p>
      <TextIn form={form} name="confirm" label={t`Type ${doomed.key} to go on`} autoComplete="off" />
    </DialogForm>
  );
}
