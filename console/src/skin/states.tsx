/** Sections and the states each can be in: first load, reading again, error, empty. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { Component, type ReactNode } from 'react';
import type { UseQueryResult } from '@tanstack/react-query';
import { Trouble } from '../mind/api';

export function Section({
  title,
  about,
  right,
  children,
  stale = false,
  label,
}: {
  title: ReactNode;
  about?: ReactNode;
  right?: ReactNode;
  children: ReactNode;
  stale?: boolean;
  label?: string;
}) {
  return (
    <section className="sec" aria-label={label}>
      <header>
        <h2>{title}</h2>
        {about && <span className="small">{about}</span>}
        <span className="r small" role="status">
          {stale ? t`Reading…` : right}
        </span>
      </header>
      <div className={stale ? 'stale' : undefined}>{children}</div>
    </section>
  );
}

/** What is no failure but a state: nothing to show, and why. */
const QUIET = [
  'nothing-held',
  'no-source',
  'no-searches',
  'no-history',
  'never-seen',
  'no-looks',
  'grain-not-held',
  'look-with-others',
  'window-not-full',
  'nothing-compared',
];

export function ErrorNote({ error, again }: { error: unknown; again?: () => void }) {
  const trouble =
    error instanceof Trouble ? error : new Trouble('surprise', t`Something went wrong in this page.`, String(error), 0);
  const empty = QUIET.includes(trouble.code);
  return (
    <div className={`note ${empty ? '' : 'error'}`} role={empty ? 'status' : 'alert'}>
      <p>{trouble.message}</p>
      {trouble.remedy && <p>{sentence(trouble.remedy)}</p>}
      {!empty && again && (
        <p>
          <button type="button" className="plain" onClick={again}>
            <Trans>Try again</Trans>
          </button>
        </p>
      )}
    </div>
  );
}

function sentence(text: string): string {
  return `${text.charAt(0).toUpperCase()}${text.slice(1)}${/[.!?]$/.test(text) ? '' : '.'}`;
}

/** Keeps what breaks while it is drawn to its own place: the rest of the console stays, and says what happened. */
export class Guard extends Component<{ at: string; children: ReactNode }, { at: string; error: unknown }> {
  override state: { at: string; error: unknown } = { at: this.props.at, error: undefined };

  static getDerivedStateFromError(error: unknown) {
    return { error };
  }

  static getDerivedStateFromProps({ at }: { at: string }, state: { at: string }) {
    return at === state.at ? null : { at, error: undefined };
  }

  override render() {
    if (this.state.error === undefined) return this.props.children;
    return (
      <main className="page">
        <ErrorNote error={this.state.error} again={() => this.setState({ error: undefined })} />
      </main>
    );
  }
}

export function Empty({ why, children }: { why: string; children?: ReactNode }) {
  return (
    <div className="note" role="status">
      <p>{why}</p>
      {children && <p>{children}</p>}
    </div>
  );
}

/** Shows a question's answer, or hairlines at the right height while it is first read, or what went wrong. */
export function Answer<T>({
  of,
  height = 240,
  children,
}: {
  of: UseQueryResult<T>;
  height?: number;
  children: (data: T) => ReactNode;
}) {
  if (of.data !== undefined) return <>{children(of.data)}</>;
  if (of.isError) return <ErrorNote error={of.error} again={() => void of.refetch()} />;
  return <Waiting height={height} />;
}

/** What stands where an answer, or a part of the console, is still on its way. */
export function Waiting({ height = 240 }: { height?: number }) {
  return (
    <div className="waitrows" aria-busy="true" style={{ '--h': `${height}px` } as React.CSSProperties}>
      <span className="vh">
        <Trans>Reading…</Trans>
      </span>
    </div>
  );
}
