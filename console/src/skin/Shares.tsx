/** Addresses by which somebody without an account sees an edition, or a report as it is today. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import type { NewShare, ReportOut } from '../mind/api';
import { useMaking } from '../mind/doing';
import { useRevoking, useShares, useSharing } from '../mind/reports';
import { toClipboard } from '../mind/taking';
import { count, longDay, when } from '../mind/words';
import { Sends, TextIn, useFields } from './form';
import { ErrorNote, Section } from './states';

export function Shares({ site, reports, edition }: { site: string; reports: readonly ReportOut[]; edition?: number }) {
  const found = useShares(site);
  const revoke = useRevoking();
  return (
    <Section title={t`Shared pages`} about={t`for who has no account; by an address that ends`} label={t`Shared pages`}>
      <ul className="plainlist">
        {(found.data ?? []).map((each) => (
          <li key={each.id}>
            <b>{each.name}</b>{' '}
            <span className="small">{each.live ? t`live page` : t`edition ${each.edition ?? ''}`}</span>
            {each.label && (
              <span className="small">
                {' '}
                <Trans>for {each.label}</Trans>
              </span>
            )}
            <div className="small">
              {each.over ? (
                <span className="mut">
                  <Trans>leads to nothing any more</Trans>
                </span>
              ) : (
                <>
                  <a href={each.address} target="_blank" rel="noreferrer">
                    <Trans>open</Trans>
                  </a>{' '}
                  <Copy address={each.address} />{' '}
                  <button type="button" className="plain small" onClick={() => revoke.mutate(each.id)}>
                    <Trans>take it back</Trans>
                  </button>{' '}
                  {each.password ? t`with a password, ` : ''}
                  {each.until ? t`until ${longDay(each.until.slice(0, 10))}` : t`without end`}
                </>
              )}
              {' · '}
              {each.views
                ? t`looked at ${count(each.views)} times, last ${when(each.seen_at ?? '')}`
                : t`not looked at yet`}
            </div>
          </li>
        ))}
      </ul>
      {revoke.isError && <ErrorNote error={revoke.error} />}
      <Share reports={reports} edition={edition} />
    </Section>
  );
}

function Copy({ address }: { address: string }) {
  const copying = useMaking(() => undefined);
  const take = async () => {
    await toClipboard(address);
    return address;
  };
  return (
    <>
      <button type="button" className="plain small" onClick={() => copying.mutate(take)}>
        {copying.isSuccess ? t`copied` : t`copy the address`}
      </button>
      {copying.isError && <ErrorNote error={copying.error} />}
    </>
  );
}

function Share({ reports, edition }: { reports: readonly ReportOut[]; edition?: number }) {
  const share = useSharing();
  // nothing chosen is the first that can be: which that is, is known once editions and reports have come
  const form = useFields({ what: '', label: '', days: '90', password: '' }, share.error);
  const first = edition ? 'edition' : `report:${reports[0]?.id}`;
  if (!edition && !reports.length) return null;
  return (
    <details className="how">
      <summary className="small">
        <Trans>Share a page</Trans>
      </summary>
      <form
        className="stack set"
        onSubmit={(e) => {
          e.preventDefault();
          void form.handleSubmit((asked) => {
            const what = asked.what || first;
            return share.mutate(
              {
                ...(what === 'edition' ? { edition } : { report: Number(what.replace(/^report:/, '')) }),
                label: asked.label,
                days: Number(asked.days) || null,
                ...(asked.password ? { password: asked.password } : {}),
                may_change: ['window', 'against', 'device', 'country'],
              } as NewShare,
              { onSuccess: () => form.reset() },
            );
          })();
        }}
      >
        <TextIn form={form} name="what" label={t`What`} select slotProps={{ select: { native: true } }}>
          {edition && (
            <option value="edition">
              <Trans>this edition, as it was signed off</Trans>
            </option>
          )}
          {reports.map((each) => (
            <option key={each.id} value={`report:${each.id}`}>
              <Trans>{each.name}, as it is today</Trans>
            </option>
          ))}
        </TextIn>
        <TextIn form={form} name="label" label={t`For whom`} />
        <TextIn form={form} name="days" label={t`Days until it ends`} type="number" helperText={t`0 for never`} />
        <TextIn form={form} name="password" label={t`Password`} helperText={t`none without`} autoComplete="off" />
        <Sends text={t`Share`} busy={share.isPending} />
        {share.isError && <ErrorNote error={share.error} />}
      </form>
    </details>
  );
}
