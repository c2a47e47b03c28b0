/** Connecting a property: the credential first, or what a person grants, then one of what can be seen. */
import { useState } from 'react';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { send, siteKey, type GrantBegun, type Property, type Source } from '../mind/api';
import { grant as grantOf, sites, sources } from '../mind/questions';
import { ErrorNote } from './states';

const BLANK = { url: '', account: '', secret: '', mapping: '' };

export function ConnectDialog({ open, close, grant }: { open: boolean; close: () => void; grant: string | null }) {
  const granted = useQuery(grantOf(grant));
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
  const [credential, setCredential] = useState(start);
  const [mapped, setMapped] = useState(start.mapping !== '');
  const [site, setSite] = useState('');
  const client = useQueryClient();
  const all = useQuery(sites);
  const asked = mapped ? { ...credential, connector: 'mapped-feed', grant } : { ...credential, mapping: '' };
  const person = mapped && grant === null && /kind\s*=\s*"oauth-code"/.test(credential.mapping);
  const look = useMutation({ mutationFn: () => send<Property[]>('POST', '/properties', asked) });
  const begin = useMutation({
    mutationFn: () => send<GrantBegun>('POST', '/grants', { ...credential, back: '/sources' }),
    onSuccess: (begun) => window.location.assign(begun.go),
  });
  const connect = useMutation({
    mutationFn: (property: string) => send<Source>('POST', `/sites/${siteKey(site)}/sources`, { ...asked, property }),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: sources.queryKey });
      close();
    },
  });
  const field = (name: keyof typeof BLANK) => ({
    value: credential[name],
    onChange: (e: React.ChangeEvent<HTMLInputElement>) => {
      setCredential({ ...credential, [name]: e.target.value });
      look.reset();
    },
    fullWidth: true,
  });
  return (
    <form
      style={{ padding: '16px 20px', display: 'grid', gap: 12, width: 460, maxWidth: '90vw' }}
      onSubmit={(e) => {
        e.preventDefault();
        if (person) begin.mutate();
        else look.mutate();
      }}
    >
      <h2 id="connect-title">Connect a property</h2>
      <TextField label="Feed address" placeholder="https://feed.example" required {...field('url')} />
      <TextField label="Client id" autoComplete="off" required={!mapped} {...field('account')} />
      {grant === null ? (
        <TextField
          label={mapped ? 'Client secret or token' : 'Client secret'}
          type="password"
          autoComplete="off"
          required={!mapped}
          helperText="Kept encrypted and never shown again."
          {...field('secret')}
        />
      ) : (
        <p className="small">Access was granted by you at the provider.</p>
      )}
      <label>
        <input
          type="checkbox"
          checked={mapped}
          onChange={(e) => {
            setMapped(e.target.checked);
            look.reset();
          }}
        />{' '}
        Another interface, described by a mapping
      </label>
      {mapped && (
        <TextField
          label="Mapping (TOML)"
          multiline
          minRows={4}
          maxRows={10}
          required
          slotProps={{ htmlInput: { spellCheck: false, style: { fontFamily: 'monospace', fontSize: 11.5 } } }}
          {...field('mapping')}
        />
      )}
      <TextField select label="Site" value={site} onChange={(e) => setSite(e.target.value)} required={!person}>
        {(all.data ?? []).map((s) => (
          <MenuItem key={s.key} value={s.key}>
            {s.client_name} · {s.host}
          </MenuItem>
        ))}
      </TextField>
      {[look, begin, connect].map((each, n) => each.isError && <ErrorNote key={n} error={each.error} />)}
      {look.data && (
        <Seen found={look.data} ready={site !== '' && !connect.isPending} choose={(id) => connect.mutate(id)} />
      )}
      <div style={{ display: 'flex', gap: 8, justifyContent: 'flex-end' }}>
        <Button onClick={close}>Cancel</Button>
        <Button type="submit" variant="contained" disabled={look.isPending || begin.isPending}>
          {look.isPending ? 'Asking the feed…' : person ? 'Grant access at the provider' : 'See its properties'}
        </Button>
      </div>
    </form>
  );
}

function Seen({ found, ready, choose }: { found: readonly Property[]; ready: boolean; choose: (id: string) => void }) {
  if (!found.length) return <p className="note">This credential can see no property. Ask its owner for access.</p>;
  return (
    <ul style={{ listStyle: 'none', padding: 0 }} aria-label="Properties this credential can see">
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
              {p.engine}, since {p.first_day}
              {p.overlaps ? `; ${p.overlaps}` : ''}
            </span>
          </span>
          {p.connected_to ? (
            <span className="small">connected to {p.connected_to}</span>
          ) : (
            <Button disabled={!ready} onClick={() => choose(p.id)} aria-label={`Connect ${p.label}, ${p.engine}`}>
              Connect
            </Button>
          )}
        </li>
      ))}
    </ul>
  );
}
