/** Adding a client, a site, or a source that only gets files. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import MenuItem from '@mui/material/MenuItem';
import { useClients, useSites } from '../mind/asked';
import { useAdding, type Addition } from '../mind/doing';
import { DialogForm, Sends, TextIn, useFields } from './form';

const KINDS = { client: t`A client`, site: t`A site of a client`, files: t`Files of a site` } as const;
const BLANK = {
  kind: 'client' as keyof typeof KINDS,
  owner: '',
  name: '',
  host: '',
  label: '',
  brand_terms: '',
  engine: '',
  time_zone: new Intl.DateTimeFormat().resolvedOptions().timeZone,
};

function addition({ kind, owner, ...said }: typeof BLANK): Addition {
  if (kind === 'client') return { kind, name: said.name, time_zone: said.time_zone };
  if (kind === 'site') return { kind, owner, host: said.host, brand_terms: said.brand_terms };
  return { kind, owner, label: said.label, engine: said.engine, time_zone: said.time_zone };
}

export function AddDialog({ open, close }: { open: boolean; close: () => void }) {
  return (
    <Dialog open={open} onClose={close} aria-labelledby="add-title">
      <Form close={close} />
    </Dialog>
  );
}

function Form({ close }: { close: () => void }) {
  const owners = useClients();
  const places = useSites();
  const add = useAdding(close);
  const form = useFields(BLANK, add.error);
  const kind = form.watch('kind');
  return (
    <DialogForm
      id="add-title"
      title={t`Add`}
      width={420}
      submit={form.handleSubmit((said) => add.mutate(addition(said)))}
      error={add.error}
      buttons={
        <>
          <Button onClick={close}>
            <Trans>Cancel</Trans>
          </Button>
          <Sends text={t`Add`} busy={add.isPending} />
        </>
      }
    >
      <TextIn
        form={form}
        name="kind"
        select
        label={t`What`}
        changed={() => {
          form.setValue('owner', '');
          add.reset();
        }}
      >
        {Object.entries(KINDS).map(([key, text]) => (
          <MenuItem key={key} value={key}>
            {text}
          </MenuItem>
        ))}
      </TextIn>
      {kind === 'site' && (
        <TextIn form={form} name="owner" select required label={t`Client`}>
          {(owners.data ?? []).map((c) => (
            <MenuItem key={c.key} value={c.key}>
              {c.name}
            </MenuItem>
          ))}
        </TextIn>
      )}
      {kind === 'files' && (
        <TextIn form={form} name="owner" select required label={t`Site`}>
          {(places.data ?? []).map((s) => (
            <MenuItem key={s.key} value={s.key}>
              {s.client_name} · {s.host}
            </MenuItem>
          ))}
        </TextIn>
      )}
      {kind === 'client' && <TextIn form={form} name="name" required label={t`Name`} />}
      {kind === 'site' && (
        <>
          <TextIn form={form} name="host" required label={t`Host`} placeholder="skerryferries.example" />
          <TextIn
            form={form}
            name="brand_terms"
            label={t`Brand words`}
            helperText={t`Words that name the client, comma between them.`}
          />
        </>
      )}
      {kind === 'files' && (
        <>
          <TextIn form={form} name="label" required label={t`What the files are`} />
          <TextIn form={form} name="engine" label={t`Engine`} helperText={t`Which search engine the figures are of.`} />
        </>
      )}
      {kind !== 'site' && <TextIn form={form} name="time_zone" label={t`Time zone`} />}
    </DialogForm>
  );
}
