/** Trials of a site: planned, running, read; and what one could show before it starts. */
import { plural, t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useState } from 'react';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import { useQuery } from '@tanstack/react-query';
import { useFrame } from '../mind/frame';
import { named } from '../mind/named';
import { me } from '../mind/questions';
import {
  trial,
  trials,
  useDroppingTrial,
  useEnding,
  usePlanning,
  usePlanOf,
  type Asked,
  type Trial,
  type TrialKind,
} from '../mind/trials';
import { longDay, shortDay } from '../mind/words';
import { ReadingTable } from '../skin/ReadingTable';
import { Said } from '../skin/Said';
import { TrialChart } from '../skin/TrialChart';
import { SiteBar } from '../skin/WindowBar';
import { TextIn, useFields } from '../skin/form';
import { Answer, Empty, ErrorNote, Section } from '../skin/states';

export default function Trials() {
  const { site, search, change } = useFrame();
  const found = useQuery(trials(site));
  const chosen = found.data?.find((each) => String(each.id) === search.get('trial')) ?? found.data?.[0];
  return (
    <>
      <SiteBar />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Trials</Trans>
          </h1>
          <span className="small">
            <Trans>What is changed against a control that is not; nothing is told before its time.</Trans>
          </span>
        </div>
        <div className="cols side">
          <Answer of={found} height={400}>
            {(all) =>
              chosen && all.length ? (
                <One key={chosen.id} of={chosen} />
              ) : (
                <Empty why={t`No trial yet. Plan one: see first what it could show, and which controls move alike.`} />
              )
            }
          </Answer>
          <div className="stack">
            {(found.data ?? []).length > 0 && (
              <Section title={t`All trials`} about="" label={t`All trials`}>
                <ul className="plainlist">
                  {(found.data ?? []).map((each) => (
                    <li key={each.id}>
                      <button
                        type="button"
                        className="plain"
                        aria-pressed={each === chosen}
                        onClick={() => change({ trial: String(each.id) })}
                      >
                        {each.name}
                      </button>{' '}
                      <span className="small">{t`from ${shortDay(each.starts)}`}</span>
                    </li>
                  ))}
                </ul>
              </Section>
            )}
            <Planning site={site} />
          </div>
        </div>
      </main>
    </>
  );
}

function One({ of }: { of: Trial }) {
  const { site } = useFrame();
  const found = useQuery(trial(site, of.id));
  return (
    <Section
      title={of.name}
      about={t`${named(of.of)}: ${of.treated.join(', ')} against ${of.control.length ? of.control.join(', ') : t`the rest of the site`}`}
      right={found.data ? named(found.data.state) : ''}
      label={of.name}
    >
      <p className="small">
        {[of.what, t`from ${longDay(of.starts)}`, plural(of.weeks, { one: '# week', other: '# weeks' })]
          .filter(Boolean)
          .join(' · ')}
      </p>
      <Answer of={found} height={320}>
        {(data) => (
          <>
            <Said sentences={data.sentences} />
            <TrialChart weeks={data.rows} starts={of.starts} />
            {data.secondary.length > 0 && (
              <>
                <p className="small">
                  <Trans>Other figures, which tell no verdict:</Trans>
                </p>
                <ReadingTable reading="trial" table="secondary" title={t`Other figures of ${of.name}`} answer={data} />
              </>
            )}
            <details className="block">
              <summary>
                <Trans>The same as a table</Trans>
              </summary>
              <ReadingTable reading="trial" title={of.name} answer={data} />
            </details>
          </>
        )}
      </Answer>
      {of.log.length > 0 && (
        <ul className="plainlist" aria-label={t`What was changed, and when`}>
          {of.log.map((line) => (
            <li key={line.day + line.text}>
              <b>{shortDay(line.day)}</b> {line.text}
            </li>
          ))}
        </ul>
      )}
      <Ending of={of} state={found.data?.state} />
    </Section>
  );
}

