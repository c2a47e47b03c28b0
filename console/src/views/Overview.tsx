/** A site at a glance: storyline, what explains the change, risers and fallers, the years behind. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { lazy, Suspense, useState } from 'react';
import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { named } from '../mind/named';
import {
  address,
  siteKey,
  type DriverRow,
  type Drivers,
  type Mover,
  type Sentence,
  type State,
  type Timeline,
} from '../mind/api';
import { STEPS, WEEKDAYS, carried, stepping, useFrame, usualStep, type Frame } from '../mind/frame';
import { drivers, fading, notes as notesOf, oddDays, site as siteOf, timeline } from '../mind/questions';
import { count } from '../mind/words';
import { Posts } from '../skin/Posts';
import { SeasonSwitch } from '../skin/SeasonSwitch';
import { Storyline } from '../skin/Storyline';
import { ReadingTable } from '../skin/ReadingTable';
import { Said } from '../skin/Said';
import { WindowBar } from '../skin/WindowBar';
import { Cautions, ClicksChange } from '../skin/small';
import { alerts } from '../mind/alerts';
import { READ_IN, feeds } from '../mind/feeds';
import { course } from '../mind/targets';
import { worked } from '../mind/worklist';
import { Answer, ErrorNote, Section } from '../skin/states';
import { Th } from '../skin/How';

const YearsOver = lazy(() => import('../skin/WeeksChart').then((m) => ({ default: m.YearsOver })));
const ClicksWeeks = lazy(() => import('../skin/WeeksChart').then((m) => ({ default: m.ClicksWeeks })));

const ALERTS_SHOWN = 4;

export default function Overview() {
  const { site, frame, search } = useFrame();
  const { by, weeks } = stepping(search);
  const line = useQuery(timeline(site, frame, by, weeks));
  const split = useQuery({ ...drivers(site, frame), enabled: frame.against !== 'none' });
  const about = useQuery(siteOf(site));
  const noted = useQuery(notesOf(site));
  const odd = useQuery(oddDays(site, frame));
  if (line.isError && line.data === undefined) {
    return (
      <>
        <WindowBar read={undefined} />
        <main className="page">
          <h1>{about.data?.client_name ?? site}</h1>
          <ErrorNote error={line.error} again={() => void line.refetch()} />
          <HeldInstead site={site} />
        </main>
      </>
    );
  }
  return (
    <>
      <WindowBar read={line.data} states={line.data?.bucket === 'day' ? lastStates(line.data) : undefined} />
      <main className="page">
        <div className="head">
          <h1 className="vh">
            <Trans>{about.data?.client_name ?? site}: overview</Trans>
          </h1>
          <SeasonSwitch season={line.data?.season} />
          <span className="r">
            <ReportButtons site={site} frame={frame} />
          </span>
        </div>
        <div className="cols story">
          <div className="stack">
            <Section
              title={t`Storyline`}
              about={<StepPick />}
              right={<Key line={line.data} />}
              stale={line.isPlaceholderData}
            >
              <Answer of={line} height={380}>
                {(data) => (
                  <>
                    <Said sentences={(data.sentences ?? []).filter(ofTheYear)} className="small" />
                    <Storyline line={data} marks={{ notes: noted.data ?? [], odd: odd.data?.rows ?? [] }} />
                    <Cautions items={data.cautions} />
                  </>
                )}
              </Answer>
            </Section>
            <WorthALook site={site} frame={frame} search={search} />
            <RisersAndFallers site={site} frame={frame} search={search} />
          </div>
          <div className="stack">
            <Section title={t`Explains the change`} about="" right={t`clicks`} stale={split.isPlaceholderData}>
              {frame.against === 'none' ? (
                <p className="small">
                  <Trans>Nothing is compared, so there is no change to explain.</Trans>
                </p>
              ) : (
                <Answer of={split} height={380}>
                  {(data) => <Explained found={data} search={search} site={site} frame={frame} />}
                </Answer>
              )}
            </Section>
            <Years site={site} frame={frame} />
            <AlertsOfSite site={site} />
            <TargetsOfSite site={site} />
            <WorkOfSite site={site} />
          </div>
        </div>
      </main>
    </>
  );
}

/** Where no searches are held: what else is, how far it has come, and where it is read. */
function HeldInstead({ site }: { site: string }) {
  const found = useQuery(feeds(site));
  const rows = (found.data?.rows ?? []).filter((each) => each.kind !== 'search');
  const kinds = [...new Set(rows.filter((each) => each.last).map((each) => each.kind))];
  if (!found.data || !rows.length) return null;
  return (
    <div className="cols side">
      <Section title={t`What else is held`} about="" label={t`What else is held`}>
        <ReadingTable reading="feeds" title={t`What else is held`} answer={{ ...found.data, rows }} />
        <p className="acts">
          {kinds.map((kind) => (
            <Link key={kind} to={`/sites/${site}/${READ_IN[kind] ?? 'held'}`}>
              <Trans>Read {named(kind)}</Trans>
            </Link>
          ))}
        </p>
      </Section>
      <div className="stack">
        <AlertsOfSite site={site} />
        <TargetsOfSite site={site} />
        <WorkOfSite site={site} />
      </div>
    </div>
  );
}

