/** Connecting a property: the credential first, then one of what it can see. */
import { useState } from 'react';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { send, siteKey, type Property, type Source } from '../mind/api';
import { sites, sources } from '../mind/questions';
import { ErrorNote } from './states';

const BLANK = { url: '', account: '', secret: '' };

export function ConnectDialog({ open, close }: { open: boolean; close: () => void }) {
  const [credential, setCredential] = useState(BLANK);
  const [site, setSite] = useState('');
  const client = useQueryClient();
  const all = useQuery({ ...sites, enabled: open });
  const look = useMutation({ mutationFn: () => send<Property[]>('POST', '/properties', credential) });
  const leave = () => {
    close();
    setCredential(BLANK);
    look.reset();
    connect.reset();
  };
  const connect = useMutation({
    mutationFn: (property: string) => send<Source>('POST', `/sites/${siteKey(site)}/sources`, { ...credential, property }),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: sources.queryKey });
      leave();
    },
  });
  const field = (name: keyof typeof BLANK) => ({
    value: credential[name],
    onChange: (e: React.ChangeEvent<HTMLInputElement>) => { setCredential({ ...credential, [name]: e.target.value }); look.reset(); },
    required: true,
    fullWidth: true,
  });
  return (
    <Dialog open={open} onClose={leave} aria-labelledby="connect-title">
      <form style={{ padding: '16px 20px', display: 'grid', gap: 12, width: 420, maxWidth: '90vw' }} onSubmit={(e) => { e.preventDefault(); look.mutate(); }}>
        <h2 id="connect-title">Connect a property</h2>
        <TextField label="Feed address" placeholder="https://feed.example" {...field('url')} />
        <TextField label="Client id" autoComplete="off" {...field('account')} />
        <TextField label="Client secret" type="password" autoComplete="off" helperText="Kept encrypted and never shown again." {...field('secret')} />
        <TextField select label="Site" value={site} onChange={(e) => setSite(e.target.value)} required>
          {(all.data ?? []).map((s) => <MenuItem key={s.key} value={s.key}>{s.client_name} · {s.host}</MenuItem>)}
        </TextField>
        {look.isError && <ErrorNote error={look.error} />}
        {connect.isError && <ErrorNote error={connect.error} />}
        {look.data && <Seen found={look.data} ready={site !== '' && !connect.isPending} choose={(id) => connect.mutate(id)} />}
        <div style={{ display: 'flex', gap: 8, justifyContent: 'flex-end' }}>
          <Button onClick={leave}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={look.isPending}>{look.isPending ? 'Asking the feed…' : 'See its properties'}</Button>
        </div>
      </form>
    </Dialog>
  );
}

function Seen({ found, ready, choose }: { found: readonly Property[]; ready: boolean; choose: (id: string) => void }) {
  if (!found.length) return <p className="note">This credential can see no property. Ask its owner for access.</p>;
  return (
    <ul style={{ listStyle: 'none', padding: 0 }} aria-label="Properties this credential can see">
      {found.map((p) => (
        <li key={p.id} style={{ display: 'flex', justifyContent: 'space-between', gap: 10, borderBottom: '1px solid var(--rule)', alignItems: 'center', minHeight: 34 }}>
          <span>{p.label} <span className="small">{p.engine}, since {p.first_day}</span></span>
          {p.connected_to ? <span className="small">connected to {p.connected_to}</span> : <Button disabled={!ready} onClick={() => choose(p.id)}>Connect</Button>}
        </li>
      ))}
    </ul>
  );
}