function Ending({ of, state }: { of: Trial; state: string | undefined }) {
  const who = useQuery(me);
  const end = useEnding();
  const drop = useDroppingTrial(() => undefined);
  const failed = end.error ?? drop.error;
  const today = who.data?.today;
  return (
    <p className="acts">
      {state === 'running' && today && (
        <>
          <button type="button" className="plain" onClick={() => end.mutate({ of, on: today })}>
            <Trans>End it today</Trans>
          </button>
          <span className="small">
            <Trans>It is then read on fewer weeks, and shows only larger effects.</Trans>
          </span>
        </>
      )}
      <button
        type="button"
        className="plain"
        disabled={drop.isPending}
        onClick={() => window.confirm(t`Delete the trial ${of.name} with its log?`) && drop.mutate(of)}
        aria-label={t`Delete: ${of.name}`}
      >
        <Trans>Delete</Trans>
      </button>
      {failed && <ErrorNote error={failed} />}
    </p>
  );
}

const lines = (text: string) =>
  text
    .split('\n')
    .map((each) => each.trim())
    .filter(Boolean);

function Planning({ site }: { site: string }) {
  const blank = { name: '', what: '', of: 'page' as TrialKind, treated: '', control: '', starts: '', weeks: '4' };
  const plan = usePlanning(() => undefined);
  const form = useFields(blank, plan.error);
  const [asked, ask] = useState<Asked>();
  const could = usePlanOf(site, asked);
  const said = form.watch();
  const about = (): Asked => ({ of: said.of, treated: lines(said.treated), weeks: Number(said.weeks) || 4 });
  return (
    <Section title={t`Plan one`} about="" label={t`Plan one`}>
      <form
        className="stack"
        onSubmit={form.handleSubmit(({ name, what, control, starts }) =>
          plan.mutate(
            { ...about(), site: site.replaceAll('~', '/'), name, what, control: lines(control), starts },
            { onSuccess: () => form.reset(blank) },
          ),
        )}
      >
        <TextIn form={form} name="name" label={t`Name`} required />
        <TextIn form={form} name="of" select label={t`What is changed`}>
          {(['page', 'query'] as const).map((each) => (
            <MenuItem key={each} value={each}>
              {each === 'page' ? t`Pages` : t`Queries`}
            </MenuItem>
          ))}
        </TextIn>
        <TextIn form={form} name="treated" label={t`Treated, one a line`} multiline minRows={3} required />
        <div className="acts">
          <Button disabled={!lines(said.treated).length} onClick={() => ask(about())}>
            <Trans>What could it show?</Trans>
          </Button>
        </div>
        {could.isError && <ErrorNote error={could.error} />}
        {could.data && (
          <>
            <Said sentences={could.data.sentences} className="small" />
            <ReadingTable reading="trial-plan" title={t`Controls that move alike`} answer={could.data} />
            {could.data.rows.length > 0 && (
              <button
                type="button"
                className="plain"
                onClick={() => form.setValue('control', could.data.rows.map((row) => row.key).join('\n'))}
              >
                <Trans>Take these as the control</Trans>
              </button>
            )}
          </>
        )}
        <TextIn
          form={form}
          name="control"
          label={t`Control, one a line`}
          helperText={t`The rest of the site without any.`}
          multiline
          minRows={2}
        />
        <TextIn form={form} name="what" label={t`What is done to them`} multiline minRows={2} />
        <TextIn
          form={form}
          name="starts"
          type="date"
          label={t`First day with the change`}
          required
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <TextIn
          form={form}
          name="weeks"
          type="number"
          label={t`Weeks`}
          slotProps={{ htmlInput: { min: 1, max: 26 } }}
        />
        {plan.isError && <ErrorNote error={plan.error} />}
        <Button type="submit" variant="contained" disabled={plan.isPending}>
          <Trans>Plan</Trans>
        </Button>
      </form>
    </Section>
  );
}
