/** Bringing files in: send, look at what they are taken for, correct it, import, and see what came of it. */
import { t } from '@lingui/core/macro';
import { Plural, Trans } from '@lingui/react/macro';
import { useEffect, useState } from 'react';
import Button from '@mui/material/Button';
import LinearProgress from '@mui/material/LinearProgress';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { titleOf, upper, useDatasets, wordOf } from '../mind/datasets';
import { named } from '../mind/named';
import {
  address,
  send,
  upload,
  type ImportColumn,
  type ImportDone,
  type ImportPreview,
  type Job,
  type Mapping,
  type Upload,
} from '../mind/api';
import { ended, job as jobOf, mappings, sources } from '../mind/questions';
import { anyFigure, count, span } from '../mind/words';
import { CheckIn, TextIn, useFields } from '../skin/form';
import { Answer, Empty, ErrorNote, Section } from '../skin/states';

const ROLE_NAMES: Record<string, string> = {
  ctr: t`click-through`,
  position: t`average position`,
  kind: t`kind of search`,
  ignore: t`not read`,
};
const KINDS = '.csv,.tsv,.txt,.xlsx,.ndjson,.jsonl,.parquet,.gz';

export default function Imports() {
  const [search, setSearch] = useSearchParams();
  const found = useQuery(sources);
  const source = Number(search.get('source')) || found.data?.[0]?.id;
  return (
    <main className="page">
      <div className="head">
        <h1>
          <Trans>Imports</Trans>
        </h1>
        <span className="small">
          <Trans>Figures that come as files. A day held from a pull stays as it is.</Trans>
        </span>
      </div>
      <Answer of={found} height={300}>
        {(data) =>
          data.length === 0 || source === undefined ? (
            <Empty why={t`There is no source to import for yet.`}>
              <Trans>Under Sources, add a client, a site, and files of the site.</Trans>
            </Empty>
          ) : (
            <>
              <label className="small">
                <Trans>For</Trans>{' '}
                <select value={source} onChange={(e) => setSearch({ source: e.target.value })}>
                  {data.map((s) => (
                    <option key={s.id} value={s.id}>
                      {s.site} · {s.label}
                    </option>
                  ))}
                </select>
              </label>
              <Files key={source} source={source} site={data.find((s) => s.id === source)?.site ?? ''} />
            </>
          )
        }
      </Answer>
    </main>
  );
}

function Files({ source, site }: { source: number; site: string }) {
  const [uploads, setUploads] = useState<Upload[]>([]);
  const [share, setShare] = useState<number>();
  const [mapping, setMapping] = useState<Mapping>({});
  const [using, setUsing] = useState('');
  const [number, setNumber] = useState<number>();
  const kept = useQuery(mappings);
  const look = useMutation({
    mutationFn: (asked: { upload: string; mapping: Mapping; using: string }) =>
      send<ImportPreview>('POST', '/previews', { ...asked, using: asked.using || null }),
  });
  const sending = useMutation({
    mutationFn: async (chosen: File[]) => {
      const found: Upload[] = [];
      for (const [at, file] of chosen.entries())
        found.push(await upload(file, (part) => setShare((at + part) / chosen.length)));
      return found;
    },
    onSuccess: (found) => {
      setUploads(found);
      setNumber(undefined);
      if (found[0]) look.mutate({ upload: found[0].id, mapping, using });
    },
    onSettled: () => setShare(undefined),
  });
  const again = (next: Mapping, name = using) => {
    setMapping(next);
    setUsing(name);
    if (uploads[0]) look.mutate({ upload: uploads[0].id, mapping: next, using: name });
  };
  return (
    <div className="stack" style={{ marginTop: 8 }}>
      <Section title={t`Files`} about={t`CSV, TSV, XLSX, NDJSON or Parquet, also as .gz; several of one kind at once`}>
        <p style={{ display: 'flex', gap: 12, alignItems: 'center', flexWrap: 'wrap' }}>
          <input
            type="file"
            multiple
            accept={KINDS}
            aria-label={t`Files to import`}
            disabled={sending.isPending}
            onChange={(e) => {
              const chosen = [...(e.target.files ?? [])];
              e.target.value = '';
              look.reset();
              if (chosen.length) sending.mutate(chosen);
            }}
          />
          <span className="small">{uploads.map((u) => t`${u.name}, ${count(u.size)} bytes`).join(' · ')}</span>
          {(kept.data?.length ?? 0) > 0 && (
            <label className="small">
              <Trans>Read like</Trans>{' '}
              <select value={using} onChange={(e) => again(mapping, e.target.value)}>
                <option value="">
                  <Trans>what is recognised</Trans>
                </option>
                {kept.data?.map((m) => (
                  <option key={m.name} value={m.name}>
                    {m.name}
                  </option>
                ))}
              </select>
            </label>
          )}
        </p>
        {share !== undefined && (
          <LinearProgress variant="determinate" value={100 * share} aria-label={t`Sending files`} />
        )}
        {sending.isError && <ErrorNote error={sending.error} />}
        {look.isError && <ErrorNote error={look.error} />}
      </Section>
      {look.data && uploads.length > 0 && number === undefined && (
        <Looked found={look.data} files={uploads.length} stale={look.isPending} mapping={mapping} change={again}>
          <Start
            source={source}
            uploads={uploads}
            mapping={mapping}
            using={using}
            open={look.data.questions.length === 0}
            begun={setNumber}
          />
        </Looked>
      )}
      {number !== undefined && <Came number={number} site={site} source={source} />}
    </div>
  );
}

