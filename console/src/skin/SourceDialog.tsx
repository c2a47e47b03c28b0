/** Changing a source: when it is pulled, whether it is read with the others, its secret. */
import { useState } from 'react';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import TextField from '@mui/material/TextField';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { send, type Source } from '../mind/api';
import { notices, sources } from '../mind/questions';
import { scheduleWords } from '../mind/words';
import { ErrorNote } from './states';

export function SourceDialog({ source, close }: { source: Source | undefined; close: () => void }) {
  return (
    <Dialog open={source !== undefined} onClose={close} aria-labelledby="source-title">
      {source && <Form key={source.id} source={source} close={close} />}
    </Dialog>
  );
}

function Form({ source, close }: { source: Source; close: () => void }) {
  const client = useQueryClient();
  const [schedule, setSchedule] = useState(scheduleWords(source.schedule));
  const [paused, setPaused] = useState(source.paused);
  const [counted, setCounted] = useState(source.counted);
  const [secret, setSecret] = useState('');
  const keep = useMutation({
    mutationFn: () =>
      send<Source>('PATCH', `/sources/${source.id}`, {
        ...(schedule === scheduleWords(source.schedule) ? {} : { schedule: schedule || 'off' }),
        ...(paused === source.paused ? {} : { paused }),
        ...(counted === source.counted ? {} : { counted }),
        ...(secret ? { secret } : {}),
      }),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: sources.queryKey });
      void client.invalidateQueries({ queryKey: notices.queryKey });
      close();
    },
  });
  const feed = source.connector !== 'files';
  return (
    <form
      style={{ padding: '16px 20px', display: 'grid', gap: 12, width: 440, maxWidth: '90vw' }}
      onSubmit={(e) => {
        e.preventDefault();
        keep.mutate();
      }}
    >
      <h2 id="source-title">{source.label}</h2>
      <p className="small">
        {source.site} counts {source.scope || source.property}. Days begin and end in {source.time_zone}.
      </p>
      {feed && (
        <TextField
          label="Pulled"
          value={schedule}
          onChange={(e) => setSchedule(e.target.value)}
          helperText="hourly, daily at 06:00, monthly on 3 at 06:00, an RFC 5545 rule, or off"
        />
      )}
      {feed && (
        <label>
          <input type="checkbox" checked={paused} onChange={(e) => setPaused(e.target.checked)} /> Paused; what falls
          due is caught up when it goes on
        </label>
      )}
      <label>
        <input type="checkbox" checked={counted} onChange={(e) => setCounted(e.target.checked)} /> Read together with
        the site’s other sources
      </label>
      {feed && (
        <TextField
          label="New secret"
          type="password"
          autoComplete="off"
          value={secret}
          onChange={(e) => setSecret(e.target.value)}
          helperText="Only to replace the one that is kept; it is tried at once."
        />
      )}
      {keep.isError && <ErrorNote error={keep.error} />}
      <div style={{ display: 'flex', gap: 8, justifyContent: 'flex-end' }}>
        <Button onClick={close}>Cancel</Button>
        <Button type="submit" variant="contained" disabled={keep.isPending}>
          {keep.isPending ? 'Keeping…' : 'Keep'}
        </Button>
      </div>
    </form>
  );
}
