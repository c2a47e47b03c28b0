/** How long work stands: waiting, under way, failed, or the file it made. */
import LinearProgress from '@mui/material/LinearProgress';
import { address, type Job } from '../mind/api';
import { count } from '../mind/words';

export function JobState({ job, name }: { job: Job; name: string }) {
  if (job.state === 'failed') return <div className="note error" role="alert"><p>{job.fault}</p></div>;
  if (job.state === 'done') return null;
  return <LinearProgress variant={job.due ? 'determinate' : 'indeterminate'} value={job.due ? (100 * job.done) / job.due : 0} aria-label={name} />;
}

export function MadeFile({ job, name }: { job: Job; name: string }) {
  if (job.state !== 'done') return <JobState job={job} name={name} />;
  const result = job.result as { file?: string; rows?: number; bytes?: number };
  const size = [result.rows === undefined ? '' : `${count(result.rows)} rows`, result.bytes === undefined ? '' : `${count(result.bytes)} bytes`];
  return <p role="status"><a href={address(`/jobs/${job.id}/file`)} download>{result.file}</a> <span className="small">{size.filter(Boolean).join(', ')}; kept here for two days</span></p>;
}
