/** The monthly check of a client: its month gone through step by step, by keyboard, to the signed-off report. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useEffect, useMemo, type ReactNode } from 'react';
import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import type { EditionOut, Monthly as Found, MonthlyStep, Sentence } from '../mind/api';
import { useSite } from '../mind/asked';
import { useReadings } from '../mind/catalogue';
import { carried, useFrame } from '../mind/frame';
import { useKeys } from '../mind/keys';
import {
  COLUMNS,
  READS,
  STEP_NAMES,
  monthAfter,
  monthly,
  movedFirst,
  stepBeside,
  useGoingThrough,
  windowOf,
  type Step,
} from '../mind/monthly';
import { anyReading, me } from '../mind/questions';
import { editions, reports, useApproving, useDrafting } from '../mind/reports';
import { longMonth, shortDay } from '../mind/words';
import { stepRows } from '../mind/worklist';
import { Edition } from '../skin/Edition';
import { ReadingTable } from '../skin/ReadingTable';
import { ReadingTables } from '../skin/ReadingTables';
import { Said } from '../skin/Said';
import { SiteBar } from '../skin/WindowBar';
import { Answer, Empty, ErrorNote } from '../skin/states';

const WITHOUT: Partial<Record<Step, string>> = {
  keywords: t`no keyword is tracked`,
  outcomes: t`no visits are connected`,
};
const ROWS_SHOWN = 15;
const ALL_KEYWORDS = 1000;
const MONTH = /^\d{4}-\d{2}$/;

export default function Monthly() {
  const { site, search, change } = useFrame();
  const about = useSite(site);
  const window = search.get('window') ?? '';
  const asked = MONTH.test(window) ? window : undefined;
  const client = about.data?.client ?? '';
  const found = useQuery(monthly(client, asked));
  const month = found.data?.month;
  useEffect(() => {
    if (month && month !== asked) change({ window: month }, { replace: true });
  }, [month, asked, change]);
  return (
    <>
      <SiteBar />
      <main className="page">
        <Answer of={found} height={500}>
          {(data) => <Month key={data.month} data={data} />}
        </Answer>
      </main>
    </>
  );
}

function Month({ data }: { data: Found }) {
  const { site, search, change } = useFrame();
  const who = useQuery(me);
  const going = useGoingThrough(data.client, data.month);
  const asked = data.steps.find((each) => each.step === search.get('step'))?.step;
  const step = asked ?? data.next ?? 'report';
  const about = data.steps.find((each) => each.step === step)!;
  const go = (to: Step) => change({ step: to });
  const goOn = () => {
    if (!about.done && about.applies) going.mutate({ step, done: true });
    go(stepBeside(data.steps, step, 1));
  };
  const back = () => go(stepBeside(data.steps, step, -1));
  const keys = useMemo(() => {
    const jumps = data.steps.map((each, n) => [String(n + 1), () => change({ step: each.step })] as const);
    return { ...Object.fromEntries(jumps), j: () => stepRows(1), k: () => stepRows(-1) };
  }, [data.steps, change]);
  useKeys({ ...keys, n: goOn, b: back });
  return (
    <>
      <div className="head">
        <h1>
          <Trans>
            {longMonth(data.first)}: {data.client_name}
          </Trans>
        </h1>
        <span className="small">
          {data.through_at ? t`gone through, ${data.of} of ${data.of}` : t`${data.done} of ${data.of} steps`}
        </span>
        <span className="r acts">
          <button
            type="button"
            className="plain"
            onClick={() => change({ window: monthAfter(data.month, -1), step: undefined })}
          >
            <Trans>Month before</Trans>
          </button>
          <button
            type="button"
            className="plain"
            disabled={monthAfter(data.month, 1) > (who.data?.today ?? '').slice(0, 7)}
            onClick={() => change({ window: monthAfter(data.month, 1), step: undefined })}
          >
            <Trans>Month after</Trans>
          </button>
        </span>
      </div>
      <div className="cols steps-side">
        <ol className="steps" aria-label={t`Steps`}>
          {data.steps.map((each, n) => (
            <li key={each.step}>
              <button
                type="button"
                className="plain"
                aria-current={each.step === step ? 'step' : undefined}
                onClick={() => go(each.step)}
              >
                <span className={each.done ? 'better' : 'mut'} aria-hidden="true">
                  {each.done ? '●' : each.applies ? '○' : '–'}
                </span>{' '}
                {n + 1} {STEP_NAMES[each.step]}
              </button>
              <Seen of={each} />
            </li>
          ))}
        </ol>
        <section aria-label={STEP_NAMES[step]} className="stack">
          <div className="head">
            <h2>{STEP_NAMES[step]}</h2>
            <span className="r acts">
              {about.done && (
                <button type="button" className="plain" onClick={() => going.mutate({ step, done: false })}>
                  <Trans>Not after all</Trans>
                </button>
              )}
              <Button variant="outlined" size="small" onClick={back}>
                <Trans>Back</Trans> <kbd>b</kbd>
              </Button>
              <Button variant="contained" size="small" disabled={going.isPending} onClick={goOn}>
                <Trans>Looked at, go on</Trans> <kbd>n</kbd>
              </Button>
            </span>
          </div>
          {going.isError && <ErrorNote error={going.error} />}
          {!about.applies ? (
            <Empty why={t`Nothing to look at: ${WITHOUT[step] ?? about.why ?? ''}.`} />
          ) : READS[step] ? (
            <Read key={`${step} ${site}`} step={step} month={data.month} last={data.last} />
          ) : (
            <Written
              key={site}
              data={data}
              signing={step === 'report'}
              signed={() => going.mutate({ step: 'report', done: true })}
            />
          )}
        </section>
      </div>
    </>
  );
}

function Seen({ of }: { of: MonthlyStep }): ReactNode {
  if (!of.applies) return <span className="small mut">{WITHOUT[of.step]}</span>;
  if (!of.done || !of.at) return null;
  return (
    <span className="small mut">
      {of.by ?? ''}, {shortDay(of.at.slice(0, 10))}
    </span>
  );
}

/** What a step reads of the month, rows ready to be put on the worklist. */
function Read({ step, month, last }: { step: Step; month: string; last: string }) {
  const { site, frame, search } = useFrame();
  const [name, more] = READS[step]!;
  const readings = useReadings();
  const about = readings.find((each) => each.name === name);
  const asked = { ...frame, window: windowOf(step, month, last), against: 'before' };
  const found = useQuery({
    ...anyReading(site, about, asked, { limit: step === 'keywords' ? ALL_KEYWORDS : ROWS_SHOWN }, more),
    enabled: !!about,
  });
  return (
    <Answer of={found} height={300}>
      {(data) => (
        <>
          <Said sentences={(data as { sentences?: Sentence[] }).sentences} />
          {COLUMNS[step] ? (
            <ReadingTable
              reading={name}
              title={about?.summary ?? ''}
              answer={step === 'keywords' ? movedFirst(data) : data}
              names={COLUMNS[step]}
              most={ROWS_SHOWN}
            />
          ) : (
            about && <ReadingTables about={about} answer={data} most={ROWS_SHOWN} />
          )}
          <p className="small">
            <Link to={`/sites/${site}/${OWN_VIEW[name] ?? `read/${name}`}${carried(search)}`}>
              <Trans>All of it</Trans>
            </Link>
          </p>
        </>
      )}
    </Answer>
  );
}
const OWN_VIEW: Readonly<Record<string, string>> = { drivers: 'overview', fading: 'fading', ladder: 'ladder' };

