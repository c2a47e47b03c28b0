/** Targets of a site: whether one is on course, each with its way, and setting one. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import { useQuery } from '@tanstack/react-query';
import type { TargetRow } from '../mind/api';
import { useFrame } from '../mind/frame';
import { named } from '../mind/named';
import { me } from '../mind/questions';
import { METRICS, course, isStanding, target, useDroppingTarget, useSettingTarget, type Metric } from '../mind/targets';
import { count, longDay, shortDay } from '../mind/words';
import { ReadingTable } from '../skin/ReadingTable';
import { Said } from '../skin/Said';
import { WayChart } from '../skin/WayChart';
import { SiteBar } from '../skin/WindowBar';
import { TextIn, useFields } from '../skin/form';
import { Answer, Empty, ErrorNote, Section } from '../skin/states';

export default function Targets() {
  const { site, search } = useFrame();
  const found = useQuery(course(site));
  const rows = found.data?.rows ?? [];
  const chosen = rows.find((each) => String(each.number) === search.get('target')) ?? rows[0];
  return (
    <>
      <SiteBar />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Targets</Trans>
          </h1>
          {found.data && <Said sentences={found.data.sentences} className="small" />}
        </div>
        <div className="cols side">
          <Answer of={found} height={400}>
            {() =>
              chosen ? (
                <One key={chosen.number} of={chosen} />
              ) : (
                <Empty why={t`No target is set. Set one: a figure, and the day by which it is to be reached.`} />
              )
            }
          </Answer>
          <div className="stack">
            {chosen && <All rows={rows} chosen={chosen} />}
            <Setting site={site} />
          </div>
        </div>
      </main>
    </>
  );
}

function All({ rows, chosen }: { rows: readonly TargetRow[]; chosen: TargetRow }) {
  const { change } = useFrame();
  return (
    <Section title={t`All targets`} about="" label={t`All targets`}>
      <ul className="plainlist">
        {rows.map((each) => (
          <li key={each.number}>
            <button
              type="button"
              className="plain"
              aria-pressed={each === chosen}
              onClick={() => change({ target: String(each.number) })}
            >
              {each.name}
            </button>{' '}
            <span className="small">
              {named(each.course ?? each.lacks ?? '')} · {t`to be reached by ${shortDay(each.by)}`}
            </span>
          </li>
        ))}
      </ul>
    </Section>
  );
}

function One({ of }: { of: TargetRow }) {
  const { site } = useFrame();
  const found = useQuery(target(site, of.number));
  const figure = `${count(of.value)} ${named(of.metric)}${of.narrowed ? ` · ${of.narrowed}` : ''}`;
  return (
    <Section
      title={of.name}
      about={isStanding(of.metric) ? figure : t`${figure} in 28 days`}
      right={named(of.course ?? of.lacks ?? '')}
      label={of.name}
    >
      <p className="small">{t`from ${longDay(of.starts)} by ${longDay(of.by)}`}</p>
      <Answer of={found} height={320}>
        {(data) => (
          <>
            <Said sentences={data.sentences} />
            <WayChart points={data.rows} name={of.name} />
            {data.rows.length > 0 && (
              <p className="small mut">
                {data.years > 0
                  ? t`Solid: what is held. Dashed: the path, with what chance leaves of it. Dotted: what the year alone would bring.`
                  : t`Solid: what is held. Dashed: the path.`}
              </p>
            )}
            <details className="block">
              <summary>
                <Trans>The same as a table</Trans>
              </summary>
              <ReadingTable reading="target" title={of.name} answer={data} />
            </details>
          </>
        )}
      </Answer>
      <Dropping of={of} />
    </Section>
  );
}

function Dropping({ of }: { of: TargetRow }) {
  const drop = useDroppingTarget();
  return (
    <p className="acts">
      <button
        type="button"
        className="plain"
        disabled={drop.isPending}
        onClick={() => window.confirm(t`Delete the target ${of.name}?`) && drop.mutate(of.number)}
        aria-label={t`Delete: ${of.name}`}
      >
        <Trans>Delete</Trans>
      </button>
      {drop.error && <ErrorNote error={drop.error} />}
    </p>
  );
}

function Setting({ site }: { site: string }) {
  const who = useQuery(me);
  const set = useSettingTarget();
  const blank = {
    name: '',
    metric: 'clicks' as Metric,
    over: 'site' as 'site' | 'client',
    filter: '',
    tagged: '',
    value: '',
    starts: who.data?.today ?? '',
    by: '',
  };
  const form = useFields(blank, set.error);
  const metric = form.watch('metric');
  const shrunk = { slotProps: { inputLabel: { shrink: true } } };
  return (
    <Section title={t`Set one`} about="" label={t`Set one`}>
      <form
        className="stack"
        onSubmit={form.handleSubmit(({ value, filter, tagged, starts, ...said }) =>
          set.mutate(
            {
              ...said,
              site: site.replaceAll('~', '/'),
              filter: isStanding(metric) ? '' : filter,
              tagged: isStanding(metric) ? tagged : '',
              value: Number(value),
              starts: starts || (who.data?.today ?? ''),
            },
            { onSuccess: () => form.reset(blank) },
          ),
        )}
      >
        <TextIn form={form} name="name" label={t`Name`} required />
        <TextIn form={form} name="metric" select label={t`Figure`}>
          {METRICS.map((each) => (
            <MenuItem key={each} value={each}>
              {isStanding(each) ? t`Keywords ${named(each)}` : named(each)}
            </MenuItem>
          ))}
        </TextIn>
        <TextIn
          form={form}
          name="value"
          type="number"
          label={t`To reach`}
          helperText={isStanding(metric) ? t`On the day.` : t`In the 28 days up to the day.`}
          required
          slotProps={{ htmlInput: { min: 1, step: 'any' } }}
        />
        <TextIn form={form} name="by" type="date" label={t`To be reached by`} required {...shrunk} />
        <TextIn
          form={form}
          name="starts"
          type="date"
          label={t`First day of the way`}
          helperText={t`Today where none is said; it begins from the 28 days before.`}
          {...shrunk}
        />
        <TextIn form={form} name="over" select label={t`Whose figure`}>
          <MenuItem value="site">
            <Trans>This site</Trans>
          </MenuItem>
          <MenuItem value="client">
            <Trans>All sites of the client</Trans>
          </MenuItem>
        </TextIn>
        {isStanding(metric) ? (
          <TextIn form={form} name="tagged" label={t`Only keywords with this tag`} />
        ) : (
          <TextIn form={form} name="filter" label={t`Only a part, as a filter`} />
        )}
        {set.isError && <ErrorNote error={set.error} />}
        <Button type="submit" variant="contained" disabled={set.isPending}>
          <Trans>Set it</Trans>
        </Button>
      </form>
    </Section>
  );
}