interface LookedProps {
  found: ImportPreview;
  files: number;
  stale: boolean;
  mapping: Mapping;
  change: (next: Mapping) => void;
  children: React.ReactNode;
}

function Looked({ found, files, stale, mapping, change, children }: LookedProps) {
  const grain = titleOf(useDatasets(), found.grain);
  const months = found.monthly ? t`, of whole months` : '';
  const more = files > 1 ? t` and ${count(files - 1)} more` : '';
  return (
    <Section
      title={t`Taken for`}
      about={t`${found.name}${more}: ${grain}${months}; ${found.form}; decimal sign ${found.decimal}`}
      stale={stale}
    >
      {found.questions.map((question) => (
        <div key={question.code} className="note error" role="alert">
          <p>{question.text}</p>
          <p>
            {question.choices.map((choice) => (
              <Button
                key={choice}
                variant="outlined"
                style={{ marginRight: 6 }}
                onClick={() => change({ ...mapping, dates: choice as 'dmy' | 'mdy' })}
              >
                {choice === 'dmy' ? t`Day first` : t`Month first`}
              </Button>
            ))}
          </p>
        </div>
      ))}
      <div className="cols two">
        <div className="wrap">
          <table className="t fit">
            <caption className="vh">
              <Trans>Columns of the file</Trans>
            </caption>
            <thead>
              <tr>
                <th scope="col">
                  <Trans>Column</Trans>
                </th>
                <th scope="col">
                  <Trans>Is</Trans>
                </th>
                <th scope="col">
                  <Trans>Values</Trans>
                </th>
              </tr>
            </thead>
            <tbody>
              {found.columns.map((column) => (
                <ColumnRow
                  key={column.header}
                  column={column}
                  roles={found.roles}
                  choose={(role) => change({ ...mapping, columns: { ...mapping.columns, [column.header]: role } })}
                />
              ))}
            </tbody>
          </table>
        </div>
        <div className="wrap">
          <AsKept found={found} />
        </div>
      </div>
      {children}
    </Section>
  );
}

function ColumnRow({
  column,
  roles,
  choose,
}: {
  column: ImportColumn;
  roles: readonly string[];
  choose: (role: ImportColumn['role']) => void;
}) {
  const all = useDatasets();
  return (
    <tr>
      <th scope="row">{column.header}</th>
      <td>
        <select
          value={column.role}
          aria-label={t`What ${column.header} is`}
          onChange={(e) => choose(e.target.value as ImportColumn['role'])}
        >
          {roles.map((role) => (
            <option key={role} value={role}>
              {ROLE_NAMES[role] ?? wordOf(all, role)}
            </option>
          ))}
        </select>{' '}
        <span className="small mut">
          {
            {
              given: t`as you say`,
              header: t`by its header`,
              content: column.role === 'ignore' ? '' : t`by its values`,
            }[column.by]
          }
        </span>
      </td>
      <td className="small" style={{ maxWidth: 260, overflow: 'hidden', textOverflow: 'ellipsis' }}>
        {column.sample.join(' · ')}
      </td>
    </tr>
  );
}

