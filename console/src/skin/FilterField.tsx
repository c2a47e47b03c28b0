/** The filter of a reading: typed in its language with help, or built from a form; faults are pointed at. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useEffect, useId, useRef, useState } from 'react';
import Popover from '@mui/material/Popover';
import type { Trouble } from '../mind/api';
import { useFrame } from '../mind/frame';
import { useSetsOf, useTried } from '../mind/asked';
import { count } from '../mind/words';
import { TESTS, added, completed, completions, painted, quoted } from '../mind/filter';

export function FilterField() {
  const { frame, change } = useFrame();
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const text = frame.where.filter ?? '';
  return (
    <>
      {text ? (
        <span className="tok">
          <button
            type="button"
            className="said"
            title={text}
            aria-haspopup="dialog"
            onClick={(e) => setAnchor(e.currentTarget)}
          >
            {text}
          </button>
          <button
            type="button"
            aria-label={t`Remove the filter`}
            onClick={() => change({ filter: undefined, offset: undefined })}
          >
            ×
          </button>
        </span>
      ) : (
        <button type="button" className="plain" aria-haspopup="dialog" onClick={(e) => setAnchor(e.currentTarget)}>
          <Trans>Filter…</Trans>
        </button>
      )}
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'left' }}
      >
        {anchor && (
          <FilterForm
            start={text}
            done={(next) => {
              change({ filter: next, offset: undefined });
              setAnchor(null);
            }}
          />
        )}
      </Popover>
    </>
  );
}

function FilterForm({ start, done }: { start: string; done: (text: string) => void }) {
  const { site } = useFrame();
  const known = useSetsOf(site);
  const [text, setText] = useState(start);
  const id = useId();
  const field = useRef<HTMLTextAreaElement>(null);
  useEffect(() => field.current?.focus(), []);
  const names = (known.data ?? []).map((each) => each.name);
  const { fault } = useTried(site, text);
  return (
    <form
      className="filterform"
      aria-label={t`Filter`}
      onSubmit={(e) => {
        e.preventDefault();
        if (!fault) done(text.trim());
      }}
    >
      <label htmlFor={id} className="small">
        <Trans>Only rows that pass</Trans>
      </label>
      <div className="painted">
        <pre aria-hidden="true">
          {painted(text).map(([paint, piece], n) => (
            <span key={n} className={`p-${paint}`}>
              {piece}
            </span>
          ))}
          {'\n'}
        </pre>
        <textarea
          id={id}
          rows={2}
          value={text}
          ref={field}
          spellCheck={false}
          maxLength={4000}
          aria-invalid={fault !== null}
          aria-describedby={`${id}-said`}
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === 'Enter') {
              e.preventDefault();
              e.currentTarget.form?.requestSubmit();
            }
          }}
          placeholder={'query has "timetable" and not brand'}
        />
      </div>
      <div role="group" aria-label={t`What may come next`} className="offers">
        {completions(text, names).map((word) => (
          <button key={word} type="button" className="plain" onClick={() => setText(completed(text, word))}>
            {word}
          </button>
        ))}
      </div>
      <div id={`${id}-said`} aria-live="polite">
        {fault ? <Fault fault={fault} text={text} /> : <Finds site={site} text={text} />}
      </div>
      <Builder text={text} setText={setText} names={names} />
      <div style={{ display: 'flex', gap: 12 }}>
        <button type="submit" className="plain" disabled={fault !== null}>
          <Trans>Read with it</Trans>
        </button>
        <button type="button" className="plain" onClick={() => done('')}>
          <Trans>No filter</Trans>
        </button>
      </div>
    </form>
  );
}

function Fault({ fault, text }: { fault: Trouble; text: string }) {
  const place = /columns? (\d+)(?: to (\d+))?/.exec(fault.where);
  const first = Number(place?.[1] ?? 1);
  const last = Number(place?.[2] ?? first);
  return (
    <div role="alert">
      {place && (
        <pre className="carets">{`${text.replaceAll('\n', ' ')}\n${' '.repeat(first - 1)}${'^'.repeat(last - first + 1)}`}</pre>
      )}
      <p className="worse small">{fault.message}</p>
      {fault.remedy && <p className="small">{fault.remedy}</p>}
    </div>
  );
}

function Finds({ site, text }: { site: string; text: string }) {
  const { found } = useTried(site, text);
  if (!text.trim())
    return (
      <p className="small">
        <Trans>Without a filter every row counts.</Trans>
      </p>
    );
  if (!found)
    return (
      <p className="small">
        <Trans>It looks at more than one thing; the reading tells what it finds.</Trans>
      </p>
    );
  return (
    <p className="small">
      {found.item === 'query'
        ? t`Finds ${count(found.matching)} of ${count(found.known)} queries this site was ever shown for`
        : t`Finds ${count(found.matching)} of ${count(found.known)} pages this site was ever shown for`}
      {found.samples.length ? `: ${found.samples.slice(0, 4).join(', ')}${found.matching > 4 ? ' …' : ''}` : '.'}
    </p>
  );
}

function Builder({
  text,
  setText,
  names,
}: {
  text: string;
  setText: (text: string) => void;
  names: readonly string[];
}) {
  const [field, setField] = useState('query');
  const [test, setTest] = useState('has');
  const [value, setValue] = useState('');
  const tests = TESTS[field] ?? [];
  const pick = (next: string) => {
    setField(next);
    setTest(TESTS[next]?.[0] ?? '');
  };
  const written = tests.length
    ? value.trim() && `${field} ${test} ${quoted(field, value)}`
    : field === 'set'
      ? value && `set ${quoted('query', value)}`
      : field;
  return (
    <fieldset className="builder">
      <legend className="small">
        <Trans>Or put one together</Trans>
      </legend>
      <select aria-label={t`Field`} value={field} onChange={(e) => pick(e.target.value)}>
        {[...Object.keys(TESTS), 'set'].map((name) => (
          <option key={name}>{name}</option>
        ))}
      </select>
      {tests.length > 0 && (
        <select aria-label={t`Test`} value={test} onChange={(e) => setTest(e.target.value)}>
          {tests.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      )}
      {field === 'set' ? (
        <select aria-label={t`Which set`} value={value} onChange={(e) => setValue(e.target.value)}>
          <option value="">
            <Trans>which?</Trans>
          </option>
          {names.map((name) => (
            <option key={name}>{name}</option>
          ))}
        </select>
      ) : (
        tests.length > 0 && (
          <input
            type="search"
            aria-label={t`Value`}
            value={value}
            onChange={(e) => setValue(e.target.value)}
            size={16}
          />
        )
      )}
      {(['and', 'and not', 'or'] as const).map((join) => (
        <button
          key={join}
          type="button"
          className="plain"
          disabled={!written}
          onClick={() => {
            if (written) {
              setText(added(text, join, written));
              setValue('');
            }
          }}
        >
          {text.trim() ? join : join === 'and' ? t`add` : join === 'and not' ? t`add not` : ''}
        </button>
      ))}
    </fieldset>
  );
}
