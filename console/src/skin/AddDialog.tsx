/** Adding a client, a site, or a source that only gets files. */
import { useState } from 'react';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { send, siteKey, type Client, type Site, type Source } from '../mind/api';
import { clients, portfolio, sites, sources } from '../mind/questions';
import { ErrorNote } from './states';

type Kind = 'client' | 'site' | 'files';
const KINDS: Record<Kind, string> = { client: 'A client', site: 'A site of a client', files: 'Files of a site' };

export function AddDialog({ open, close }: { open: boolean; close: () => void }) {
  const [kind, setKind] = useState<Kind>('client');
  const [name, setName] = useState('');
  const [owner, setOwner] = useState('');
  const [more, setMore] = useState('');
  const [zone, setZone] = useState(new Intl.DateTimeFormat().resolvedOptions().timeZone);
  const cache = useQueryClient();
  const owners = useQuery({ ...clients, enabled: open });
  const places = useQuery({ ...sites, enabled: open });
  const add = useMutation({
    mutationFn: (): Promise<Client | Site | Source> => {
      if (kind === 'client') return send<Client>('POST', '/clients', { name, time_zone: zone });
      if (kind === 'site') return send<Site>('POST', `/clients/${owner}/sites`, { host: name, brand_terms: more });
      return send<Source>('POST', `/sites/${siteKey(owner)}/file-sources`, {
        label: name,
        engine: more,
        time_zone: zone,
      });
    },
    onSuccess: () => {
      for (const each of [clients, sites, sources, portfolio])
        void cache.invalidateQueries({ queryKey: each.queryKey });
      leave();
    },
  });
  const leave = () => {
    close();
    setName('');
    setMore('');
    add.reset();
  };
  const choose = (next: Kind) => {
    setKind(next);
    setOwner('');
    add.reset();
  };
  return (
    <Dialog open={open} onClose={leave} aria-labelledby="add-title">
      <form
        style={{ padding: '16px 20px', display: 'grid', gap: 12, width: 420, maxWidth: '90vw' }}
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate();
        }}
      >
        <h2 id="add-title">Add</h2>
        <TextField select label="What" value={kind} onChange={(e) => choose(e.target.value as Kind)}>
          {Object.entries(KINDS).map(([key, text]) => (
            <MenuItem key={key} value={key}>
              {text}
            </MenuItem>
          ))}
        </TextField>
        {kind === 'site' && (
          <TextField select required label="Client" value={owner} onChange={(e) => setOwner(e.target.value)}>
            {(owners.data ?? []).map((c) => (
              <MenuItem key={c.key} value={c.key}>
                {c.name}
              </MenuItem>
            ))}
          </TextField>
        )}
        {kind === 'files' && (
          <TextField select required label="Site" value={owner} onChange={(e) => setOwner(e.target.value)}>
            {(places.data ?? []).map((s) => (
              <MenuItem key={s.key} value={s.key}>
                {s.client_name} · {s.host}
              </MenuItem>
            ))}
          </TextField>
        )}
        <TextField
          required
          label={kind === 'site' ? 'Host' : kind === 'client' ? 'Name' : 'What the files are'}
          placeholder={kind === 'site' ? 'skerryferries.example' : ''}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        {kind === 'site' && (
          <TextField
            label="Brand words"
            helperText="Words that name the client, comma between them."
            value={more}
            onChange={(e) => setMore(e.target.value)}
          />
        )}
        {kind === 'files' && (
          <TextField
            label="Engine"
            helperText="Which search engine the figures are of."
            value={more}
            onChange={(e) => setMore(e.target.value)}
          />
        )}
        {kind !== 'site' && <TextField label="Time zone" value={zone} onChange={(e) => setZone(e.target.value)} />}
        {add.isError && <ErrorNote error={add.error} />}
        <div style={{ display: 'flex', gap: 8, justifyContent: 'flex-end' }}>
          <Button onClick={leave}>Cancel</Button>
          <Button type="submit" variant="contained" disabled={add.isPending}>
            Add
          </Button>
        </div>
      </form>
    </Dialog>
  );
}
