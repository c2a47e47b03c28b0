/** Writing raw days or a reading to a file, and fetching it. */
import { useState } from 'react';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import LinearProgress from '@mui/material/LinearProgress';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useMutation, useQuery } from '@tanstack/react-query';
import { address, send, siteKey, type Job } from '../mind/api';
import { ended, job as jobOf } from '../mind/questions';
import { count } from '../mind/words';
import { ErrorNote } from './states';

const WHAT = {
  days: ['Raw days', { pair: 'queries by page', query: 'queries', page: 'pages', site: 'the site' }],
  breakdown: ['A breakdown', { query: 'by query', page: 'by page', country: 'by country', device: 'by device', kind: 'by kind' }],
  timeline: ['A timeline', { day: 'by day', week: 'by week', month: 'by month' }],
  ledger: ['The day ledger', { site: 'of the site', query: 'of queries', page: 'of pages', pair: 'of queries by page' }],
} as const;
type What = keyof typeof WHAT;
const FORMATS = { csv: 'CSV', xlsx: 'XLSX', ndjson: 'NDJSON', parquet: 'Parquet, a file a month' } as const;

export function ExportDialog({ open, close, site, window }: { open: boolean; close: () => void; site: string; window: string }) {
  const [what, setWhat] = useState<What>('days');
  const [by, setBy] = useState('pair');
  const [format, setFormat] = useState('csv');
  const [span, setSpan] = useState('window');
  const [number, setNumber] = useState<number>();
  const start = useMutation({
    mutationFn: () => send<Job>('POST', `/sites/${siteKey(site)}/exports`, { what, by, format, window: span === 'all' ? 'all' : window }),
    onSuccess: (job) => setNumber(job.id),
  });
  const job = useQuery(jobOf(number));
  const busy = start.isPending || (number !== undefined && !ended(job.data));
  const choose = (next: What) => { setWhat(next); setBy(Object.keys(WHAT[next][1])[0] ?? ''); };
  const leave = () => { close(); setNumber(undefined); start.reset(); };
  return (
    <Dialog open={open} onClose={leave} aria-labelledby="export-title">
      <form style={{ padding: '16px 20px', display: 'grid', gap: 12, width: 420, maxWidth: '90vw' }} onSubmit={(e) => { e.preventDefault(); start.mutate(); }}>
        <h2 id="export-title">Export</h2>
        <TextField select label="What" value={what} onChange={(e) => choose(e.target.value as What)}>
          {Object.entries(WHAT).map(([key, [name]]) => <MenuItem key={key} value={key}>{name}</MenuItem>)}
        </TextField>
        <TextField select label="Counted" value={by} onChange={(e) => setBy(e.target.value)}>
          {Object.entries(WHAT[what][1]).map(([key, name]) => <MenuItem key={key} value={key}>{name}</MenuItem>)}
        </TextField>
        <TextField select label="Days" value={span} onChange={(e) => setSpan(e.target.value)}>
          <MenuItem value="window">the window that is read</MenuItem>
          <MenuItem value="all">everything held</MenuItem>
        </TextField>
        <TextField select label="Format" value={format} onChange={(e) => setFormat(e.target.value)}>
          {Object.entries(FORMATS).map(([key, name]) => <MenuItem key={key} value={key}>{name}</MenuItem>)}
        </TextField>
        {start.isError && <ErrorNote error={start.error} />}
        {job.data && <Made job={job.data} />}
        <div style={{ display: 'flex', gap: 8, justifyContent: 'flex-end' }}>
          <Button onClick={leave}>Close</Button>
          <Button type="submit" variant="contained" disabled={busy}>{busy ? 'Writing…' : 'Write the file'}</Button>
        </div>
      </form>
    </Dialog>
  );
}

function Made({ job }: { job: Job }) {
  if (job.state === 'failed') return <div className="note error" role="alert"><p>{job.fault}</p></div>;
  if (job.state !== 'done') return <LinearProgress variant={job.due ? 'determinate' : 'indeterminate'} value={job.due ? (100 * job.done) / job.due : 0} aria-label="Writing the file" />;
  const result = job.result as { file?: string; rows?: number; bytes?: number };
  return <p role="status"><a href={address(`/jobs/${job.id}/file`)} download>{result.file}</a> <span className="small">{count(result.rows)} rows, {count(result.bytes)} bytes</span></p>;
}
