/** Writing raw days or any reading to a file, and fetching it. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import { useWatch } from 'react-hook-form';
import { useSite } from '../mind/asked';
import { useReadings, type Reading } from '../mind/catalogue';
import { ofKinds, useDatasets } from '../mind/datasets';
import { useTitles } from '../mind/editing';
import type { Frame } from '../mind/frame';
import { named as worded } from '../mind/named';
import { useExporting } from '../mind/work';
import { MadeFile } from './JobMade';
import { DialogForm, Sends, TextIn, useFields } from './form';

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

interface Asked {
  what: string;
  by: string;
  span: string;
  format: string;
}

export default function ExportForm({
  close,
  site,
  frame,
  view,
  grain,
}: {
  close: () => void;
  site: string;
  frame: Frame;
  view: string;
  grain: string;
}) {
  const readings = useReadings().filter(askable);
  const titles = useTitles();
  const about = useSite(site);
  const counted = ofKinds(useDatasets(), about.data?.sources.map((source) => source.kind) ?? []);
  const { start, job, busy } = useExporting(site);
  const [first, firstBy] = SHOWN[view] ?? ([DAYS, grain] as const);
  const form = useFields<Asked>({ what: first, by: firstBy, span: 'window', format: 'csv' }, start.error, true);
  const [what, by] = useWatch({ control: form.control, name: ['what', 'by'] });
  const reading = readings.find((each) => each.name === what);
  const goes = (name: string): readonly string[] => {
    const next = readings.find((each) => each.name === name);
    return next ? ways(next) : counted.map((each) => each.name);
  };
  const choose = (next: string) =>
    form.setValue('by', next === DAYS ? grain : (goes(next)[0] ?? ''), { shouldDirty: true });
  const called = (key: string) =>
    what === DAYS
      ? (counted.find((each) => each.name === key)?.title ?? key)
      : t`by ${key
          .split(',')
          .map((each) => worded(each))
          .join(', ')}`;
  const write = form.handleSubmit(({ span, ...told }) => {
    const all = span === 'all';
    const days = { window: all ? 'all' : frame.window, engine: frame.where.engine };
    start.mutate({ ...told, ...(reading ? { question: question(reading, frame, all) } : days) });
  });
  const offered = [...new Set([...goes(what), ...(by ? [by] : [])])];
  return (
    <DialogForm
      id="export-title"
      title={t`Export`}
      width={420}
      submit={() => void write()}
      error={start.error}
      buttons={
        <>
          <Button onClick={close}>
            <Trans>Close</Trans>
          </Button>
          <Sends text={t`Write the file`} busyText={t`Writing…`} busy={busy} />
        </>
      }
    >
      <TextIn form={form} name="what" select label={t`What`} changed={choose}>
        <MenuItem value={DAYS}>
          <Trans>Raw days</Trans>
        </MenuItem>
        {readings.map((each) => (
          <MenuItem key={each.name} value={each.name}>
            {titles.get(each.name) ?? named(each)}
          </MenuItem>
        ))}
      </TextIn>
      {offered.length > 0 && (
        <TextIn form={form} name="by" select label={t`Counted`}>
          {reading && !reading.by.length && (
            <MenuItem value="">
              <Trans>by its rows</Trans>
            </MenuItem>
          )}
          {offered.map((key) => (
            <MenuItem key={key} value={key}>
              {called(key)}
            </MenuItem>
          ))}
        </TextIn>
      )}
      <TextIn form={form} name="span" select label={t`Days`}>
        <MenuItem value="window">
          <Trans>the window that is read</Trans>
        </MenuItem>
        <MenuItem value="all">
          <Trans>everything held</Trans>
        </MenuItem>
      </TextIn>
      <TextIn form={form} name="format" select label={t`Format`}>
        {Object.entries(FORMATS).map(([key, name]) => (
          <MenuItem key={key} value={key}>
            {name}
          </MenuItem>
        ))}
      </TextIn>
      <p className="small">{said(reading, frame)}</p>
      {job && <MadeFile job={job} name={t`Writing the file`} />}
    </DialogForm>
  );
}

const named = (reading: Reading) =>
  `${reading.name.charAt(0).toUpperCase()}${reading.name.slice(1).replaceAll('-', ' ')}`;
