/** Keys that work on every view; they can be turned off. */
import { useEffect, useRef } from 'react';

const OFF = 'noctilum-keys-off';

export function keysOn(): boolean {
  return localStorage.getItem(OFF) === null;
}

export function turnKeys(on: boolean): void {
  if (on) localStorage.removeItem(OFF);
  else localStorage.setItem(OFF, '1');
}

/** Somebody types, or answers a dialog: its keys are its own. */
function typing(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable ||
      /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) ||
      target.closest('[role="dialog"]') !== null)
  );
}

/** Listens for single keys, and for g followed by a letter ("g q"). */
export function useKeys(actions: Record<string, () => void>): void {
  const after = useRef('');
  useEffect(() => {
    const listen = (event: KeyboardEvent) => {
      if (!keysOn() || typing(event.target) || event.ctrlKey || event.metaKey || event.altKey) return;
      const key = after.current ? `${after.current} ${event.key}` : event.key;
      after.current = !after.current && event.key === 'g' ? 'g' : '';
      const action = actions[key];
      if (action) {
        event.preventDefault();
        action();
      }
    };
    window.addEventListener('keydown', listen);
    return () => window.removeEventListener('keydown', listen);
  }, [actions]);
}
