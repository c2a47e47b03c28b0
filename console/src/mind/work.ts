/** Long work: starting a job and following it to its end. */
import { useState } from 'react';
import { useMutation, useQuery } from '@tanstack/react-query';
import { send, siteKey, type Job } from './api';
import { ended, job as jobOf } from './questions';

export function useWork<T = void>(begin: (asked: T) => Promise<Job>) {
  const [number, setNumber] = useState<number>();
  const start = useMutation({
    mutationFn: begin,
    onMutate: () => setNumber(undefined),
    onSuccess: (job) => setNumber(job.id),
  });
  const job = useQuery(jobOf(number));
  const forget = () => {
    setNumber(undefined);
    start.reset();
  };
  return {
    start,
    job: number === undefined ? undefined : job.data,
    busy: start.isPending || (number !== undefined && !ended(job.data)),
    forget,
  };
}

/** Writing a file of a site: raw days, or a reading. */
export const useExporting = (site: string) =>
  useWork((asked: Record<string, unknown>) => send<Job>('POST', `/sites/${siteKey(site)}/exports`, asked));
