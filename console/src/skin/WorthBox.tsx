/** What pages earn where no goals are counted: given by hand, by saved sets, and said to be an estimate where used. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import Button from '@mui/material/Button';
import MenuItem from '@mui/material/MenuItem';
import type { Outcomes, PageValue } from '../mind/api';
import { useSetsOf, useSite } from '../mind/asked';
import { useKeepingValues, useKeepingWorth } from '../mind/doing';
import { fixed } from '../mind/words';
import { TextIn, useFields } from './form';
import { ErrorNote } from './states';

export function WorthBox({ site, answer }: { site: string; answer: Outcomes }) {
  const about = useSite(site);
  if (answer.total.conversions !== null || !about.data) return null;
  return (
    <details className="worth" open={about.data.values.length > 0 || undefined}>
      <summary>
        <Trans>What a session earns, until goals are counted</Trans>
      </summary>
      <OfAll key={String(about.data.session_value)} site={site} saved={about.data.session_value} />
      <BySet site={site} values={about.data.values} />
    </details>
  );
}

function OfAll({ site, saved }: { site: string; saved: number | null }) {
  const keep = useKeepingWorth(site);
  const form = useFields({ session_value: saved === null ? '' : String(saved) }, keep.error);
  return (
    <form className="acts" onSubmit={form.handleSubmit((asked) => keep.mutate(Number(asked.session_value || 0)))}>
      <TextIn
        form={form}
        name="session_value"
        type="number"
        size="small"
        label={t`Value of a session`}
        helperText={t`In the client’s currency, until goals are counted; empty for none.`}
        slotProps={{ htmlInput: { min: 0, step: 0.01, max: 1_000_000 } }}
      />
      <Button type="submit" disabled={keep.isPending}>
        <Trans>Keep</Trans>
      </Button>
      {keep.isError && <ErrorNote error={keep.error} />}
    </form>
  );
}

const NEW = { set: '', per: 'session', amount: '', views: '' };

function BySet({ site, values }: { site: string; values: readonly PageValue[] }) {
  const keep = useKeepingValues(site);
  const form = useFields(NEW, keep.error);
  const sets = (useSetsOf(site).data ?? []).filter((each) => each.item === 'page');
  const byViews = form.watch('per') === 'thousand views';
  const add = form.handleSubmit((asked) => {
    const value: PageValue = {
      set: asked.set,
      per: byViews ? 'thousand views' : 'session',
      amount: Number(asked.amount),
      views: byViews ? Number(asked.views) : null,
    };
    const others = values.filter((each) => each.set !== asked.set);
    keep.mutate([...others, value], { onSuccess: () => form.reset(NEW) });
  });
  return (
    <>
      {values.length > 0 && (
        <ul className="variants" aria-label={t`What pages earn`}>
          {values.map((each) => (
            <li key={each.set}>
              <span>{each.set || t`all other pages`}</span>
              <span className="small">{said(each)}</span>
              <button
                type="button"
                className="plain"
                disabled={keep.isPending}
                aria-label={t`Take away: ${each.set || t`all other pages`}`}
                onClick={() => keep.mutate(values.filter((other) => other !== each))}
              >
                <Trans>Take away</Trans>
              </button>
            </li>
          ))}
        </ul>
      )}
      <form className="acts" onSubmit={add}>
        <TextIn
          form={form}
          name="set"
          select
          size="small"
          label={t`Pages of`}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        >
          <MenuItem value="">{t`all other pages`}</MenuItem>
          {sets.map((each) => (
            <MenuItem key={each.id} value={each.name}>
              {each.name}
            </MenuItem>
          ))}
        </TextIn>
        <TextIn form={form} name="per" select size="small" label={t`Earn by`}>
          <MenuItem value="session">{t`session`}</MenuItem>
          <MenuItem value="thousand views">{t`thousand page views`}</MenuItem>
        </TextIn>
        <TextIn
          form={form}
          name="amount"
          type="number"
          size="small"
          label={t`Amount`}
          rules={{ required: t`How much?` }}
          slotProps={{ htmlInput: { min: 0.01, step: 0.01, max: 1_000_000 } }}
        />
        {byViews && (
          <TextIn
            form={form}
            name="views"
            type="number"
            size="small"
            label={t`Page views of a session`}
            rules={{ required: t`How many?` }}
            slotProps={{ htmlInput: { min: 1, step: 0.1, max: 1000 } }}
          />
        )}
        <Button type="submit" disabled={keep.isPending}>
          <Trans>Keep this value</Trans>
        </Button>
        {keep.isError && <ErrorNote error={keep.error} />}
      </form>
    </>
  );
}

function said({ amount, per, views }: PageValue): string {
  const much = fixed(amount, 2);
  if (per === 'session') return t`${much} a session`;
  return t`${much} per thousand page views, ${fixed(views ?? 1, 1)} of them a session`;
}