function AsKept({ found }: { found: ImportPreview }) {
  const all = useDatasets();
  const [first] = found.rows;
  const dims = Object.keys(first?.dims ?? {}).filter((name) => name !== 'kind');
  const figures = Object.keys(first?.figures ?? {});
  return (
    <>
      <table className="t fit">
        <caption className="small" style={{ textAlign: 'left', padding: '3px 6px' }}>
          <Trans>The first rows as they would be kept</Trans>
        </caption>
        <thead>
          <tr>
            <th scope="col">
              <Trans>Day</Trans>
            </th>
            {dims.map((name) => (
              <th key={name} scope="col">
                {upper(wordOf(all, name))}
              </th>
            ))}
            {figures.map((name) => (
              <th key={name} scope="col" className="num">
                {upper(wordOf(all, name))}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {found.rows.map((row) => (
            <tr key={row.line}>
              <td>{row.day}</td>
              {dims.map((name) => (
                <td key={name} style={{ maxWidth: 180, overflow: 'hidden', textOverflow: 'ellipsis' }}>
                  {row.dims[name]}
                </td>
              ))}
              {figures.map((name) => (
                <td key={name} className="num">
                  {anyFigure(row.figures[name])}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {found.rejected.map((row) => (
        <p key={row.line} className="small worse">
          <Trans>
            Line {row.line}: {row.reason}
          </Trans>
        </p>
      ))}
    </>
  );
}

interface How {
  strict: boolean;
  over: boolean;
  name: string;
}

interface StartProps {
  source: number;
  uploads: readonly Upload[];
  mapping: Mapping;
  using: string;
  open: boolean;
  begun: (job: number) => void;
}

function Start({ source, uploads, mapping, using, open, begun }: StartProps) {
  const start = useMutation({
    mutationFn: async ({ name, dry, ...how }: How & { dry: boolean }) => {
      if (name && !dry) await send('PUT', `/mappings/${encodeURIComponent(name)}`, mapping);
      const told = { uploads: uploads.map((u) => u.id), mapping, using: using || null, dry };
      return send<Job>('POST', `/sources/${source}/imports`, { ...told, ...how });
    },
    onSuccess: (job) => begun(job.id),
  });
  const form = useFields<How>({ strict: false, over: false, name: '' }, start.error);
  const begin = (dry: boolean) => form.handleSubmit((how) => start.mutate({ ...how, dry }));
  const closed = !open || start.isPending;
  return (
    <form
      style={{ display: 'flex', gap: '6px 18px', flexWrap: 'wrap', alignItems: 'center', marginTop: 12 }}
      onSubmit={(e) => void begin(false)(e)}
    >
      <Button type="submit" variant="contained" disabled={closed}>
        <Trans>Import</Trans>
      </Button>
      <Button variant="outlined" disabled={closed} onClick={(e) => void begin(true)(e)}>
        <Trans>Try without keeping</Trans>
      </Button>
      <CheckIn form={form} name="strict" label={t`All or nothing`} />
      <CheckIn form={form} name="over" label={t`Replace days that are held`} />
      <TextIn form={form} name="name" size="small" label={t`Keep this way of reading as`} placeholder={t`a name`} />
      {start.isError && <ErrorNote error={start.error} />}
    </form>
  );
}

function Came({ number, site, source }: { number: number; site: string; source: number }) {
  const job = useQuery(jobOf(number));
  const client = useQueryClient();
  const over = ended(job.data);
  useEffect(() => {
    if (over) void client.invalidateQueries({ queryKey: sources.queryKey });
  }, [client, over]);
  if (!over) {
    const found = job.data;
    const share = found?.due ? (100 * found.done) / found.due : 0;
    return (
      <Section title={t`Importing`}>
        <LinearProgress
          variant={found?.due ? 'determinate' : 'indeterminate'}
          value={share}
          aria-label={t`Importing`}
        />
        <p className="small" role="status">
          {found ? t`${named(found.stage ?? '')}, ${count(found.rows)} rows` : t`waiting`}
        </p>
      </Section>
    );
  }
  if (job.data?.state === 'cancelled')
    return (
      <p className="note" role="status">
        <Trans>
          The import was cancelled. Days it brought in by then stay; import the same files again for the rest.
        </Trans>
      </p>
    );
  if (job.data?.state === 'failed')
    return (
      <div className="note error" role="alert">
        <p>{job.data.fault}</p>
      </div>
    );
  const done = job.data?.result as ImportDone;
  const differ = done.left.filter((day) => !day.same);
  return (
    <Section title={done.dry ? t`What would come of it` : t`What came of it`}>
      <p className="lead" role="status">
        {done.days
          ? `${done.dry ? t`${count(done.days)} days would come in, ${count(done.rows)} rows` : t`${count(done.days)} days came in, ${count(done.rows)} rows`}${done.first && done.last ? `, ${span(done.first, done.last)} ${done.last.slice(0, 4)}` : ''}.`
          : t`No new day.`}
      </p>
      <ul className="cautions">
        {done.already > 0 && (
          <li>
            <Trans>{count(done.already)} days were held already and stay as they are.</Trans>
          </li>
        )}
        {differ.length > 0 && (
          <li className="worse">
            <Trans>
              {count(differ.length)} of them say otherwise in the file, {differ[0]?.day} among them (held from{' '}
              {differ[0]?.origin}).
            </Trans>
          </li>
        )}
        {done.repeats > 0 && (
          <li>
            <Trans>{count(done.repeats)} repeated rows were dropped.</Trans>
          </li>
        )}
        {done.rejected > 0 && (
          <li className="worse">
            <Trans>
              <Plural value={done.rejected} one="One row could not be used." other="# rows could not be used." />{' '}
              <a href={address(`/jobs/${number}/rejects`)} download>
                All of them with line and reason
              </a>
            </Trans>
          </li>
        )}
        {done.rejects.slice(0, 8).map((row) => (
          <li key={`${row.file}${row.line}`}>
            <Trans>
              {row.file} line {count(row.line)}: {row.reason}
            </Trans>
          </li>
        ))}
      </ul>
      <p>
        <Link to={`/sites/${site}/held?source=${source}&grain=${done.grain.replace('month-', '')}`}>
          <Trans>See the held days</Trans>
        </Link>
      </p>
    </Section>
  );
}