/** The month's edition: its summary to write, or to be signed off; what can be drafted where there is none yet. */
function Written({ data, signing, signed }: { data: Found; signing: boolean; signed: () => void }) {
  const { site } = useFrame();
  const kept = useQuery(editions(site));
  const approving = useApproving();
  const mine = kept.data?.filter((each) => each.first === data.first && each.last === data.last) ?? [];
  const open = mine.find((each) => each.state === 'draft');
  const shown = open ?? mine[0];
  const signOff = () => {
    if (signing && open && !approving.isPending) approving.mutate(open.id, { onSuccess: signed });
  };
  useKeys({ a: signOff, c: () => document.querySelector<HTMLElement>('main textarea')?.focus() });
  return (
    <Answer of={kept} height={300}>
      {() =>
        shown ? (
          <>
            {open && (
              <p className="small">
                {signing ? (
                  <Trans>
                    <kbd>a</kbd> signs it off as it stands below.
                  </Trans>
                ) : (
                  <Trans>
                    <kbd>c</kbd> goes to what is written.
                  </Trans>
                )}
              </p>
            )}
            {approving.isError && <ErrorNote error={approving.error} />}
            <Edition key={`${shown.id} ${shown.state}`} of={shown} gone={() => undefined} />
          </>
        ) : (
          <ToDraft month={data.month} known={kept.data ?? []} />
        )
      }
    </Answer>
  );
}

function ToDraft({ month, known }: { month: string; known: readonly EditionOut[] }) {
  const { site } = useFrame();
  const made = useQuery(reports(site));
  const drafting = useDrafting(() => undefined);
  const first = made.data?.[0];
  useKeys({ d: () => first && !drafting.isPending && drafting.mutate(first.id) });
  if (!made.data) return made.isError ? <ErrorNote error={made.error} /> : null;
  if (made.data.length === 0)
    return (
      <Empty why={t`This site has no report yet.`}>
        <Link to={`/sites/${site}/reports`}>
          <Trans>Make one</Trans>
        </Link>
      </Empty>
    );
  return (
    <>
      <p>{known.length ? t`No edition of ${longMonth(`${month}-01`)} yet.` : t`No edition yet.`}</p>
      <div className="acts">
        {made.data.map((each, n) => (
          <Button
            key={each.id}
            variant="outlined"
            disabled={drafting.isPending}
            onClick={() => drafting.mutate(each.id)}
          >
            {drafting.isPending ? t`Drafting…` : t`Draft ${each.name}`}
            {n === 0 && (
              <>
                {' '}
                <kbd>d</kbd>
              </>
            )}
          </Button>
        ))}
      </div>
      {drafting.isError && <ErrorNote error={drafting.error} />}
    </>
  );
}
