/** Writing raw days or any reading to a file, and fetching it. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useState } from 'react';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import MenuItem from '@mui/material/MenuItem';
import TextField from '@mui/material/TextField';
import { named as worded } from '../mind/named';
import { useReadings, type Reading } from '../mind/catalogue';
import type { Frame } from '../mind/frame';
import { useExporting } from '../mind/work';
import { MadeFile } from './JobMade';
import { ErrorNote } from './states';

const GRAINS = { pair: t`queries by page`, query: t`queries`, page: t`pages`, site: t`the site`, look: t`looks` };
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
    return t`Every row that is held; filters do not narrow it.`;
  const parts = Object.entries(where).map(([name, text]) => (name === 'filter' ? text : `${name} ${text}`));
  return parts.length
    ? t`Narrowed as the view is: ${parts.join('; ')}.`
    : t`Every row of the reading, not only those on a page.`;
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
        <h2 id="export-title">
          <Trans>Export</Trans>
        </h2>
        <TextField select label={t`What`} value={what} onChange={(e) => choose(e.target.value)}>
          <MenuItem value={DAYS}>
            <Trans>Raw days</Trans>
          </MenuItem>
          {readings.map((each) => (
            <MenuItem key={each.name} value={each.name}>
              {named(each)}
            </MenuItem>
          ))}
        </TextField>
        {goes(what).length > 0 && (
          <TextField select label={t`Counted`} value={by} onChange={(e) => setBy(e.target.value)}>
            {reading && !reading.by.length && (
              <MenuItem value="">
                <Trans>by its rows</Trans>
              </MenuItem>
            )}
            {goes(what).map((key) => (
              <MenuItem key={key} value={key}>
                {what === DAYS
                  ? GRAINS[key as keyof typeof GRAINS]
                  : t`by ${key
                      .split(',')
                      .map((each) => worded(each))
                      .join(', ')}`}
              </MenuItem>
            ))}
          </TextField>
        )}
        <TextField select label={t`Days`} value={span} onChange={(e) => setSpan(e.target.value)}>
          <MenuItem value="window">
            <Trans>the window that is read</Trans>
          </MenuItem>
          <MenuItem value="all">
            <Trans>everything held</Trans>
          </MenuItem>
        </TextField>
        <TextField select label={t`Format`} value={format} onChange={(e) => setFormat(e.target.value)}>
          {Object.entries(FORMATS).map(([key, name]) => (
            <MenuItem key={key} value={key}>
              {name}
            </MenuItem>
          ))}
        </TextField>
        <p className="small">{said(reading, frame)}</p>
        {start.isError && <ErrorNote error={start.error} />}
        {job && <MadeFile job={job} name={t`Writing the file`} />}
        <div style={{ display: 'flex', gap: 8, justifyContent: 'flex-end' }}>
          <Button onClick={leave}>
            <Trans>Close</Trans>
          </Button>
          <Button type="submit" variant="contained" disabled={busy}>
            {busy ? t`Writing…` : t`Write the file`}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

const named = (reading: Reading) =>
  `${reading.name.charAt(0).toUpperCase()}${reading.name.slice(1).replaceAll('-', ' ')}`;
