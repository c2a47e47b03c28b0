/** The day ledger as a calendar: what is held of every day, what one day was made from, why two numbers differ. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useEffect, useMemo, useState } from 'react';
import Button from '@mui/material/Button';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { added, figure, ofKinds, useDatasets, type Measure } from '../mind/datasets';
import { named } from '../mind/named';
import { useFrame } from '../mind/frame';
import { send, type Job, type Ledger, type LedgerDay } from '../mind/api';
import { ended, job as jobOf, ledger, making, reconciliation, site as siteOf, timeline } from '../mind/questions';
import { count, longDay, monthOf } from '../mind/words';
import { Differences } from '../skin/Differences';
import { ExportDialog } from '../skin/ExportDialog';
import { Making } from '../skin/Making';
import { WindowBar } from '../skin/WindowBar';
import { Answer, ErrorNote, Section } from '../skin/states';

export default function HeldDays() {
  const { site, search, frame, change } = useFrame();
  const [exporting, setExporting] = useState(false);
  const asked = search.get('grain') ?? undefined;
  const about = useQuery(siteOf(site));
  const source = Number(search.get('source')) || about.data?.sources[0]?.id;
  const chosen = search.get('day');
  const line = useQuery(timeline(site, { ...frame, where: {} }));
  const found = useQuery(ledger(site, source, asked));
  const made = useQuery(making(site, source, chosen));
  const differ = useQuery(reconciliation(site, frame.window));
  const feed = about.data?.sources.find((s) => s.id === source);
  const all = useDatasets();
  const counted = ofKinds(all, [feed?.kind]);
  return (
    <>
      <WindowBar read={line.data} />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Held days</Trans>
          </h1>
          <span className="small">{found.data && summed(found.data)}</span>
          <span className="r">
            <label className="small">
              <Trans>Source</Trans>{' '}
              <select value={source ?? ''} onChange={(e) => change({ source: e.target.value, grain: undefined })}>
                {about.data?.sources.map((s) => (
                  <option key={s.id} value={s.id}>
                    {s.label}
                    {s.counted ? '' : t` (kept apart)`}
                  </option>
                ))}
              </select>
            </label>
            <label className="small">
              <Trans>Counted for</Trans>{' '}
              <select value={asked ?? found.data?.grain ?? ''} onChange={(e) => change({ grain: e.target.value })}>
                {counted.map((each) => (
                  <option key={each.name} value={each.name} title={each.about}>
                    {each.title}
                  </option>
                ))}
              </select>
            </label>
            <a className="small" href="#differ">
              <Trans>Why two numbers differ</Trans>
            </a>
            <Button variant="text" onClick={() => setExporting(true)}>
              <Trans>Export…</Trans>
            </Button>
          </span>
        </div>
        <div className={`cols side ${found.isPlaceholderData ? 'stale' : ''}`}>
          <Answer of={found} height={500}>
            {(data) => (
              <Years
                data={data}
                measure={added(all, [data.grain])[0]}
                chosen={chosen}
                choose={(day) => change({ day })}
              />
            )}
          </Answer>
          <aside aria-label={t`One day`} className="stack">
            {chosen ? (
              <Answer of={made} height={200}>
                {(data) => <Making made={data} all={all} stale={made.isPlaceholderData} />}
              </Answer>
            ) : (
              <Section title={t`One day`}>
                <p className="small">
                  <Trans>Choose a day to see what it was made from.</Trans>
                </p>
              </Section>
            )}
            {feed && feed.connector !== 'files' && <Refill source={feed.id} day={chosen} />}
          </aside>
        </div>
        <div id="differ" style={{ height: 14 }} />
        <Answer of={differ} height={160}>
          {(data) => <Differences found={data} all={all} stale={differ.isPlaceholderData} />}
        </Answer>
      </main>
      <ExportDialog
        open={exporting}
        close={() => setExporting(false)}
        site={site}
        frame={frame}
        grain={asked ?? found.data?.grain}
      />
    </>
  );
}

function summed(data: Ledger): string {
  const said = [
    t`${count(data.held)} days held`,
    t`${count(data.provisional)} provisional`,
    t`${count(data.missing)} missing`,
  ];
  if (data.lost) said.push(t`${count(data.lost)} lost`);
  if (data.flagged) said.push(t`${count(data.flagged)} doubted`);
  if (data.changed) said.push(t`${count(data.changed)} changed since`);
  return said.join(', ');
}

/** Asking a source again: for every gap, or for the chosen day. */
function Refill({ source, day }: { source: number; day: string | null }) {
  const client = useQueryClient();
  const [number, setNumber] = useState<number>();
  const ask = useMutation({
    mutationFn: (span: { first?: string; last?: string; again?: boolean }) =>
      send<Job>('POST', `/sources/${source}/refills`, span),
    onSuccess: (job) => setNumber(job.id),
  });
  const running = useQuery(jobOf(number));
  const done = ended(running.data);
  useEffect(() => {
    if (done)
      void client.invalidateQueries({
        predicate: (q) => ['ledger', 'making', 'timeline', 'reconcile'].includes(String(q.queryKey[0])),
      });
  }, [client, done]);
  return (
    <Section title={t`Refill`} label={t`Refill`}>
      <p className="small">
        <Trans>Asks the source again. A gap it no longer has stays lost.</Trans>
      </p>
      <p style={{ display: 'flex', gap: 6, flexWrap: 'wrap', marginTop: 6 }}>
        <Button
          variant="outlined"
          disabled={ask.isPending || (number !== undefined && !done)}
          onClick={() => ask.mutate({})}
        >
          <Trans>Fill every gap</Trans>
        </Button>
        {day && (
          <Button
            variant="text"
            disabled={ask.isPending || (number !== undefined && !done)}
            onClick={() => ask.mutate({ first: day, last: day, again: true })}
          >
            <Trans>Read this day again</Trans>
          </Button>
        )}
      </p>
      {ask.isError && <ErrorNote error={ask.error} />}
      {running.data && (
        <p className="small" role="status">
          {refilled(running.data)}
        </p>
      )}
    </Section>
  );
}