/** What the storyline is stepped by, and where its weeks begin. */
function StepPick() {
  const { search, frame, change } = useFrame();
  const { by, weeks } = stepping(search);
  return (
    <>
      <label>
        <Trans>by</Trans>{' '}
        <select
          className="inline"
          aria-label={t`Steps of the storyline`}
          value={by}
          onChange={(e) => change({ by: e.target.value === usualStep(frame.window) ? undefined : e.target.value })}
        >
          {STEPS.map((step) => (
            <option key={step} value={step}>
              {named(step)}
            </option>
          ))}
        </select>
      </label>
      {by === 'week' && (
        <>
          {' '}
          <label>
            <Trans>from</Trans>{' '}
            <select
              className="inline"
              aria-label={t`First day of a week`}
              value={weeks}
              onChange={(e) => change({ weeks: e.target.value === 'monday' ? undefined : e.target.value })}
            >
              {WEEKDAYS.map((day) => (
                <option key={day} value={day}>
                  {day.charAt(0).toUpperCase() + day.slice(1)}
                </option>
              ))}
            </select>
          </label>
        </>
      )}
    </>
  );
}

/** What a timeline says of what the year alone would have done. */
const ofTheYear = (said: Sentence) => said.figures.some((each) => each.field.startsWith('/season/'));

function lastStates(line: Timeline): State[] {
  return [...line.points, ...line.tail].slice(-10).map((p) => p.state);
}

function Key({ line }: { line: Timeline | undefined }) {
  if (!line) return null;
  return (
    <span className="key">
      <span>
        <Trans>
          <i />
          now
        </Trans>
      </span>
      {line.against && (
        <span>
          <Trans>
            <i className="ghost" />
            before
          </Trans>
        </span>
      )}
      {line.expected.length > 0 && (
        <span>
          <Trans>
            <i className="band" />
            as every year
          </Trans>
        </span>
      )}
      {line.tail.length > 0 && (
        <span>
          <Trans>
            <i className="prov" />
            provisional
          </Trans>
        </span>
      )}
      {line.bucket !== 'day' && line.points.some((p) => p.partial) && (
        <span>
          <Trans>
            <i className="prov" />
            in part
          </Trans>
        </span>
      )}
    </span>
  );
}

function ReportButtons({ site, frame }: { site: string; frame: Frame }) {
  const to = (kind: string) =>
    address(`/sites/${siteKey(site)}/report.${kind}`, {
      window: frame.window,
      against: frame.against,
      filter: frame.where.filter,
      season: frame.counted ? 'false' : undefined,
    });
  return (
    <>
      <Button variant="outlined" href={to('pdf')} download>
        <Trans>Report as PDF</Trans>
      </Button>
      <Button variant="text" href={to('html')} download>
        <Trans>as HTML</Trans>
      </Button>
    </>
  );
}

const MADE_OF: Record<string, string> = {
  demand: t`Queries that make the demand`,
  rank: t`Queries that make the rank`,
  appeal: t`Queries that make the appeal`,
  entered: t`Largest new queries`,
  left: t`Largest lost queries`,
};

