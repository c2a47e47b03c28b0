/** Every report where it stands, what wants somebody first; read and signed off one after the other, by keyboard. */
import { plural, t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useEffect, useMemo, useRef, useState } from 'react';
import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { Link, useSearchParams } from 'react-router';
import type { DueLine } from '../mind/api';
import { useKeys } from '../mind/keys';
import {
  due,
  edition,
  pageOf,
  useApproveAndSend,
  useLookingAt,
  useMakingAnyway,
  useMakingDue,
  useSending,
  useSkipping,
} from '../mind/reports';
import { count, shortDay, when } from '../mind/words';
import { Answer, Empty, ErrorNote, Section } from '../skin/states';

const GROUPS: ReadonlyArray<readonly [DueLine['state'], string]> = [
  ['failed', t`Could not be made`],
  ['trouble', t`Did not reach everybody`],
  ['to approve', t`To be signed off`],
  ['to send', t`Signed, not sent`],
  ['due', t`Due now`],
  ['waiting', t`Waiting for days`],
  ['sending', t`On their way`],
  ['sent', t`Sent`],
  ['coming', t`Next`],
];

export default function Due() {
  const found = useQuery(due);
  const making = useMakingDue();
  const ready = found.data?.some((each) => each.state === 'due') ?? false;
  return (
    <main className="page">
      <div className="head">
        <h1>{title(found.data ?? [])}</h1>
        <span className="r small">
          {ready && (
            <Button
              variant="outlined"
              size="small"
              disabled={making.isPending}
              onClick={() => making.mutate(undefined)}
            >
              <Trans>Make all that is due</Trans>
            </Button>
          )}
        </span>
      </div>
      {making.isError && <ErrorNote error={making.error} />}
      <Answer of={found} height={400}>
        {(lines) =>
          lines.length ? (
            <Lines lines={lines} />
          ) : (
            <Empty why={t`Nothing is due. A report falls due once it has a schedule: give it one under Reports.`} />
          )
        }
      </Answer>
    </main>
  );
}

function title(lines: readonly DueLine[]): string {
  const many = (state: DueLine['state']) => lines.filter((each) => each.state === state).length;
  const wanting = many('to approve');
  const troubles = many('failed') + many('trouble');
  const said = [
    wanting
      ? plural(wanting, { one: '# report waits to be signed off', other: '# reports wait to be signed off' })
      : '',
    troubles ? plural(troubles, { one: '# wants a look', other: '# want a look' }) : '',
  ].filter(Boolean);
  return said.length ? `${said.join(', ')}.` : t`No report waits for anybody.`;
}

function Lines({ lines }: { lines: readonly DueLine[] }) {
  const [search, setSearch] = useSearchParams();
  const editions = useMemo(() => lines.filter((each) => each.edition !== null), [lines]);
  const asked = Number(search.get('edition'));
  const chosen = editions.find((each) => each.edition === asked) ?? editions[0];
  const choose = (line: DueLine | undefined) =>
    line &&
    setSearch((now) => {
      now.set('edition', String(line.edition));
      return now;
    });
  const at = chosen ? editions.indexOf(chosen) : -1;
  const go = (steps: number) => choose(editions[at + steps]);
  const acting = useRef<() => void>(() => undefined);
  useKeys({ j: () => go(1), k: () => go(-1), s: () => acting.current() });
  return (
    <div className="cols side due">
      <Chosen
        key={chosen?.edition ?? 'none'}
        line={chosen}
        acts={(act) => {
          acting.current = act;
        }}
        done={() => go(chosen?.state === 'to approve' ? 1 : 0)}
      />
      <div className="stack">
        {GROUPS.map(([state, name]) => {
          const some = lines.filter((each) => each.state === state);
          return (
            some.length > 0 && (
              <Section key={state} title={name} about={count(some.length)} label={name}>
                <ul className="plainlist">
                  {some.map((each) => (
                    <Line
                      key={`${each.report}${each.slot}${each.edition}`}
                      of={each}
                      open={each === chosen}
                      choose={() => choose(each)}
                    />
                  ))}
                </ul>
              </Section>
            )
          );
        })}
        <p className="small">
          <Trans>
            <kbd>j</kbd> <kbd>k</kbd> next and previous · <kbd>s</kbd> sign off and send
          </Trans>
        </p>
      </div>
    </div>
  );
}

