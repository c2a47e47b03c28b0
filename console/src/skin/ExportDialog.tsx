/** Writing raw days or a reading to a file, and fetching it. */
import { useState } from 'react';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import type { Frame } from '../mind/frame';
import { send, siteKey, type Job } from '../mind/api';
import { useWork } from '../mind/work';
import { MadeFile } from './JobMade';
import { ErrorNote } from './states';

const WHAT = {
  days: ['Raw days', { pair: 'queries by page', query: 'queries', page: 'pages', site: 'the site', look: 'looks' }],
  breakdown: ['A breakdown', { query: 'by query', page: 'by page', country: 'by country', device: 'by device', kind: 'by kind', look: 'by look' }],
  timeline: ['A timeline', { day: 'by day', week: 'by week', month: 'by month', quarter: 'by quarter' }],
  cross: ['Two dimensions at once', { 'query,device': 'queries by device', 'query,band': 'queries by band', 'query,month': 'queries by month', 'look,month': 'looks by month', 'page,country': 'pages by country', 'page,device': 'pages by device', 'page,month': 'pages by month', 'country,device': 'countries by device', 'set,month': 'sets by month' }],
  bands: ['Counts by band and month', { query: 'of queries', page: 'of pages' }],
  weekdays: ['The profile of a week', { weekday: 'by weekday' }],
  drivers: ['Drivers', { query: 'the 200 queries that moved most' }],
  fading: ['Verdicts', { page: 'on every page', query: 'on every query' }],
  'within-reach': ['Within reach', { query: 'by query', page: 'summed by page' }],
  overlap: ['Overlap', { query: 'by query' }],
  clusters: ['Clusters', { query: 'of queries' }],
  unclicked: ['Seen but not clicked', { query: 'by query' }],
  'device-gap': ['Mobile against desktop', { query: 'by query' }],
  'odd-days': ['Odd days', { day: 'by day' }],
  ledger: ['The day ledger', { site: 'of the site', query: 'of queries', page: 'of pages', pair: 'of queries by page', look: 'of looks' }],
} as const;
type What = keyof typeof WHAT;
/** The window, the comparison and what rows are narrowed to, as an export takes them. */
function asked({ window, against, where: { engine, filter, ...where } }: Frame, all: boolean) {
  return { window: all ? 'all' : window, against: all ? 'none' : against, where, engine, filter };
}

function said(what: What, { where }: Frame): string {
  if (WHOLE.includes(what)) return 'Every row that is held; filters do not narrow it.';
  const parts = Object.entries(where).map(([name, text]) => (name === 'filter' ? text : `${name} ${text}`));
  return parts.length ? `Narrowed as the view is: ${parts.join('; ')}.` : 'Every row of the reading, not only those on a page.';
}

const FORMATS = { csv: 'CSV', xlsx: 'XLSX', ndjson: 'NDJSON', parquet: 'Parquet, a file a month' } as const;

/** Everything of the site, whatever the reading is narrowed to. */
const WHOLE: readonly What[] = ['days', 'ledger'];

/** View → the reading it shows, and what that goes by. */
const SHOWN: Record<string, readonly [What, string]> = {
  overview: ['timeline', 'day'], queries: ['breakdown', 'query'], pages: ['breakdown', 'page'], places: ['breakdown', 'country'], sets: ['cross', 'set,month'],
  fading: ['fading', 'page'], reach: ['within-reach', 'query'], overlap: ['overlap', 'query'], clusters: ['clusters', 'query'], unclicked: ['unclicked', 'query'], 'device-gap': ['device-gap', 'query'],
};

export function ExportDialog({ open, close, site, frame, view = '' }: { open: boolean; close: () => void; site: string; frame: Frame; view?: string }) {
  const [first, firstBy] = SHOWN[view] ?? (['days', 'pair'] as const);
  const [what, setWhat] = useState<What>(first);
  const [by, setBy] = useState<string>(firstBy);
  const [format, setFormat] = useState('csv');
  const [span, setSpan] = useState('window');
  const { start, job, busy, forget } = useWork(() => send<Job>('POST', `/sites/${siteKey(site)}/exports`, { what, by, format, ...asked(frame, span === 'all') }));
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
        <p className="small">{said(what, frame)}</p>
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
