/** What is connected to each site, what is held of it, and pulling with progress. */
import { useState } from 'react';
import LinearProgress from '@mui/material/LinearProgress';
import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { Link } from 'react-router';
import { send, type Job, type Source } from '../mind/api';
import { sources } from '../mind/questions';
import { count, duration, shortDay } from '../mind/words';
import { ConnectDialog } from '../skin/ConnectDialog';
import { Answer, Empty, ErrorNote } from '../skin/states';

export default function Sources() {
  const found = useQuery(sources);
  const [connecting, setConnecting] = useState(false);
  return (
    <main className="page">
      <div className="head">
        <h1>Sources</h1>
        <span className="small">What each site draws its history from.</span>
        <span className="r"><Button variant="outlined" onClick={() => setConnecting(true)}>Connect a property</Button></span>
      </div>
      <Answer of={found} height={300}>
        {(data) => (data.length ? <Table rows={data} /> : <Empty why="No feed is connected yet, so nothing can be held.">Connect a property with its client id and secret.</Empty>)}
      </Answer>
      <ConnectDialog open={connecting} close={() => setConnecting(false)} />
    </main>
  );
}

function Table({ rows }: { rows: readonly Source[] }) {
  return (
    <div className="wrap">
      <table className="t fit">
        <thead>
          <tr><th scope="col">Site</th><th scope="col">Property</th><th scope="col">Held</th><th scope="col" className="num">Days</th><th scope="col">Last pull</th><th scope="col">State</th><th scope="col"><span className="vh">Pull</span></th></tr>
        </thead>
        <tbody>{rows.map((row) => <SourceRow key={row.id} row={row} />)}</tbody>
      </table>
    </div>
  );
}

function SourceRow({ row }: { row: Source }) {
  const client = useQueryClient();
  const pull = useMutation({
    mutationFn: () => send<Job>('POST', `/sources/${row.id}/pulls`),
    onSuccess: () => client.invalidateQueries({ queryKey: sources.queryKey }),
  });
  const held = row.first_held ? `${shortDay(row.first_held)} ${row.first_held.slice(0, 4)} to ${row.complete_through ? shortDay(row.complete_through) : '–'}` : 'nothing yet';
  return (
    <>
      <tr style={{ height: 40 }}>
        <th scope="row"><Link to={`/sites/${row.site}/held?source=${row.id}`}>{row.site}</Link></th>
        <td>{row.label}<br /><span className="small mut">{row.connector} · {row.account}</span></td>
        <td>{held}</td>
        <td className="num">{count(row.days_held)}</td>
        <td>{row.pulled_at ? row.pulled_at.slice(0, 16).replace('T', ' ') : 'never'}</td>
        <td>{row.state === 'broken' ? <b className="worse">broken</b> : row.job ? row.job.state : 'ready'}</td>
        <td className="num">{row.job ? <PullProgress job={row.job} /> : <Button variant="text" disabled={pull.isPending} onClick={() => pull.mutate()} aria-label={`Pull now: ${row.label}`}>Pull now</Button>}</td>
      </tr>
      {(row.fault || pull.isError) && (
        <tr><td colSpan={7} style={{ whiteSpace: 'normal' }}>{pull.isError ? <ErrorNote error={pull.error} /> : <div className={`note ${row.state === 'broken' ? 'error' : ''}`} role="alert"><p>{row.fault}</p></div>}</td></tr>
      )}
    </>
  );
}

function PullProgress({ job }: { job: Job }) {
  const share = job.due ? (100 * job.done) / job.due : 0;
  const left = job.seconds_left ? `, ${duration(job.seconds_left)} left` : '';
  const said = job.state === 'queued' ? 'waiting for the worker' : `${count(job.done)} of ${count(job.due)} days, ${count(job.rows)} rows${left}`;
  return (
    <div className="progress">
      <LinearProgress variant={job.due ? 'determinate' : 'indeterminate'} value={share} aria-label={`Pull of ${job.site ?? 'a source'}`} />
      <span className="small" role="status">{said}</span>
    </div>
  );
}
