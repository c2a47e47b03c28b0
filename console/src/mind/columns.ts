/** Which columns a breakdown shows; remembered on this machine. */
import { t } from '@lingui/core/macro';
import { useSyncExternalStore } from 'react';

const KEY = 'noctilum-columns';

export const COLUMNS: ReadonlyArray<readonly [string, string]> = [
  ['bar', t`a bar of clicks`],
  ['before', t`clicks before`],
  ['change', t`change in clicks`],
  ['impressions', t`impressions`],
  ['ctr', t`click-through`],
  ['points', t`its change in points`],
  ['position', t`position`],
  ['places', t`its change in places`],
  ['volume', t`volume, where term facts are held`],
  ['cpc', t`cost per click, where term facts are held`],
];

const listeners = new Set<() => void>();

function kept(): string {
  return typeof localStorage === 'undefined' ? '' : (localStorage.getItem(KEY) ?? '');
}

/** Names the columns that are hidden. */
export function useHidden(): ReadonlySet<string> {
  const text = useSyncExternalStore(
    (listen) => {
      listeners.add(listen);
      return () => listeners.delete(listen);
    },
    kept,
    () => '',
  );
  return new Set(text.split(',').filter(Boolean));
}

export function show(name: string, on: boolean): void {
  const hidden = new Set(kept().split(',').filter(Boolean));
  if (on) hidden.delete(name);
  else hidden.add(name);
  if (hidden.size) localStorage.setItem(KEY, [...hidden].join(','));
  else localStorage.removeItem(KEY);
  for (const listen of listeners) listen();
}