function refilled(job: Job): string {
  if (job.state === 'cancelled') return t`The refill was cancelled.`;
  if (job.state === 'failed') return job.fault ?? t`The refill failed.`;
  if (job.state !== 'done') return t`${count(job.done)} of ${count(job.due)} days …`;
  return job.due ? t`${count(job.done)} of ${count(job.due)} days read again.` : t`Nothing was to be had.`;
}

/** measure: the figure by which days are deeper; rows where nothing adds up. */
function Years({
  data,
  measure,
  chosen,
  choose,
}: {
  data: Ledger;
  measure: Measure | undefined;
  chosen: string | null;
  choose: (day: string) => void;
}) {
  const years = useMemo(() => grouped(data.days), [data.days]);
  const size = (day: LedgerDay) => (measure ? (figure(day, measure.name) ?? 0) : day.rows);
  const most = data.days.reduce((so, day) => Math.max(so, size(day)), 1);
  const deeper = measure?.title ?? t`rows`;
  return (
    <div style={{ display: 'grid', gap: 14 }}>
      {years.map(([year, months]) => (
        <Section key={year} title={year} label={t`Held days of ${year}`}>
          <div className="cal">
            {months.map(([month, days]) => (
              <Month
                key={month}
                month={month}
                days={days}
                full={(day) => 35 + Math.round((65 * size(day)) / most)}
                chosen={chosen}
                choose={choose}
              />
            ))}
          </div>
        </Section>
      ))}
      <p className="small key" style={{ flexWrap: 'wrap' }}>
        <Trans>
          <span className="cells">
            <i className="final" />
          </span>
          final, deeper with more {deeper}{' '}
          <span className="cells">
            <i className="provisional" />
          </span>
          provisional
          <span className="cells">
            <i className="missing" />
          </span>
          missing{' '}
          <span className="cells">
            <i className="empty" />
          </span>
          empty
          <span className="cells">
            <i className="lost" />
          </span>
          lost{' '}
          <span className="cells">
            <i className="final doubted" />
          </span>
          doubted
          <span className="cells">
            <i className="final changed" />
          </span>
          changed since
        </Trans>
      </p>
    </div>
  );
}

function grouped(days: readonly LedgerDay[]): Array<[string, Array<[string, LedgerDay[]]>]> {
  const years = new Map<string, Map<string, LedgerDay[]>>();
  for (const day of days) {
    const [year, month] = [day.day.slice(0, 4), day.day.slice(0, 7)];
    const months = years.get(year) ?? new Map<string, LedgerDay[]>();
    years.set(year, months);
    const list = months.get(month) ?? [];
    months.set(month, list);
    list.push(day);
  }
  return [...years].toReversed().map(([year, months]) => [year, [...months]]);
}

interface MonthProps {
  month: string;
  days: readonly LedgerDay[];
  full: (day: LedgerDay) => number;
  chosen: string | null;
  choose: (day: string) => void;
}

function Month({ month, days, full, chosen, choose }: MonthProps) {
  const weekday = (new Date(`${days[0]?.day ?? `${month}-01`}T00:00:00Z`).getUTCDay() + 6) % 7;
  const whole = new Date(Number(month.slice(0, 4)), Number(month.slice(5)), 0).getDate();
  const held = days.filter((d) => d.state === 'final' || d.state === 'empty').length;
  return (
    <div>
      <h3>
        {monthOf(`${month}-01`).replace(/ \d+$/, '')}
        <span className="mut">{held === whole ? t`whole` : t`${held} of ${whole}`}</span>
      </h3>
      <div className="month">
        {Array.from({ length: weekday }, (_, n) => (
          <span key={n} />
        ))}
        {days.map((day) => (
          <button
            key={day.day}
            type="button"
            className={marks(day)}
            aria-pressed={day.day === chosen}
            aria-label={told(day)}
            title={told(day)}
            style={{ '--full': `${full(day)}%` } as React.CSSProperties}
            onClick={() => choose(day.day)}
          />
        ))}
      </div>
    </div>
  );
}

const doubted = (day: LedgerDay) => day.flag !== null && day.state !== 'lost';

function marks(day: LedgerDay): string {
  return `${day.state}${doubted(day) ? ' doubted' : ''}${day.changes ? ' changed' : ''}`;
}

function told(day: LedgerDay): string {
  return `${longDay(day.day)}: ${named(day.state)}${doubted(day) ? t`, doubted` : ''}${day.changes ? t`, changed since` : ''}`;
}
