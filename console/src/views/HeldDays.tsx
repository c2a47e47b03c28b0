/** The day ledger as a calendar: what is held of every day, and what one day was made from. */
import { useMemo } from 'react';
import { useQuery } from '@tanstack/react-query';
import { useFrame } from '../mind/frame';
import type { Ledger, LedgerDay } from '../mind/api';
import { ledger, site as siteOf, timeline } from '../mind/questions';
import { count, longDay, monthOf, place } from '../mind/words';
import { WindowBar } from '../skin/WindowBar';
import { Answer, Section } from '../skin/states';

const GRAINS = [['site', 'the site'], ['query', 'queries'], ['page', 'pages'], ['pair', 'queries by page']] as const;

export default function HeldDays() {
  const { site, search, frame, change } = useFrame();
  const grain = search.get('grain') ?? 'site';
  const about = useQuery(siteOf(site));
  const source = Number(search.get('source')) || about.data?.sources[0]?.id;
  const line = useQuery(timeline(site, { ...frame, where: {} }));
  const found = useQuery(ledger(site, source, grain));
  return (
    <>
      <WindowBar read={line.data} />
      <main className="page">
        <div className="head">
          <h1>Held days</h1>
          <span className="small">{found.data && `${count(found.data.held)} days held, ${count(found.data.provisional)} provisional, ${count(found.data.missing)} missing`}</span>
          <span className="r">
            <label className="small">Source{' '}
              <select value={source ?? ''} onChange={(e) => change({ source: e.target.value })}>
                {about.data?.sources.map((s) => <option key={s.id} value={s.id}>{s.label}</option>)}
              </select>
            </label>
            <label className="small">Counted for{' '}
              <select value={grain} onChange={(e) => change({ grain: e.target.value === 'site' ? undefined : e.target.value })}>
                {GRAINS.map(([value, name]) => <option key={value} value={value}>{name}</option>)}
              </select>
            </label>
          </span>
        </div>
        <div className={`cols side ${found.isPlaceholderData ? 'stale' : ''}`}>
          <Answer of={found} height={500}>{(data) => <Years data={data} chosen={search.get('day')} choose={(day) => change({ day })} />}</Answer>
          <aside aria-label="One day">
            <Answer of={found} height={200}>{(data) => <Making day={data.days.find((d) => d.day === search.get('day'))} />}</Answer>
          </aside>
        </div>
      </main>
    </>
  );
}

function Years({ data, chosen, choose }: { data: Ledger; chosen: string | null; choose: (day: string) => void }) {
  const years = useMemo(() => grouped(data.days), [data.days]);
  const most = Math.max(1, ...data.days.map((d) => d.clicks));
  return (
    <div style={{ display: 'grid', gap: 14 }}>
      {years.map(([year, months]) => (
        <Section key={year} title={year} label={`Held days of ${year}`}>
          <div className="cal">
            {months.map(([month, days]) => <Month key={month} month={month} days={days} most={most} chosen={chosen} choose={choose} />)}
          </div>
        </Section>
      ))}
      <p className="small key">
        <span className="cells"><i className="final" /></span>final, deeper with more clicks <span className="cells"><i className="provisional" /></span>provisional
        <span className="cells"><i className="missing" /></span>missing <span className="cells"><i className="empty" /></span>empty
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

interface MonthProps { month: string; days: readonly LedgerDay[]; most: number; chosen: string | null; choose: (day: string) => void }

function Month({ month, days, most, chosen, choose }: MonthProps) {
  const weekday = (new Date(`${days[0]?.day ?? `${month}-01`}T00:00:00Z`).getUTCDay() + 6) % 7;
  const whole = new Date(Number(month.slice(0, 4)), Number(month.slice(5)), 0).getDate();
  const held = days.filter((d) => d.state === 'final' || d.state === 'empty').length;
  return (
    <div>
      <h3>{monthOf(`${month}-01`).replace(/ \d+$/, '')}<span className="mut">{held === whole ? 'whole' : `${held} of ${whole}`}</span></h3>
      <div className="month">
        {Array.from({ length: weekday }, (_, n) => <span key={n} />)}
        {days.map((day) => (
          <button
            key={day.day} type="button" className={day.state} aria-pressed={day.day === chosen} aria-label={`${longDay(day.day)}: ${day.state}`} title={`${longDay(day.day)}: ${day.state}`}
            style={{ '--full': `${35 + Math.round((65 * day.clicks) / most)}%` } as React.CSSProperties} onClick={() => choose(day.day)}
          />
        ))}
      </div>
    </div>
  );
}

const SAID: Record<string, string> = {
  final: 'Final: the provider has settled it.',
  provisional: 'Provisional: the provider still revises it, so it is in no total.',
  missing: 'Missing: not held. A pull fetches it if the provider still has it.',
  empty: 'Empty: the provider has nothing for this day.',
};

function Making({ day }: { day: LedgerDay | undefined }) {
  if (!day) return <Section title="One day"><p className="small">Choose a day to see what it was made from.</p></Section>;
  return (
    <Section title={longDay(day.day)}>
      <p className="lead side">{SAID[day.state]}</p>
      {day.origin && (
        <dl className="facts">
          <dt>Made from</dt><dd>{day.origin}</dd>
          <dt>Taken</dt><dd>{day.taken_at?.replace('T', ' ').replace('+00:00', ' UTC')}</dd>
          <dt>Revision</dt><dd>{day.revision ?? '–'}</dd>
          <dt>Rows</dt><dd>{count(day.rows)}</dd>
          <dt>Clicks</dt><dd>{count(day.clicks)}</dd>
          <dt>Impressions</dt><dd>{count(day.impressions)}</dd>
          <dt>Average position</dt><dd>{place(day.impressions ? day.position_sum / day.impressions : null)}</dd>
          <dt>Digest</dt><dd style={{ fontWeight: 400 }}>{day.digest}</dd>
        </dl>
      )}
    </Section>
  );
}
