/** Writing raw days or any reading to a file, and fetching it. */
import { useState } from 'react';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { useReadings, type Reading } from '../mind/catalogue';
import type { Frame } from '../mind/frame';
import { useExporting } from '../mind/work';
import { MadeFile } from './JobMade';
import { ErrorNote } from './states';

const GRAINS = { pair: 'queries by page', query: 'queries', page: 'pages', site: 'the site', look: 'looks' };
const FORMATS = { csv: 'CSV', xlsx: 'XLSX', ndjson: 'NDJSON', parquet: 'Parquet' } as const;
const DAYS = 'days';

/** View → the reading it shows, and what that goes by. */
const SHOWN: Record<string, readonly [string, string]> = {
  overview: ['timeline', 'day'],
  queries: ['breakdown', 'query'],
  pages: ['breakdown', 'page'],
  places: ['breakdown', 'country'],
  sets: ['cross', 'set,month'],
  fading: ['fading', 'page'],
  reach: ['within-reach', ''],
  overlap: ['overlap', ''],
  clusters: ['clusters', ''],
  unclicked: ['unclicked', ''],
  'device-gap': ['device-gap', ''],
};

/** What a reading can be asked for here: it needs nothing that only its own view knows, such as one query or one day. */
const askable = (reading: Reading) =>
  reading.parameters.every((each) => each.default !== null || each.choices.length > 0 || !each.in_path) &&
  reading.name !== 'life';

/** What a reading may go by, the choices of two parameters with a comma between; and its further tables. */
function ways(reading: Reading): string[] {
  const choices = reading.by.map((name) => reading.parameters.find((each) => each.name === name)?.choices ?? []);
  const joined = choices.reduce<string[]>(
    (all, next) =>
      all.length ? all.flatMap((one) => next.filter((two) => two !== one).map((two) => `${one},${two}`)) : next,
    [],
  );
  return [...joined, ...reading.tables.map((table) => table.name).filter((name) => name && !joined.includes(name))];
}

/** What is asked of a reading: the window and what rows are narrowed to, as far as it takes them. */
function question(reading: Reading, { window, against, where }: Frame, all: boolean) {
  const given: Record<string, string | undefined> = {
    window: all ? 'all' : window,
    against: all ? 'none' : against,
    ...where,
  };
  return Object.fromEntries(reading.parameters.flatMap(({ name }) => (given[name] ? [[name, given[name]]] : [])));
}

function said(reading: Reading | undefined, { where }: Frame): string {
  if (!reading?.parameters.some((each) => each.name === 'filter'))
    return 'Every row that is held; filters do not narrow it.';
  const parts = Object.entries(where).map(([name, text]) => (name === 'filter' ? text : `${name} ${text}`));
  return parts.length
    ? `Narrowed as the view is: ${parts.join('; ')}.`
    : 'Every row of the reading, not only those on a page.';
}

export function ExportDialog({
  open,
  close,
  site,
  frame,
  view = '',
}: {
  open: boolean;
  close: () => void;
  site: string;
  frame: Frame;
  view?: string;
}) {
  const readings = useReadings().filter(askable);
  const [first, firstBy] = SHOWN[view] ?? ([DAYS, 'pair'] as const);
  const [what, setWhat] = useState<string>(first);
  const [by, setBy] = useState<string>(firstBy);
  const [format, setFormat] = useState('csv');
  const [span, setSpan] = useState('window');
  const reading = readings.find((each) => each.name === what);
  const all = span === 'all';
  const asked = reading
    ? { question: question(reading, frame, all) }
    : { window: all ? 'all' : frame.window, engine: frame.where.engine };
  const { start, job, busy, forget } = useExporting(site);
  const goes = (name: string) => {
    const next = readings.find((each) => each.name === name);
    return next ? ways(next) : Object.keys(GRAINS);
  };
  const choose = (next: string) => {
    setWhat(next);
    setBy(next === DAYS ? 'pair' : (goes(next)[0] ?? ''));
  };
  const leave = () => {
    close();
    forget();
  };
  return (
    <Dialog open={open} onClose={leave} aria-labelledby="export-title">
      <form
        style={{ padding: '16px 20px', display: 'grid', gap: 12, width: 420, maxWidth: '90vw' }}
        onSubmit={(e) => {
          e.preventDefault();
          start.mutate({ what, by, format, ...asked });
        }}
      >
        <h2 id="export-title">Export</h2>
        <TextField select label="What" value={what} onChange={(e) => choose(e.target.value)}>
          <MenuItem value={DAYS}>Raw days</MenuItem>
          {readings.map((each) => (
            <MenuItem key={each.name} value={each.name}>
              {named(each)}
            </MenuItem>
          ))}
        </TextField>
        {goes(what).length > 0 && (
          <TextField select label="Counted" value={by} onChange={(e) => setBy(e.target.value)}>
            {reading && !reading.by.length && <MenuItem value="">by its rows</MenuItem>}
            {goes(what).map((key) => (
              <MenuItem key={key} value={key}>
                {what === DAYS ? GRAINS[key as keyof typeof GRAINS] : `by ${key.replace(',', ' and ')}`}
              </MenuItem>
            ))}
          </TextField>
        )}
        <TextField select label="Days" value={span} onChange={(e) => setSpan(e.target.value)}>
          <MenuItem value="window">the window that is read</MenuItem>
          <MenuItem value="all">everything held</MenuItem>
        </TextField>
        <TextField select label="Format" value={format} onChange={(e) => setFormat(e.target.value)}>
          {Object.entries(FORMATS).map(([key, name]) => (
            <MenuItem key={key} value={key}>
              {name}
            </MenuItem>
          ))}
        </TextField>
        <p className="small">{said(reading, frame)}</p>
        {start.isError && <ErrorNote error={start.error} />}
        {job && <MadeFile job={job} name="Writing the file" />}
        <div style={{ display: 'flex', gap: 8, justifyContent: 'flex-end' }}>
          <Button onClick={leave}>Close</Button>
          <Button type="submit" variant="contained" disabled={busy}>
            {busy ? 'Writing…' : 'Write the file'}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

const named = (reading: Reading) =>
  `${reading.name.charAt(0).toUpperCase()}${reading.name.slice(1).replaceAll('-', ' ')}`;
