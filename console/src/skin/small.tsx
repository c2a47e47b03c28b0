/** Small pieces that carry meaning: direction, bands, held cells, the lamp. */
import { t } from '@lingui/core/macro';
import { Trans } from '@lingui/react/macro';
import Tooltip from '@mui/material/Tooltip';
import type { Caution, Change, State } from '../mind/api';
import { useFrame } from '../mind/frame';
import { named } from '../mind/named';
import { DASH, count, place, places, signed, wayOf, type Tone } from '../mind/words';

export function Triangle({ up }: { up: boolean }) {
  return (
    <svg className="tri" viewBox="0 0 7 7" aria-hidden="true">
      <path d={up ? 'M0 6.500L3.500 .5 7 6.500z' : 'M0 .5h7L3.500 6.500z'} />
    </svg>
  );
}

export function Moved({ text, way, up }: { text: string; way: Tone; up: boolean }) {
  return (
    <span className={`chg ${way === 'level' ? 'same' : way}`}>
      {way !== 'level' && <Triangle up={up} />}
      {text}
    </span>
  );
}

export function ClicksChange({ change, verdict }: { change: Change | null; verdict?: string | null }) {
  if (verdict) return <TooFew />;
  if (!change) return <span className="same">{DASH}</span>;
  if (Math.round(change.clicks) === 0)
    return (
      <span className="same">
        <Trans>level</Trans>
      </span>
    );
  return <Moved text={signed(Math.round(change.clicks))} way={wayOf('clicks', change)} up={change.clicks > 0} />;
}

export function TooFew() {
  return (
    <Tooltip title={t`Fewer than 30 clicks in both windows together: a change cannot be told from chance.`}>
      <span className="few" tabIndex={0}>
        <Trans>too few to tell</Trans>
      </span>
    </Tooltip>
  );
}

export function PlacesChange({ change }: { change: Change | null }) {
  const moved = change?.position;
  if (moved === null || moved === undefined) return <span className="same">{DASH}</span>;
  return <Moved text={places(change)} way={wayOf('position', change)} up={moved < 0} />;
}

const BANDS = ['1', '2–3', '4–10', '11–20', '21–50', '51–100'];

export function BandChip({ position, band }: { position: number | null; band: string | null }) {
  if (position === null) return <span className="same">{DASH}</span>;
  const number = BANDS.indexOf(band ?? '') + 1;
  return (
    <span className="bchip" style={number ? { background: `var(--b${number})`, color: `var(--t${number})` } : {}}>
      {place(position)}
    </span>
  );
}

export function HeldCells({ states }: { states: readonly State[] }) {
  const words = (['final', 'provisional', 'missing', 'empty', 'lost'] as const)
    .map((state) => [state, states.filter((s) => s === state).length] as const)
    .filter(([, many]) => many > 0)
    .map(([state, many]) => `${many} ${named(state)}`);
  return (
    <span className="cells" role="img" aria-label={t`last days: ${words.join(', ')}`}>
      {states.map((state, n) => (
        <i key={n} className={state} />
      ))}
    </span>
  );
}

export function Cautions({ items }: { items: readonly Caution[] }) {
  if (!items.length) return null;
  return (
    <ul className="cautions" aria-label={t`What to know before believing these figures`}>
      {items.map((item) => (
        <li key={item.code}>{item.text}</li>
      ))}
    </ul>
  );
}

/** Which rows of a list are shown, and the way to the others; nothing where all are. */
export function Pager({
  data,
  limit,
}: {
  data: { offset: number; matching: number; rows: readonly unknown[] };
  limit: number;
}) {
  const { change } = useFrame();
  if (data.matching <= limit) return null;
  const last = data.offset + data.rows.length;
  return (
    <div className="small" style={{ display: 'flex', gap: 12, marginTop: 6, alignItems: 'center' }}>
      <span>
        <Trans>
          {count(data.offset + 1)} to {count(last)} of {count(data.matching)}
        </Trans>
      </span>
      <button
        type="button"
        className="plain"
        disabled={data.offset === 0}
        onClick={() => change({ offset: String(Math.max(0, data.offset - limit)) })}
      >
        <Trans>Previous</Trans>
      </button>
      <button
        type="button"
        className="plain"
        disabled={last >= data.matching}
        onClick={() => change({ offset: String(data.offset + limit) })}
      >
        <Trans>Next</Trans>
      </button>
    </div>
  );
}

export function ShareBar({ value, most }: { value: number; most: number }) {
  return (
    <span className="ibar" aria-hidden="true">
      <i style={{ width: `${most > 0 ? (100 * value) / most : 0}%` }} />
    </span>
  );
}

export function Chevron() {
  return (
    <svg className="chev" viewBox="0 0 9 6" aria-hidden="true">
      <path d="M1 1l3.500 3.500L8 1" fill="none" stroke="currentColor" strokeWidth="1.500" />
    </svg>
  );
}

export function Lamp() {
  return (
    <svg viewBox="0 0 19 24" aria-hidden="true">
      <path d="M3 8a6.500 6.500 0 0 1 13 0v12H3z" fill="var(--sheet)" stroke="var(--ink)" strokeWidth="1.600" />
      <path d="M1.500 22h16" stroke="var(--ink)" strokeWidth="2" />
      <circle cx="9.500" cy="12" r="3.400" fill="var(--lamp)" stroke="var(--lampText)" />
    </svg>
  );
}

export function Spark({
  values,
  label,
  width = 122,
  height = 30,
}: {
  values: readonly (number | null)[];
  label: string;
  width?: number;
  height?: number;
}) {
  const top = Math.max(1, ...values.map((v) => v ?? 0));
  const step = values.length > 1 ? width / (values.length - 1) : width;
  let path = '';
  values.forEach((value, n) => {
    if (value === null) return;
    const [before, after] = [values[n - 1] ?? null, values[n + 1] ?? null];
    path += `${before === null ? 'M' : 'L'}${(n * step).toFixed(1)} ${(height - 2 - (value / top) * (height - 5)).toFixed(1)}${before === null && after === null ? 'h0.1' : ''}`;
  });
  return (
    <svg width={width} height={height} role="img" aria-label={label} style={{ display: 'block' }}>
      <path d={`M0 ${height - 0.5}H${width}`} stroke="var(--rule2)" />
      <path d={path} fill="none" stroke="var(--clicks)" strokeWidth="1.400" strokeLinecap="round" />
    </svg>
  );
}
