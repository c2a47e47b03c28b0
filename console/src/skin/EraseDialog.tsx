/** Deleting for good: what goes is named once more by whoever deletes it. */
import { useState } from 'react';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import TextField from '@mui/material/TextField';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { ask, siteKey } from '../mind/api';
import { ErrorNote } from './states';

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
  const client = useQueryClient();
  const [typed, setTyped] = useState('');
  const path = doomed.kind === 'client' ? `/clients/${doomed.key}` : `/sites/${siteKey(doomed.key)}`;
  const erase = useMutation({
    mutationFn: () => ask(path, { confirm: doomed.key }, { method: 'DELETE' }),
    onSuccess: () => {
      void client.invalidateQueries();
      close();
    },
  });
  return (
    <form
      style={{ padding: '16px 20px', display: 'grid', gap: 12, width: 440, maxWidth: '90vw' }}
      onSubmit={(e) => {
        e.preventDefault();
        erase.mutate();
      }}
    >
      <h2 id="erase-title">Delete {doomed.name} for good</h2>
      <p>
        {doomed.sites.length
          ? `The whole history of ${doomed.sites.join(', ')} goes, with its sources and their secrets.`
          : 'This client has no site; only its settings go.'}{' '}
        Nothing brings it back but a backup or a hand-over file made before.
      </p>
      <TextField
        label={`Type ${doomed.key} to go on`}
        value={typed}
        onChange={(e) => setTyped(e.target.value)}
        autoComplete="off"
      />
      {erase.isError && <ErrorNote error={erase.error} />}
      <div style={{ display: 'flex', gap: 8, justifyContent: 'flex-end' }}>
        <Button onClick={close}>Keep it</Button>
        <Button type="submit" variant="contained" color="error" disabled={typed !== doomed.key || erase.isPending}>
          {erase.isPending ? 'Deleting…' : 'Delete for good'}
        </Button>
      </div>
    </form>
  );
}
