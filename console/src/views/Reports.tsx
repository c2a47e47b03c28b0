/** Reports of a site: made from a template, drafted, written, signed off; and every edition that was. */
import { useState } from 'react';
import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import type { BlockLook, EditionOut, ReportOut } from '../mind/api';
import { Link } from 'react-router';
import { useFrame } from '../mind/frame';
import {
  editions,
  fileOf,
  lookedOver,
  pageOf,
  reports,
  revisedSince,
  templates,
  useApproving,
  useDrafting,
  useDroppingEdition,
  useDroppingReport,
  useMakingReport,
  useWriting,
} from '../mind/reports';
import { count, shortDay, when } from '../mind/words';
import { Mails, SendingOf } from '../skin/Sending';
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
          <h1>Reports</h1>
          <span className="small">from template to signed edition</span>
        </div>
        <div className="cols side">
          <div className="stack">
            {open ? (
              <Edition key={`${open.id} ${open.state}`} of={open} gone={() => show(undefined)} />
            ) : (
              kept.data && (
                <Empty why="No edition yet. Make a report at the right, then draft it: every figure is frozen." />
              )
            )}
            {kept.isError && <ErrorNote error={kept.error} />}
          </div>
          <div className="stack">
            <Section title="Reports of this site" label="Reports of this site">
              <Answer of={made} height={90}>
                {(all) =>
                  all.length ? (
                    <ul className="plainlist">
                      {all.map((each) => (
                        <Report key={each.id} of={each} drafted={(edition) => show(edition.id)} />
                      ))}
                    </ul>
                  ) : (
                    <p className="small">None yet.</p>
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
              <Section title="Editions" about={`${count(kept.data?.length ?? 0)} kept`} label="Editions">
                <ul className="plainlist">
                  {kept.data?.map((each) => (
                    <li key={each.id}>
                      <button
                        type="button"
                        className="plain"
                        aria-pressed={each.id === open?.id}
                        onClick={() => show(each.id)}
                      >
                        {each.name}, {shortDay(each.first)} to {shortDay(each.last)}
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
    ? 'draft'
    : of.state === 'sent'
      ? `sent to ${count(of.reached)} of ${count(of.to)}`
      : `signed by ${of.approved_by}`;

function Report({ of, drafted }: { of: ReportOut; drafted: (edition: EditionOut) => void }) {
  const drafting = useDrafting(drafted);
  const dropping = useDroppingReport();
  return (
    <li>
      <b>{of.name}</b>{' '}
      <span className="small">
        {of.template}, version {of.version}
        {of.changed && ', changed'}
        {of.newer && ` · version ${of.newer} is out`}
      </span>
      <div style={{ display: 'flex', gap: 10 }}>
        <Button size="small" variant="outlined" disabled={drafting.isPending} onClick={() => drafting.mutate(of.id)}>
          {drafting.isPending ? 'Drafting…' : 'Draft an edition'}
        </Button>
        <Link className="small" to={`/sites/${of.site.replaceAll('/', '~')}/reports/${of.id}/edit`}>
          Edit its blocks
        </Link>
        <button
          type="button"
          className="plain small"
          disabled={dropping.isPending}
          aria-label={`Drop ${of.name} with its editions`}
          onClick={() => window.confirm(`Drop ${of.name} with all its editions?`) && dropping.mutate(of.id)}
        >
          Drop
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
    <Section title="Make a report" about="of a template" label="Make a report">
      <label className="small">
        template{' '}
        <select className="inline" value={template} onChange={(e) => choose(e.target.value)}>
          <option value="">choose one</option>
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
                Today: {shortDay(found.first)} to {shortDay(found.last)}
                {!found.complete && ', not complete yet'}. {found.title}.
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
                  aria-label="Its name"
                  placeholder={template}
                  value={name}
                  maxLength={120}
                  onChange={(e) => call(e.target.value)}
                />
                <Button type="submit" variant="contained" disabled={making.isPending}>
                  Make it
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

function Blocks({ of }: { of: readonly BlockLook[] }) {
  return (
    <ul className="plainlist" aria-label="Its blocks">
      {of
        .filter((each) => each.title)
        .map((each, n) => (
          <li key={n} className="small">
            <span className={each.comes_in ? 'better' : 'worse'} aria-hidden="true">
              {each.comes_in ? '●' : '○'}
            </span>{' '}
            {each.title}
            {each.why && <span className="mut">: {each.why}</span>}
            {!each.comes_in && <span className="vh"> stays out</span>}
          </li>
        ))}
    </ul>
  );
}

function Edition({ of, gone }: { of: EditionOut; gone: () => void }) {
  const [text, write] = useState(of.summary.join('\n'));
  const [asked, ask] = useState(false);
  const writing = useWriting();
  const approving = useApproving();
  const dropping = useDroppingEdition(gone);
  const revised = useQuery(revisedSince(of.id, asked));
  const draft = of.state === 'draft';
  const out = of.blocks.filter((each) => !each.comes_in);
  const unsaved = draft && text.trim() !== of.summary.join('\n');
  const refused = [writing, approving, dropping].find((each) => each.isError)?.error;
  const lines = () => text.split('\n').filter((each) => each.trim());
  return (
    <Section
      title={of.name}
      about={`${shortDay(of.first)} to ${shortDay(of.last)} · ${
        draft ? `draft by ${of.made_by}` : `signed off by ${of.approved_by} on ${when(of.approved_at ?? '')}`
      }`}
      label="The edition"
    >
      {draft && (
        <>
          <label className="small" htmlFor="summary">
            Summary, drafted from the figures; write it as it shall be
          </label>
          <textarea id="summary" rows={4} className="writing" value={text} onChange={(e) => write(e.target.value)} />
        </>
      )}
      <div style={{ display: 'flex', gap: 10, alignItems: 'center', flexWrap: 'wrap', margin: '6px 0' }}>
        {draft && (
          <>
            <Button
              variant="outlined"
              disabled={!unsaved || writing.isPending}
              onClick={() => writing.mutate({ number: of.id, summary: lines() })}
            >
              Save the summary
            </Button>
            <Button
              variant="contained"
              disabled={unsaved || approving.isPending}
              onClick={() => approving.mutate(of.id)}
            >
              Sign it off
            </Button>
            <button
              type="button"
              className="plain"
              disabled={dropping.isPending}
              onClick={() => dropping.mutate(of.id)}
            >
              Throw the draft away
            </button>
          </>
        )}
        {(['pdf', 'html', 'xlsx', 'zip'] as const).map((kind) => (
          <a key={kind} href={fileOf(of.id, kind)} download>
            {kind === 'zip' ? 'CSV' : kind.toUpperCase()}
          </a>
        ))}
        <button type="button" className="plain" onClick={() => ask(true)}>
          What has been revised since?
        </button>
      </div>
      {refused && <ErrorNote error={refused} />}
      {asked && (
        <Answer of={revised} height={40}>
          {(found) =>
            found.same ? (
              <p className="small">Nothing it shows was revised since.</p>
            ) : (
              <ul className="plainlist small" aria-label="Revised since">
                {found.changed.slice(0, 20).map((each, n) => (
                  <li key={n}>
                    {each.block || 'head'}: {each.what}: {each.then} → {each.now}
                  </li>
                ))}
                {found.changed.length > 20 && <li>and {count(found.changed.length - 20)} more</li>}
              </ul>
            )
          }
        </Answer>
      )}
      <Mails of={of} />
      {out.length > 0 && (
        <details className="how">
          <summary className="small">{count(out.length)} blocks stayed out</summary>
          <Blocks of={out} />
        </details>
      )}
      <iframe
        title={`${of.name}, as it is printed`}
        key={of.summary.join('')}
        sandbox=""
        src={pageOf(of.id)}
        style={{ width: '100%', height: 980, border: '1px solid var(--rule2)', background: '#fff' }}
      />
    </Section>
  );
}
