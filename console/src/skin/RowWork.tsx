/** Putting rows of any view on the worklist: x marks the row in focus, w puts what is marked, or it, on the list. */
import { plural, t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useEffect, useMemo, useState } from 'react';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import MenuItem from '@mui/material/MenuItem';
import { Link } from 'react-router';
import { useTaking } from '../mind/doing';
import { useKeys } from '../mind/keys';
import { named } from '../mind/named';
import {
  KINDS,
  clearMarks,
  focusedThing,
  toggleMark,
  useMarks,
  usePutting,
  type Kind,
  type Thing,
} from '../mind/worklist';
import { DialogForm, Sends, TextIn, useFields } from './form';
import { ErrorNote } from './states';

interface Asked {
  things: readonly Thing[];
  why: string;
}

/** The bar of what is marked, and the form that puts it on the list. */
export function RowWork({ site, email }: { site: string; email: string }) {
  const marks = useMarks();
  const [asked, ask] = useState<Asked>();
  const [said, say] = useState({ text: '', of: '' });
  const track = useTaking(site, clearMarks);
  useEffect(() => clearMarks, []);
  const queries = marks.filter((each) => each.of === 'query').map((each) => each.key);
  const actions = useMemo(
    () => ({
      x: () => {
        const thing = focusedThing();
        if (thing) toggleMark({ of: thing.of, key: thing.key });
      },
      w: () => {
        const thing = focusedThing();
        if (marks.length) ask({ things: marks, why: '' });
        else if (thing) ask({ things: [{ of: thing.of, key: thing.key }], why: thing.why });
        else ask({ things: [], why: '' });
      },
      t: () => {
        const thing = focusedThing();
        const terms = queries.length ? queries : thing?.of === 'query' ? [thing.key] : [];
        if (terms.length)
          track.mutate(
            { terms },
            {
              onSuccess: (found) => {
                const now = plural(found.adding, {
                  one: '# keyword is tracked now.',
                  other: '# keywords are tracked now.',
                });
                const before = found.repeats ? ` ${t`Tracked before: ${found.repeats}.`}` : '';
                say({ text: now + before, of: 'keywords' });
              },
            },
          );
      },
      Escape: () => {
        clearMarks();
        say({ text: '', of: '' });
      },
    }),
    [marks, queries, track],
  );
  useKeys(actions);
  return (
    <>
      {(marks.length > 0 || said.text || track.isError) && (
        <div className="marked" role="status">
          {track.isError && <ErrorNote error={track.error} />}
          {said.text && (
            <span>
              {said.text}{' '}
              {said.of === 'keywords' ? (
                <Link to={`/sites/${site.replaceAll('/', '~')}/keywords`}>{t`Keywords`}</Link>
              ) : (
                <Link to="/work">{t`Worklist`}</Link>
              )}
            </span>
          )}
          {marks.length > 0 && (
            <>
              <span>{plural(marks.length, { one: '# row marked', other: '# rows marked' })}</span>
              <button type="button" className="plain" onClick={actions.w}>
                <Trans>
                  Put on the worklist <kbd>w</kbd>
                </Trans>
              </button>
              {queries.length > 0 && (
                <button type="button" className="plain" disabled={track.isPending} onClick={actions.t}>
                  <Trans>
                    Track as keywords <kbd>t</kbd>
                  </Trans>
                </button>
              )}
            </>
          )}
          <button type="button" className="plain" onClick={actions.Escape}>
            <Trans>Clear</Trans>
          </button>
        </div>
      )}
      <Dialog open={asked !== undefined} onClose={() => ask(undefined)} aria-labelledby="put-title" disableAutoFocus>
        {asked && (
          <PutForm
            site={site}
            email={email}
            asked={asked}
            close={(text) => {
              ask(undefined);
              clearMarks();
              say({ text, of: 'work' });
            }}
          />
        )}
      </Dialog>
    </>
  );
}

interface FormProps {
  site: string;
  email: string;
  asked: Asked;
  close: (text: string) => void;
}

function PutForm({ site, email, asked, close }: FormProps) {
  const put = usePutting();
  const form = useFields({ todo: '', kind: 'other' as Kind, why: asked.why, owner: email, due: '' }, put.error);
  const { setFocus } = form;
  useEffect(() => setFocus('todo'), [setFocus]);
  const about = asked.things.length === 1 ? asked.things[0]!.key : '';
  return (
    <DialogForm
      id="put-title"
      title={t`Put on the worklist`}
      width={460}
      error={put.error}
      submit={form.handleSubmit(({ owner, due, ...rest }) =>
        put.mutate(
          { site, things: asked.things, ...rest, owner: owner || null, due: due || null },
          { onSuccess: (found) => close(outcome(found)) },
        ),
      )}
      buttons={
        <>
          <Button onClick={() => close('')}>
            <Trans>Cancel</Trans>
          </Button>
          <Sends text={t`Put on the list`} busy={put.isPending} />
        </>
      }
    >
      <p className="small">
        {about ||
          (asked.things.length
            ? plural(asked.things.length, { one: '# row of this view', other: '# rows of this view' })
            : t`About the site as a whole: ${site}`)}
      </p>
      <TextIn form={form} name="todo" label={t`What to do`} required />
      <TextIn form={form} name="kind" select label={t`Kind of work`}>
        {KINDS.map((each) => (
          <MenuItem key={each} value={each}>
            {named(each)}
          </MenuItem>
        ))}
      </TextIn>
      <TextIn form={form} name="why" label={t`Why`} multiline minRows={2} />
      <TextIn form={form} name="owner" label={t`Who does it`} placeholder={t`name@agency.example`} />
      <TextIn form={form} name="due" type="date" label={t`Due`} slotProps={{ inputLabel: { shrink: true } }} />
    </DialogForm>
  );
}

function outcome({ added, repeated }: { added: number; repeated: readonly string[] }): string {
  const put = plural(added, { one: '# item put on the worklist.', other: '# items put on the worklist.' });
  return repeated.length ? `${put} ${t`On it already: ${repeated.join(', ')}.`}` : put;
}
