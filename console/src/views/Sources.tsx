/** What is connected to each site, what is held of it, when it is pulled, and pulling with progress. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useState } from 'react';
import LinearProgress from '@mui/material/LinearProgress';
import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import { named } from '../mind/named';
import { send, type Job, type Notice, type Source } from '../mind/api';
import { notices, sources } from '../mind/questions';
import { count, duration, shortDay, when } from '../mind/words';
import { AddDialog } from '../skin/AddDialog';
import { CancelJob } from '../skin/JobMade';
import { ConnectDialog } from '../skin/ConnectDialog';
import { SourceDialog } from '../skin/SourceDialog';
import { Answer, Empty, ErrorNote } from '../skin/states';
import { Th } from '../skin/How';

export default function Sources() {
  const found = useQuery(sources);
  const told = useQuery(notices);
  const [search] = useSearchParams();
  const grant = search.get('grant');
  const refused = search.get('refused');
  const [connecting, setConnecting] = useState(grant !== null);
  const [adding, setAdding] = useState(false);
  const [changing, setChanging] = useState<number>();
  return (
    <main className="page">
      <div className="head">
        <h1>
          <Trans>Sources</Trans>
        </h1>
        <span className="small">
          <Trans>What each site draws its history from.</Trans>
        </span>
        <span className="r">
          <Button variant="text" onClick={() => setAdding(true)}>
            <Trans>Add a client or site</Trans>
          </Button>
          <Button variant="outlined" onClick={() => setConnecting(true)}>
            <Trans>Connect a property</Trans>
          </Button>
        </span>
      </div>
      {refused && (
        <div className="note error" role="alert">
          <p>
            <Trans>The provider did not grant access: {refused}</Trans>
          </p>
        </div>
      )}
      {told.data?.map((notice) => (
        <NoticeLine key={notice.id} notice={notice} />
      ))}
      <Answer of={found} height={300}>
        {(data) =>
          data.length ? (
            <Table rows={data} change={setChanging} />
          ) : (
            <Empty why={t`No feed is connected yet, so nothing can be held.`}>
              <Trans>Connect a property with its client id and secret, or add files that you have.</Trans>
            </Empty>
          )
        }
      </Answer>
      <ConnectDialog open={connecting} close={() => setConnecting(false)} grant={grant} />
      <AddDialog open={adding} close={() => setAdding(false)} />
      <SourceDialog source={found.data?.find((s) => s.id === changing)} close={() => setChanging(undefined)} />
    </main>
  );
}

function NoticeLine({ notice }: { notice: Notice }) {
  const client = useQueryClient();
  const see = useMutation({
    mutationFn: () => send<void>('DELETE', `/notices/${notice.id}`),
    onSuccess: () => client.invalidateQueries({ queryKey: notices.queryKey }),
  });
  return (
    <div className="note error" role="status" style={{ maxWidth: 900 }}>
      <p>{notice.text}</p>
      <p>
        {when(notice.at)} ·{' '}
        <button
          type="button"
          className="plain"
          disabled={see.isPending}
          onClick={() => see.mutate()}
          aria-label={t`Seen: ${notice.text}`}
        >
          <Trans>Seen</Trans>
        </button>
      </p>
    </div>
  );
}

function Table({ rows, change }: { rows: readonly Source[]; change: (id: number) => void }) {
  return (
    <div className="wrap">
      <table className="t fit">
        <thead>
          <tr>
            <th scope="col">
              <Trans>Site</Trans>
            </th>
            <th scope="col">
              <Trans>Property</Trans>
            </th>
            <th scope="col">
              <Trans>Held</Trans>
            </th>
            <Th says={t`Days whose figures are held, final.`}>
              <Trans>Days</Trans>
            </Th>
            <Th says={t`Days that the provider holds no more and that were never pulled.`}>
              <Trans>Lost</Trans>
            </Th>
            <Th says={t`Days whose sums differ from what the provider promised, or that were last seen provisional.`}>
              <Trans>Doubted</Trans>
            </Th>
            <th scope="col">
              <Trans>Last pull</Trans>
            </th>
            <th scope="col">
              <Trans>Next pull</Trans>
            </th>
            <th scope="col">
              <Trans>State</Trans>
            </th>
            <th scope="col">
              <span className="vh">
                <Trans>Change</Trans>
              </span>
            </th>
            <th scope="col">
              <span className="vh">
                <Trans>Pull</Trans>
              </span>
            </th>
          </tr>
        </thead>
        <tbody>
          {rows.map((row) => (
            <SourceRow key={row.id} row={row} change={change} />
          ))}
        </tbody>
      </table>
    </div>
  );
}

function SourceRow({ row, change }: { row: Source; change: (id: number) => void }) {
  const client = useQueryClient();
  const pull = useMutation({
    mutationFn: () => send<Job>('POST', `/sources/${row.id}/pulls`),
    onSuccess: () => client.invalidateQueries({ queryKey: sources.queryKey }),
  });
  const held = row.first_held
    ? t`${shortDay(row.first_held)} ${row.first_held.slice(0, 4)} to ${row.complete_through ? shortDay(row.complete_through) : '–'}`
    : t`nothing yet`;
  const files = row.connector === 'files';
  return (
    <>
      <tr style={{ height: 40 }}>
        <th scope="row">
          <Link to={`/sites/${row.site}/held?source=${row.id}`}>{row.site}</Link>
        </th>
        <td>
          {row.label}
          <br />
          <span className="small mut">
            {[named(row.kind), files ? t`files only` : row.connector, row.account].filter(Boolean).join(' · ')}
            {row.counted ? '' : t` · kept apart`}
          </span>
        </td>
        <td>{held}</td>
        <td className="num">{count(row.days_held)}</td>
        <td className="num">{row.days_lost ? count(row.days_lost) : '–'}</td>
        <td className="num">{row.days_flagged ? <b className="worse">{count(row.days_flagged)}</b> : '–'}</td>
        <td>{row.pulled_at ? when(row.pulled_at) : files ? '' : t`never`}</td>
        <td>{files ? '' : next(row)}</td>
        <td>{state(row)}</td>
        <td>
          <button type="button" className="plain" onClick={() => change(row.id)} aria-label={t`Change: ${row.label}`}>
            <Trans>Change</Trans>
          </button>
        </td>
        <td className="num">
          {row.job ? (
            <PullProgress job={row.job} />
          ) : files ? (
            <Link to={`/imports?source=${row.id}`}>
              <Trans>Import</Trans>
            </Link>
          ) : (
            <Button
              variant="text"
              disabled={pull.isPending}
              onClick={() => pull.mutate()}
              aria-label={t`Pull now: ${row.label}`}
            >
              <Trans>Pull now</Trans>
            </Button>
          )}
        </td>
      </tr>
      {(row.fault || pull.isError) && (
        <tr>
          <td colSpan={11} style={{ whiteSpace: 'normal' }}>
            {pull.isError ? (
              <ErrorNote error={pull.error} />
            ) : (
              <div className={`note ${row.state === 'broken' ? 'error' : ''}`} role="alert">
                <p>{row.fault}</p>
              </div>
            )}
          </td>
        </tr>
      )}
    </>
  );
}

function next(row: Source): string {
  if (row.paused) return named('paused');
  if (row.retry_at) return t`again ${when(row.retry_at)}`;
  return row.next_run_at ? when(row.next_run_at) : t`no schedule`;
}

function state(row: Source) {
  if (row.state === 'broken')
    return (
      <b className="worse">
        <Trans>stopped</Trans>
      </b>
    );
  return named(row.job ? row.job.state : 'ready');
}

function PullProgress({ job }: { job: Job }) {
  const share = job.due ? (100 * job.done) / job.due : 0;
  const left = job.seconds_left ? t`, ${duration(job.seconds_left)} left` : '';
  const hurry =
    job.expires_in !== null && job.expires_in <= 7 ? t`; the oldest day expires in ${count(job.expires_in)} days` : '';
  const said =
    job.state === 'queued'
      ? t`waiting for the worker`
      : t`${count(job.done)} of ${count(job.due)} days, ${count(job.rows)} rows${left}${hurry}`;
  return (
    <div className="progress">
      <LinearProgress
        variant={job.due ? 'determinate' : 'indeterminate'}
        value={share}
        aria-label={t`Pull of ${job.site ?? t`a source`}`}
      />
      <span className="small" role="status">
        {job.waits_until ? t`waits until ${when(job.waits_until)}` : said}{' '}
        <CancelJob job={job} name={t`the pull of ${job.site ?? t`a source`}`} />
      </span>
    </div>
  );
}