function Explained({
  found,
  site,
  frame,
  search,
}: {
  found: Drivers;
  site: string;
  frame: Frame;
  search: URLSearchParams;
}) {
  const [driver, setDriver] = useState<string>();
  const made = useQuery({ ...drivers(site, frame, driver), enabled: driver !== undefined });
  const movers = driver ? (made.data?.movers ?? []) : found.movers;
  const part = (row: DriverRow) => (driver ? Math.round(row[driver as 'rank']) : row.change);
  return (
    <>
      <Said sentences={found.sentences} />
      <Posts found={found} chosen={driver} choose={setDriver} />
      <table className="t" style={{ marginTop: 8 }}>
        <thead>
          <tr>
            <th scope="col">{driver ? MADE_OF[driver] : t`Queries that moved most`}</th>
            <Th how="drivers.clicks_before">
              <Trans>before</Trans>
            </Th>
            <Th how="drivers.clicks">
              <Trans>now</Trans>
            </Th>
            <Th how="drivers.change">
              <Trans>clicks</Trans>
            </Th>
          </tr>
        </thead>
        <tbody>
          {movers.slice(0, driver ? 8 : 4).map((row) => (
            <tr key={row.query}>
              <th scope="row">
                <Link to={`/sites/${site}/queries${carried(search, { item: row.query })}`} title={row.query}>
                  {row.query}
                </Link>
              </th>
              <td className="num was">{count(row.before.clicks)}</td>
              <td className="num now">{count(row.now.clicks)}</td>
              <td className="num">
                <ClicksChange change={{ ...found.change, clicks: part(row) }} />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </>
  );
}

function WorthALook({ site, frame, search }: { site: string; frame: Frame; search: URLSearchParams }) {
  const found = useQuery({ ...fading(site, 'page', frame, '', { limit: 3 }), enabled: frame.against !== 'none' });
  if (frame.against === 'none') return null;
  const all = (
    <Link to={`/sites/${site}/fading${carried(search)}`}>
      <Trans>all verdicts</Trans>
    </Link>
  );
  return (
    <Section
      title={t`Pages to look at`}
      about={t`fading beyond their own noise`}
      right={all}
      stale={found.isPlaceholderData}
      label={t`Pages to look at`}
    >
      <Answer of={found} height={110}>
        {(data) => (
          <>
            <Said sentences={data.sentences?.slice(0, 2)} className="small" />
            {data.rows.length > 0 && (
              <div className="wrap">
                <table className="t fit">
                  <tbody>
                    {data.rows.map((row) => (
                      <tr key={row.key}>
                        <th scope="row">
                          <Link to={`/sites/${site}/queries${carried(search, { page: row.key })}`} title={row.key}>
                            {row.key}
                          </Link>
                        </th>
                        <td>{named(row.verdict)}</td>
                        <td className="num was">{count(row.before.clicks)}</td>
                        <td className="num now">{count(row.now.clicks)}</td>
                        <td className="num">
                          <ClicksChange change={row.change} />
                        </td>
                        <td className="why">{row.reason}</td>
                      </tr>
                    ))}
                  </tbody>
                </table>
              </div>
            )}
          </>
        )}
      </Answer>
    </Section>
  );
}

/** What is to be done about the site, and what came of what was done. */
/** What calls out here; a client's reader is not told. */
function AlertsOfSite({ site }: { site: string }) {
  const key = site.replaceAll('~', '/');
  const found = useQuery({ ...alerts({ site: key }), retry: false });
  if (!found.data?.length) return null;
  return (
    <Section
      title={t`Alerts`}
      about=""
      right={
        <Link to={`/alerts?site=${encodeURIComponent(key)}`}>
          <Trans>see to them</Trans>
        </Link>
      }
    >
      <ul className="tested">
        {found.data.slice(0, ALERTS_SHOWN).map((alert) => (
          <li key={alert.id} className="small">
            {alert.text} <Link to={`/sites/${site}/read/${alert.look}`}>{t`Look`}</Link>
          </li>
        ))}
      </ul>
      {found.data.length > ALERTS_SHOWN && (
        <p className="small">
          <Trans>and {found.data.length - ALERTS_SHOWN} more</Trans>
        </p>
      )}
    </Section>
  );
}

function TargetsOfSite({ site }: { site: string }) {
  const found = useQuery(course(site));
  if (!found.data || found.data.matching === 0) return null;
  return (
    <Section
      title={t`Targets`}
      about=""
      right={
        <Link to={`/sites/${site}/targets`}>
          <Trans>all with their way</Trans>
        </Link>
      }
    >
      <Said sentences={found.data.sentences} className="small" />
      <ul className="plainlist">
        {found.data.rows.slice(0, 5).map((each) => (
          <li key={each.number} className="small">
            <Link to={`/sites/${site}/targets?target=${each.number}`}>{each.name}</Link>:{' '}
            {named(each.course ?? each.lacks ?? '')}
            {each.now !== null && ` · ${count(each.now)} / ${count(each.value)}`}
          </li>
        ))}
      </ul>
    </Section>
  );
}

function WorkOfSite({ site }: { site: string }) {
  const found = useQuery(worked(site));
  if (!found.data || found.data.open + found.data.done === 0) return null;
  return (
    <Section
      title={t`Work`}
      about=""
      right={
        <Link to={`/work?site=${encodeURIComponent(site.replaceAll('~', '/'))}`}>
          <Trans>the worklist</Trans>
        </Link>
      }
    >
      <Said sentences={found.data.sentences} className="small" />
      <Link to={`/sites/${site}/read/worked`}>
        <Trans>what came of each</Trans>
      </Link>
    </Section>
  );
}

/** Pages that moved most, each with its verdict: a large change may be noise, and a small one news. */
function RisersAndFallers({ site, frame, search }: { site: string; frame: Frame; search: URLSearchParams }) {
  const found = useQuery({ ...fading(site, 'page', frame, '', { limit: 3 }), enabled: frame.against !== 'none' });
  const all = (
    <Link to={`/sites/${site}/pages${carried(search)}`}>
      <Trans>all pages</Trans>
    </Link>
  );
  return (
    <Section
      title={t`Risers and fallers`}
      about={t`pages, by change in clicks`}
      right={all}
      stale={found.isPlaceholderData}
    >
      {frame.against === 'none' || found.data?.net === null ? (
        <p className="small">
          <Trans>No change is given for this window.</Trans>
        </p>
      ) : (
        <Answer of={found} height={200}>
          {(data) => (
            <div className="cols two">
              <Movers name={t`Fallers`} rows={data.fallers.slice(0, 6)} site={site} search={search} />
              <Movers name={t`Risers`} rows={data.risers.slice(0, 6)} site={site} search={search} />
            </div>
          )}
        </Answer>
      )}
    </Section>
  );
}

function Movers({
  name,
  rows,
  site,
  search,
}: {
  name: string;
  rows: readonly Mover[];
  site: string;
  search: URLSearchParams;
}) {
  if (!rows.length)
    return (
      <p className="small" style={{ paddingTop: 6 }}>
        <Trans>{name}: none in this window.</Trans>
      </p>
    );
  return (
    <table className="t">
      <thead>
        <tr>
          <th scope="col">{name}</th>
          <Th how="fading.verdict" left>
            <Trans>verdict</Trans>
          </Th>
          <Th how="drivers.clicks_before">
            <Trans>before</Trans>
          </Th>
          <Th how="drivers.clicks">
            <Trans>now</Trans>
          </Th>
          <Th how="fading.clicks_change">
            <Trans>change</Trans>
          </Th>
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <tr key={row.key}>
            <th scope="row">
              <Link to={`/sites/${site}/queries${carried(search, { page: row.key })}`} title={row.key}>
                {row.key}
              </Link>
            </th>
            <td className="small">{named(row.verdict)}</td>
            <td className="num was">{count(row.before.clicks)}</td>
            <td className="num now">{count(row.now.clicks)}</td>
            <td className="num">
              <ClicksChange change={row.change} />
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** So many weeks tell more than one year. */
const MORE_THAN_A_YEAR = 54;

function Years({ site, frame }: { site: string; frame: Frame }) {
  const { search, change } = useFrame();
  const whole = useQuery(timeline(site, { window: 'all', against: 'none', where: frame.where }, 'week'));
  const noted = useQuery(notesOf(site));
  const several = (whole.data?.points.length ?? 0) >= MORE_THAN_A_YEAR;
  const over = several && search.get('years') === 'over';
  return (
    <Section
      title={t`All that is held`}
      about={t`clicks by week`}
      right={
        several && (
          <select
            className="inline"
            aria-label={t`How the years stand`}
            value={over ? 'over' : ''}
            onChange={(e) => change({ years: e.target.value || undefined })}
          >
            <option value="">
              <Trans>years in a row</Trans>
            </option>
            <option value="over">
              <Trans>years laid over</Trans>
            </option>
          </select>
        )
      }
    >
      <Answer of={whole} height={150}>
        {(data) => (
          <Suspense fallback={<div style={{ height: 170 }} />}>
            {over ? (
              <YearsOver weeks={data.points} height={190} />
            ) : (
              <ClicksWeeks weeks={data.points} notes={noted.data} height={190} />
            )}
          </Suspense>
        )}
      </Answer>
    </Section>
  );
}
