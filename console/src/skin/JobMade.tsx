/** How long work stands: waiting, under way, failed, or the file it made. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import LinearProgress from '@mui/material/LinearProgress';
import { address, type FileMade, type Job } from '../mind/api';
import { useStopping } from '../mind/doing';
import { count, when } from '../mind/words';

export function JobState({ job, name }: { job: Job; name: string }) {
  if (job.state === 'failed')
    return (
      <div className="note error" role="alert">
        <p>{job.fault}</p>
      </div>
    );
  if (job.state === 'cancelled')
    return (
      <p className="small" role="status">
        <Trans>Cancelled. What was done by then stays.</Trans>
      </p>
    );
  if (job.state === 'done') return null;
  return (
    <>
      <LinearProgress
        variant={job.due ? 'determinate' : 'indeterminate'}
        value={job.due ? (100 * job.done) / job.due : 0}
        aria-label={name}
      />
      {job.waits_until && (
        <p className="small" role="status">
          <Trans>
            {job.fault} It is tried again at {when(job.waits_until)}.
          </Trans>
        </p>
      )}
      <CancelJob job={job} name={name} />
    </>
  );
}

/** Cancels work that waits or runs. */
export function CancelJob({ job, name }: { job: Job; name: string }) {
  const stop = useStopping(job.id);
  if (job.stopping)
    return (
      <span className="small" role="status">
        <Trans>stopping…</Trans>
      </span>
    );
  return (
    <button
      type="button"
      className="plain"
      disabled={stop.isPending}
      onClick={() => stop.mutate(undefined)}
      aria-label={t`Cancel: ${name}`}
    >
      {stop.isError ? t`Not cancelled; try again` : t`Cancel`}
    </button>
  );
}

export function MadeFile({ job, name }: { job: Job; name: string }) {
  if (job.state !== 'done') return <JobState job={job} name={name} />;
  const result = job.result as Partial<FileMade>;
  const size = [
    result.rows === undefined || result.rows === null ? '' : t`${count(result.rows)} rows`,
    result.bytes === undefined ? '' : t`${count(result.bytes)} bytes`,
  ];
  return (
    <p role="status">
      <a href={address(`/jobs/${job.id}/file`)} download>
        {result.file}
      </a>{' '}
      <span className="small">
        <Trans>{size.filter(Boolean).join(', ')}; kept here for two days</Trans>
      </span>
    </p>
  );
}
