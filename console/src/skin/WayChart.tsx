/** A target's figure over its path, with what chance leaves of it, and what the year alone would bring. */
import { t } from '@lingui/core/macro';
import { useCallback } from 'react';
import type { TargetPoint } from '../mind/api';
import { count, longDay, shortDay } from '../mind/words';
import { useChart, type Option } from './charts';
import { overBand } from './overBand';

export function WayChart({ points, name }: { points: readonly TargetPoint[]; name: string }) {
  const { element } = useChart(useCallback(() => option(points), [points]));
  const [first, last] = [points[0]?.day, points.at(-1)?.day];
  if (!first || !last) return null;
  return (
    <div
      ref={element}
      style={{ height: 240 }}
      role="img"
      aria-label={t`${name} beside its path, from ${longDay(first)} to ${longDay(last)}`}
    />
  );
}

function option(points: readonly TargetPoint[]): Option {
  const steps = points.map(({ day, now, path, low, high, alone }) => ({
    day,
    now,
    expected: path,
    low,
    high,
    beside: alone,
  }));
  const tip = (at: number) => {
    const point = points[at];
    if (!point) return '';
    const lines = [`<b>${shortDay(point.day)}</b>`];
    if (point.now !== null) lines.push(t`held <b>${count(Math.round(point.now))}</b>`);
    lines.push(t`path ${count(Math.round(point.path))}`);
    if (point.alone !== null) lines.push(t`the year alone ${count(Math.round(point.alone))}`);
    return lines.join('<br>');
  };
  return overBand(steps, tip);
}