function Line({ of, open, choose }: { of: DueLine; open: boolean; choose: () => void }) {
  const anyway = useMakingAnyway();
  const skipping = useSkipping();
  return (
    <li className={open ? 'open' : undefined}>
      {of.edition !== null ? (
        <button type="button" className="plain" aria-pressed={open} onClick={choose}>
          <b>{of.site}</b> {of.name}
        </button>
      ) : (
        <Link to={`/sites/${of.site.replaceAll('/', '~')}/reports`}>
          <b>{of.site}</b> {of.name}
        </Link>
      )}
      <div className="small">
        {of.first && of.last ? t`${shortDay(of.first)} to ${shortDay(of.last)}` : of.due_at ? when(of.due_at) : ''}
        {of.to > 0 &&
          (of.state === 'to approve' || of.edition === null
            ? t` · to ${count(of.to)}`
            : t` · reached ${count(of.reached)} of ${count(of.to)}`)}
        {of.state === 'to approve' && of.looked_by && t` · looked at by ${of.looked_by}`}
        {of.why && <span className={of.state === 'failed' || of.state === 'trouble' ? 'worse' : 'mut'}> {of.why}</span>}
      </div>
      {of.slot !== null && of.state !== 'due' && (
        <div className="small">
          <button
            type="button"
            className="plain small"
            disabled={anyway.isPending}
            onClick={() => of.slot !== null && anyway.mutate(of.slot)}
          >
            {of.state === 'failed' ? t`Try again` : t`Make it with the days there are`}
          </button>{' '}
          <button
            type="button"
            className="plain small"
            disabled={skipping.isPending}
            onClick={() => of.slot !== null && skipping.mutate(of.slot)}
          >
            <Trans>Skip it</Trans>
          </button>
        </div>
      )}
      {anyway.isError && <ErrorNote error={anyway.error} />}
      {skipping.isError && <ErrorNote error={skipping.error} />}
    </li>
  );
}

/** The edition as it is printed, its summary beside it, and the one thing to do. */
function Chosen({
  line,
  acts,
  done,
}: {
  line: DueLine | undefined;
  acts: (act: () => void) => void;
  done: () => void;
}) {
  const [number] = useState(line?.edition ?? 0);
  const found = useQuery(edition(number));
  const looking = useLookingAt();
  const signing = useApproveAndSend(done);
  const sending = useSending();
  const seen = found.data;
  const { mutate: lookAt } = looking;
  useEffect(() => {
    if (seen?.state === 'draft' && !seen.looked_at) lookAt(seen.id);
  }, [seen, lookAt]);
  const busy = signing.isPending || sending.isPending;
  const act = () => {
    if (!line || busy) return;
    if (line.state === 'to approve') signing.mutate({ number, send: line.to > 0 });
    else if (line.state === 'to send' || line.state === 'trouble') sending.mutate(number);
  };
  useEffect(() => {
    acts(act);
  });
  if (!line) return <Empty why={t`No edition is there to look at; what is due below is made by itself.`} />;
  const refused = [signing, sending].find((each) => each.isError)?.error;
  return (
    <Section
      title={`${line.site}: ${line.name}`}
      about={line.first && line.last ? t`${shortDay(line.first)} to ${shortDay(line.last)}` : ''}
      label={t`The edition`}
    >
      {!line.complete && (
        <p className="small worse">
          <Trans>Days of its window were missing when it was made.</Trans>
        </p>
      )}
      <div className="acts">
        {line.state === 'to approve' && (
          <Button variant="contained" disabled={busy} onClick={act}>
            {line.to ? t`Sign off and send` : t`Sign off`}
          </Button>
        )}
        {line.state === 'to send' && (
          <Button variant="contained" disabled={busy} onClick={act}>
            <Trans>Send</Trans>
          </Button>
        )}
        {line.state === 'trouble' && (
          <Button variant="outlined" disabled={busy} onClick={act}>
            <Trans>Try those again</Trans>
          </Button>
        )}
        <Link to={`/sites/${line.site.replaceAll('/', '~')}/reports?edition=${number}`}>
          <Trans>Write its summary, files, mails</Trans>
        </Link>
      </div>
      {refused && <ErrorNote error={refused} />}
      {seen && (
        <iframe
          title={t`${line.name} of ${line.site}, as it is printed`}
          key={seen.summary.join('')}
          sandbox=""
          src={pageOf(number)}
          className="sheet"
        />
      )}
    </Section>
  );
}
