/** What a reading says of itself; each figure in it opens what it is and how it is computed. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useState } from 'react';
import Popover from '@mui/material/Popover';
import type { Backed, Sentence } from '../mind/api';
import { explained, useReadings } from '../mind/catalogue';
import { localeOf, spoken } from '../mind/language';

export function Said({
  sentences,
  className = 'lead',
}: {
  sentences: readonly Sentence[] | undefined;
  className?: string;
}) {
  const [open, setOpen] = useState<{ at: HTMLElement; figure: Backed }>();
  return (
    <p className={className} lang={spoken()}>
      {(sentences ?? []).map((sentence) => (
        <span key={sentence.text}>
          {bound(pieces(sentence)).map((piece, n) =>
            typeof piece === 'string' ? (
              piece
            ) : (
              <span key={n} style={piece.figure.text.length < 20 ? { whiteSpace: 'nowrap' } : undefined}>
                {piece.before}
                {isName(piece.figure) ? (
                  <b>{piece.figure.text}</b>
                ) : (
                  <button
                    type="button"
                    className="figure"
                    aria-haspopup="dialog"
                    onClick={(e) => setOpen({ at: e.currentTarget, figure: piece.figure })}
                  >
                    {piece.figure.text}
                  </button>
                )}
                {piece.after}
              </span>
            ),
          )}{' '}
        </span>
      ))}
      <Popover
        open={open !== undefined}
        anchorEl={open?.at ?? null}
        onClose={() => setOpen(undefined)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
      >
        {open && <Explained figure={open.figure} />}
      </Popover>
    </p>
  );
}

/** A name, or a word that is said in another language; days and figures are written with digits. */
const isName = ({ text, value }: Backed) => text === value || (typeof value === 'string' && !/\d/.test(value));

function Explained({ figure }: { figure: Backed }) {
  const readings = useReadings();
  return (
    <div role="dialog" aria-label={t`How this figure is computed`} className="computed">
      <p>
        <b>{typeof figure.value === 'number' ? exact(figure.value) : figure.value}</b>
      </p>
      <p>{explained(readings, figure.field) ?? t`As it stands in the reading.`}</p>
      <p className="small mut">
        <Trans>
          <code>{figure.field}</code> of this reading’s JSON
        </Trans>
      </p>
    </div>
  );
}

interface Bound {
  before: string;
  figure: Backed;
  after: string;
}

/** Binds brackets and stops to the figure they stand at, so that no line breaks between them. */
export function bound(parts: ReadonlyArray<string | Backed>): Array<string | Bound> {
  const opens = (part: string | Backed | undefined) => (typeof part === 'string' ? (/\($/.exec(part)?.[0] ?? '') : '');
  const closes = (part: string | Backed | undefined) =>
    typeof part === 'string' ? (/^[).,:;]+/.exec(part)?.[0] ?? '') : '';
  return parts.flatMap((part, at): Array<string | Bound> => {
    if (typeof part !== 'string') return [{ before: opens(parts[at - 1]), figure: part, after: closes(parts[at + 1]) }];
    const from = at > 0 ? closes(part).length : 0;
    const rest = part.slice(from, at + 1 < parts.length ? part.length - opens(part).length : part.length);
    return rest ? [rest] : [];
  });
}

const exact = (value: number) => new Intl.NumberFormat(localeOf(spoken()), { maximumFractionDigits: 6 }).format(value);

/** Cuts a sentence at the figures in it; a figure that is not found again stays text. */
export function pieces(sentence: Sentence): Array<string | Backed> {
  const found: Array<string | Backed> = [];
  let rest = sentence.text;
  const waiting = [...sentence.figures];
  while (waiting.length) {
    const places = waiting
      .map((figure) => ({ figure, at: figure.text ? rest.indexOf(figure.text) : -1 }))
      .filter((place) => place.at >= 0);
    const next = places.sort((a, b) => a.at - b.at || b.figure.text.length - a.figure.text.length)[0];
    if (!next) break;
    if (next.at > 0) found.push(rest.slice(0, next.at));
    found.push(next.figure);
    rest = rest.slice(next.at + next.figure.text.length);
    waiting.splice(waiting.indexOf(next.figure), 1);
  }
  return rest ? [...found, rest] : found;
}
