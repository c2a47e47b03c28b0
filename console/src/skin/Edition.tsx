/** An edition of a report: its summary written, signed off, its files, its mails, and how it will be printed. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useState } from 'react';
import Button from '@mui/material/Button';
import { named } from '../mind/named';
import type { BlockLook, EditionOut } from '../mind/api';
import { fileOf, pageOf, useApproving, useDroppingEdition, useRevisedSince, useWriting } from '../mind/reports';
import { count, shortDay, when } from '../mind/words';
import { Mails } from './Sending';
import { Answer, ErrorNote, Section } from './states';

export function Blocks({ of }: { of: readonly BlockLook[] }) {
  return (
    <ul className="plainlist" aria-label={t`Its blocks`}>
      {of
        .filter((each) => each.title)
        .map((each, n) => (
          <li key={n} className="small">
            <span className={each.comes_in ? 'better' : 'worse'} aria-hidden="true">
              {each.comes_in ? '●' : '○'}
            </span>{' '}
            {each.title}
            {each.why && <span className="mut">: {each.why}</span>}
            {!each.comes_in && (
              <span className="vh">
                {' '}
                <Trans>stays out</Trans>
              </span>
            )}
          </li>
        ))}
    </ul>
  );
}

export function Edition({ of, gone }: { of: EditionOut; gone: () => void }) {
  const [text, write] = useState(of.summary.join('\n'));
  const [asked, ask] = useState(false);
  const writing = useWriting();
  const approving = useApproving();
  const dropping = useDroppingEdition(gone);
  const revised = useRevisedSince(of.id, asked);
  const draft = of.state === 'draft';
  const out = of.blocks.filter((each) => !each.comes_in);
  const unsaved = draft && text.trim() !== of.summary.join('\n');
  const refused = [writing, approving, dropping].find((each) => each.isError)?.error;
  const lines = () => text.split('\n').filter((each) => each.trim());
  return (
    <Section
      title={of.name}
      about={t`${shortDay(of.first)} to ${shortDay(of.last)} · ${
        draft
          ? t`draft by ${named(of.made_by)}`
          : t`signed off by ${named(of.approved_by ?? '')} on ${when(of.approved_at ?? '')}`
      }`}
      label={t`The edition`}
    >
      {draft && (
        <>
          <label className="small" htmlFor="summary">
            <Trans>Summary, drafted from the figures; write it as it shall be</Trans>
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
              <Trans>Save the summary</Trans>
            </Button>
            <Button
              variant="contained"
              disabled={unsaved || approving.isPending}
              onClick={() => approving.mutate(of.id)}
            >
              <Trans>Sign it off</Trans>
            </Button>
            <button
              type="button"
              className="plain"
              disabled={dropping.isPending}
              onClick={() => dropping.mutate(of.id)}
            >
              <Trans>Throw the draft away</Trans>
            </button>
          </>
        )}
        {(['pdf', 'html', 'xlsx', 'zip'] as const).map((kind) => (
          <a key={kind} href={fileOf(of.id, kind)} download>
            {kind === 'zip' ? 'CSV' : kind.toUpperCase()}
          </a>
        ))}
        <button type="button" className="plain" onClick={() => ask(true)}>
          <Trans>What has been revised since?</Trans>
        </button>
      </div>
      {refused && <ErrorNote error={refused} />}
      {asked && (
        <Answer of={revised} height={40}>
          {(found) =>
            found.same ? (
              <p className="small">
                <Trans>Nothing it shows was revised since.</Trans>
              </p>
            ) : (
              <ul className="plainlist small" aria-label={t`Revised since`}>
                {found.changed.slice(0, 20).map((each, n) => (
                  <li key={n}>
                    {each.block || t`head`}: {each.what}: {each.then} → {each.now}
                  </li>
                ))}
                {found.changed.length > 20 && (
                  <li>
                    <Trans>and {count(found.changed.length - 20)} more</Trans>
                  </li>
                )}
              </ul>
            )
          }
        </Answer>
      )}
      <Mails of={of} />
      {out.length > 0 && (
        <details className="how">
          <summary className="small">
            <Trans>{count(out.length)} blocks stayed out</Trans>
          </summary>
          <Blocks of={out} />
        </details>
      )}
      <iframe
        title={t`${of.name}, as it is printed`}
        key={of.summary.join('')}
        sandbox=""
        src={pageOf(of.id)}
        style={{ width: '100%', height: 980, border: '1px solid var(--rule2)', background: '#fff' }}
      />
    </Section>
  );
}
