/** The filter of a reading: typed in its language with help, or built from a form; faults are pointed at. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import { useEffect, useId, useMemo, useRef, useState } from 'react';
import Popover from '@mui/material/Popover';
import type { Trouble } from '../mind/api';
import { useFrame } from '../mind/frame';
import { useSetsOf, useTried } from '../mind/asked';
import { count } from '../mind/words';
import type { Dataset } from '../mind/datasets';
import { added, completed, completions, painted, quoted, testsOf, type Tests } from '../mind/filter';

/** of: the dataset whose rows are narrowed; searches without. Only searches can be tried beforehand. */
export function FilterField({ of }: { of?: Dataset | undefined }) {
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
            of={of}
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

interface FormProps {
  of: Dataset | undefined;
  start: string;
  done: (text: string) => void;
}

function FilterForm({ of, start, done }: FormProps) {
  const { site } = useFrame();
  const known = useSetsOf(site);
  const [text, setText] = useState(start);
  const id = useId();
  const field = useRef<HTMLTextAreaElement>(null);
  useEffect(() => field.current?.focus(), []);
  const names = (known.data ?? []).map((each) => each.name);
  const tests = useMemo(() => testsOf(of), [of]);
  const { fault } = useTried(site, text, !of);
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
          {painted(text, tests).map(([paint, piece], n) => (
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
          placeholder={of ? `${of.measures[0]?.name} >= 10` : 'query has "timetable" and not brand'}
        />
      </div>
      <div role="group" aria-label={t`What may come next`} className="offers">
        {completions(text, names, tests).map((word) => (
          <button key={word} type="button" className="plain" onClick={() => setText(completed(text, word))}>
            {word}
          </button>
        ))}
      </div>
      <div id={`${id}-said`} aria-live="polite">
        {fault ? <Fault fault={fault} text={text} /> : <Finds site={site} text={text} tried={!of} />}
      </div>
      <Builder text={text} setText={setText} names={names} tests={tests} />
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

function Finds({ site, text, tried }: { site: string; text: string; tried: boolean }) {
  const { found } = useTried(site, text, tried);
  if (!text.trim())
    return (
      <p className="small">
        <Trans>Without a filter every row counts.</Trans>
      </p>
    );
  if (!tried)
    return (
      <p className="small">
        <Trans>The reading tells what it finds.</Trans>
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
  tests: all,
}: {
  text: string;
  setText: (text: string) => void;
  names: readonly string[];
  tests: Tests;
}) {
  const [field, setField] = useState(Object.keys(all)[0] ?? 'set');
  const tests = all[field] ?? [];
  const [test, setTest] = useState(tests[0] ?? '');
  const [value, setValue] = useState('');
  const pick = (next: string) => {
    setField(next);
    setTest(all[next]?.[0] ?? '');
  };
  const written = tests.length
    ? value.trim() && `${field} ${test} ${quoted(field, value, all)}`
    : field === 'set'
      ? value && `set ${quoted('query', value)}`
      : field;
  return (
    <fieldset className="builder">
      <legend className="small">
        <Trans>Or put one together</Trans>
      </legend>
      <select aria-label={t`Field`} value={field} onChange={(e) => pick(e.target.value)}>
        {[...Object.keys(all), 'set'].map((name) => (
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
