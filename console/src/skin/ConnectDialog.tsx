/** Connecting a property: the credential first, or what a person grants, then one of what can be seen. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import MenuItem from '@mui/material/MenuItem';
import type { Property } from '../mind/api';
import { useGrant, useSites } from '../mind/asked';
import { useConnecting, useGranting, useLooking } from '../mind/doing';
import { CheckIn, DialogForm, Sends, TextIn, useFields } from './form';
import { ErrorNote } from './states';

const BLANK = { url: '', account: '', secret: '', mapping: '', part: '' };

export function ConnectDialog({ open, close, grant }: { open: boolean; close: () => void; grant: string | null }) {
  const granted = useGrant(grant);
  return (
    <Dialog open={open} onClose={close} aria-labelledby="connect-title">
      {granted.isError && (
        <div style={{ padding: '16px 20px' }}>
          <ErrorNote error={granted.error} />
        </div>
      )}
      {(grant === null || granted.data) && (
        <Form
          key={grant ?? 'new'}
          close={close}
          grant={grant}
          start={
            granted.data
              ? { ...BLANK, url: granted.data.url, account: granted.data.account, mapping: granted.data.mapping ?? '' }
              : BLANK
          }
        />
      )}
    </Dialog>
  );
}

function Form({ close, grant, start }: { close: () => void; grant: string | null; start: typeof BLANK }) {
  const all = useSites();
  const look = useLooking();
  const begin = useGranting();
  const connect = useConnecting(close);
  const refused = [look, begin, connect].find((each) => each.isError)?.error;
  const form = useFields({ ...start, site: '', mapped: start.mapping !== '', sitemap: false }, refused);
  const { mapped, sitemap, site, part, ...credential } = form.watch();
  const asked = sitemap
    ? { ...credential, account: '', secret: '', mapping: '', connector: 'sitemap' }
    : mapped
      ? { ...credential, connector: 'mapped-feed', grant }
      : { ...credential, mapping: '' };
  const person = mapped && grant === null && /kind\s*=\s*"oauth-code"/.test(credential.mapping);
  const anew = () => look.reset();
  return (
    <DialogForm
      id="connect-title"
      title={t`Connect a property`}
      width={460}
      submit={form.handleSubmit(() => (person ? begin.mutate(credential) : look.mutate(asked)))}
      error={refused}
      buttons={
        <>
          <Button onClick={close}>
            <Trans>Cancel</Trans>
          </Button>
          <Sends
            text={person ? t`Grant access at the provider` : t`See its properties`}
            busyText={t`Asking the feed…`}
            busy={look.isPending || begin.isPending}
          />
        </>
      }
    >
      <TextIn
        form={form}
        name="url"
        label={sitemap ? t`Address of the sitemap` : t`Feed address`}
        placeholder={sitemap ? 'https://site.example/sitemap.xml' : 'https://feed.example'}
        required
        changed={anew}
      />
      {!sitemap && (
        <TextIn form={form} name="account" label={t`Client id`} autoComplete="off" required={!mapped} changed={anew} />
      )}
      {sitemap ? null : grant === null ? (
        <TextIn
          form={form}
          name="secret"
          label={mapped ? t`Client secret or token` : t`Client secret`}
          type="password"
          autoComplete="off"
          required={!mapped}
          helperText={t`Kept encrypted and never shown again.`}
          changed={anew}
        />
      ) : (
        <p className="small">
          <Trans>Access was granted by you at the provider.</Trans>
        </p>
      )}
      {!sitemap && <CheckIn form={form} name="mapped" label={t`Another interface, described by a mapping`} />}
      {!mapped && grant === null && <CheckIn form={form} name="sitemap" label={t`The site’s own sitemap`} />}
      {mapped && (
        <TextIn
          form={form}
          name="mapping"
          label={t`Mapping (TOML)`}
          multiline
          minRows={4}
          maxRows={10}
          required
          slotProps={{ htmlInput: { spellCheck: false, style: { fontFamily: 'monospace', fontSize: 11.5 } } }}
          changed={anew}
        />
      )}
      <TextIn form={form} name="site" select label={t`Site`} required={!person}>
        {(all.data ?? []).map((s) => (
          <MenuItem key={s.key} value={s.key}>
            {s.client_name} · {s.host}
          </MenuItem>
        ))}
      </TextIn>
      {look.data && (
        <TextIn
          form={form}
          name="part"
          label={t`Only this part of it`}
          placeholder={t`shop.site.example`}
          helperText={t`A host, or host and path, where one property counts several sites; otherwise empty.`}
        />
      )}
      {look.data && (
        <Seen
          found={look.data}
          ready={site !== '' && !connect.isPending}
          parted={part.trim() !== ''}
          choose={(property) => connect.mutate({ ...asked, site, property, part })}
        />
      )}
    </DialogForm>
  );
}

interface SeenProps {
  found: readonly Property[];
  ready: boolean;
  /** Only a part of a property is wanted: another may be connected elsewhere. */
  parted: boolean;
  choose: (id: string) => void;
}

function Seen({ found, ready, parted, choose }: SeenProps) {
  if (!found.length)
    return (
      <p className="note">
        <Trans>This credential can see no property. Ask its owner for access.</Trans>
      </p>
    );
  return (
    <ul style={{ listStyle: 'none', padding: 0 }} aria-label={t`Properties this credential can see`}>
      {found.map((p) => (
        <li
          key={p.id}
          style={{
            display: 'flex',
            justifyContent: 'space-between',
            gap: 10,
            borderBottom: '1px solid var(--rule)',
            alignItems: 'center',
            minHeight: 34,
          }}
        >
          <span>
            {p.label}{' '}
            <span className="small">
              <Trans>
                {p.engine}, since {p.first_day}
                {p.overlaps ? `; ${p.overlaps}` : ''}
              </Trans>
            </span>
          </span>
          {p.connected_to && !parted ? (
            <span className="small">
              <Trans>connected to {p.connected_to}</Trans>
            </span>
          ) : (
            <Button disabled={!ready} onClick={() => choose(p.id)} aria-label={t`Connect ${p.label}, ${p.engine}`}>
              <Trans>Connect</Trans>
            </Button>
          )}
        </li>
      ))}
    </ul>
  );
}
