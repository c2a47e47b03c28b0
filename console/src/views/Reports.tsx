/** Reports of a site: made from a template, drafted, written, signed off; and every edition that was. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useState } from 'react';
import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { Link } from 'react-router';
import { named } from '../mind/named';
import type { EditionOut, ReportOut } from '../mind/api';
import { useFrame } from '../mind/frame';
import {
  editions,
  lookedOver,
  reports,
  templates,
  useDrafting,
  useDroppingReport,
  useMakingReport,
} from '../mind/reports';
import { count, shortDay } from '../mind/words';
import { Blocks, Edition } from '../skin/Edition';
import { SendingOf } from '../skin/Sending';
import { Shares } from '../skin/Shares';
import { SiteBar } from '../skin/WindowBar';
import { Answer, Empty, ErrorNote, Section } from '../skin/states';

export default function Reports() {
  const { site, search, change } = useFrame();
  const made = useQuery(reports(site));
  const kept = useQuery(editions(site));
  const chosen = Number(search.get('edition')) || undefined;
  const open = kept.data?.find((each) => each.id === chosen) ?? kept.data?.[0];
  const show = (number: number | undefined) => change({ edition: number === undefined ? undefined : String(number) });
  return (
    <>
      <SiteBar />
      <main className="page">
        <div className="head">
          <h1>
            <Trans>Reports</Trans>
          </h1>
          <span className="small">
            <Trans>from template to signed edition</Trans>
          </span>
        </div>
        <div className="cols side">
          <div className="stack">
            {open ? (
              <Edition key={`${open.id} ${open.state}`} of={open} gone={() => show(undefined)} />
            ) : (
              kept.data && (
                <Empty why={t`No edition yet. Make a report at the right, then draft it: every figure is frozen.`} />
              )
            )}
            {kept.isError && <ErrorNote error={kept.error} />}
          </div>
          <div className="stack">
            <Section title={t`Reports of this site`} label={t`Reports of this site`}>
              <Answer of={made} height={90}>
                {(all) =>
                  all.length ? (
                    <ul className="plainlist">
                      {all.map((each) => (
                        <Report key={each.id} of={each} drafted={(edition) => show(edition.id)} />
                      ))}
                    </ul>
                  ) : (
                    <p className="small">
                      <Trans>None yet.</Trans>
                    </p>
                  )
                }
              </Answer>
            </Section>
            <Make site={site} />
            <Shares
              site={site}
              reports={made.data ?? []}
              edition={open && open.state !== 'draft' ? open.id : undefined}
            />
            {(kept.data?.length ?? 0) > 0 && (
              <Section title={t`Editions`} about={t`${count(kept.data?.length ?? 0)} kept`} label={t`Editions`}>
                <ul className="plainlist">
                  {kept.data?.map((each) => (
                    <li key={each.id}>
                      <button
                        type="button"
                        className="plain"
                        aria-pressed={each.id === open?.id}
                        onClick={() => show(each.id)}
                      >
                        <Trans>
                          {each.name}, {shortDay(each.first)} to {shortDay(each.last)}
                        </Trans>
                      </button>{' '}
                      <span className="small">{stateOf(each)}</span>
                    </li>
                  ))}
                </ul>
              </Section>
            )}
          </div>
        </div>
      </main>
    </>
  );
}

const stateOf = (of: EditionOut) =>
  of.state === 'draft'
    ? named('draft')
    : of.state === 'sent'
      ? t`sent to ${count(of.reached)} of ${count(of.to)}`
      : t`signed by ${named(of.approved_by ?? '')}`;

function Report({ of, drafted }: { of: ReportOut; drafted: (edition: EditionOut) => void }) {
  const drafting = useDrafting(drafted);
  const dropping = useDroppingReport();
  return (
    <li>
      <b>{of.name}</b>{' '}
      <span className="small">
        <Trans>
          {of.template}, version {of.version}
        </Trans>
        {of.changed && t`, changed`}
        {of.newer && t` · version ${of.newer} is out`}
      </span>
      <div style={{ display: 'flex', gap: 10 }}>
        <Button size="small" variant="outlined" disabled={drafting.isPending} onClick={() => drafting.mutate(of.id)}>
          {drafting.isPending ? t`Drafting…` : t`Draft an edition`}
        </Button>
        <Link className="small" to={`/sites/${of.site.replaceAll('/', '~')}/reports/${of.id}/edit`}>
          <Trans>Edit its blocks</Trans>
        </Link>
        <button
          type="button"
          className="plain small"
          disabled={dropping.isPending}
          aria-label={t`Drop ${of.name} with its editions`}
          onClick={() => window.confirm(t`Drop ${of.name} with all its editions?`) && dropping.mutate(of.id)}
        >
          <Trans>Drop</Trans>
        </button>
      </div>
      <SendingOf key={of.tag} of={of} />
      {drafting.isError && <ErrorNote error={drafting.error} />}
      {dropping.isError && <ErrorNote error={dropping.error} />}
    </li>
  );
}

/** One sees at once which blocks come in and which stay out, before anything is made. */
function Make({ site }: { site: string }) {
  const known = useQuery(templates);
  const [template, choose] = useState('');
  const [name, call] = useState('');
  const look = useQuery(lookedOver(site, template));
  const making = useMakingReport(site, () => {
    choose('');
    call('');
  });
  return (
    <Section title={t`Make a report`} about={t`of a template`} label={t`Make a report`}>
      <label className="small">
        <Trans>template</Trans>{' '}
        <select className="inline" value={template} onChange={(e) => choose(e.target.value)}>
          <option value="">
            <Trans>choose one</Trans>
          </option>
          {(known.data ?? []).map((each) => (
            <option key={each.id}>{each.name}</option>
          ))}
        </select>
      </label>
      {template && (
        <Answer of={look} height={160}>
          {(found) => (
            <>
              <p className="small">
                <Trans>
                  Today: {shortDay(found.first)} to {shortDay(found.last)}
                </Trans>
                {!found.complete && t`, not complete yet`}. {found.title}.
              </p>
              <Blocks of={found.blocks} />
              <form
                style={{ display: 'flex', gap: 8, marginTop: 8 }}
                onSubmit={(e) => {
                  e.preventDefault();
                  making.mutate({ template, name: name.trim() || template });
                }}
              >
                <input
                  aria-label={t`Its name`}
                  placeholder={template}
                  value={name}
                  maxLength={120}
                  onChange={(e) => call(e.target.value)}
                />
                <Button type="submit" variant="contained" disabled={making.isPending}>
                  <Trans>Make it</Trans>
                </Button>
              </form>
            </>
          )}
        </Answer>
      )}
      {making.isError && <ErrorNote error={making.error} />}
    </Section>
  );
}
