/** Writing raw days or a reading to a file, and fetching it. */
import { useState } from 'react';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { send, siteKey, type Job } from '../mind/api';
import { useWork } from '../mind/work';
import { MadeFile } from './JobMade';
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
  const { start, job, busy, forget } = useWork(() => send<Job>('POST', `/sites/${siteKey(site)}/exports`, { what, by, format, window: span === 'all' ? 'all' : window }));
  const choose = (next: What) => { setWhat(next); setBy(Object.keys(WHAT[next][1])[0] ?? ''); };
  const leave = () => { close(); forget(); };
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
        {job && <MadeFile job={job} name="Writing the file" />}
        <div style={{ display: 'flex', gap: 8, justifyContent: 'flex-end' }}>
          <Button onClick={leave}>Close</Button>
          <Button type="submit" variant="contained" disabled={busy}>{busy ? 'Writing…' : 'Write the file'}</Button>
        </div>
      </form>
    </Dialog>
  );
}
