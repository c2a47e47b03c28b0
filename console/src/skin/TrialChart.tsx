/** Treated clicks by week over what the control lets expect, with what chance alone would do to a week. */
import { t } from '@lingui/core/macro';
import { useCallback } from 'react';
import type { TrialWeek } from '../mind/api';
import { count, longDay, shortDay } from '../mind/words';
import { useChart, type Option } from './charts';
import { overBand } from './overBand';

export function TrialChart({ weeks, starts }: { weeks: readonly TrialWeek[]; starts: string }) {
  const { element } = useChart(useCallback(() => option(weeks, starts), [weeks, starts]));
  return (
    <div
      ref={element}
      style={{ height: 220 }}
      role="img"
      aria-label={t`Treated clicks by week beside those expected from the control, ${weeks.length} weeks, from ${longDay(weeks[0]?.first ?? starts)}`}
    />
  );
}

function option(weeks: readonly TrialWeek[], starts: string): Option {
  const steps = weeks.map(({ first, treated, expected, low, high }) => ({
    day: first,
    now: treated,
    expected,
    low,
    high,
  }));
  const tip = (at: number) => {
    const week = weeks[at];
    if (!week) return '';
    const expected = week.expected === null ? null : Math.round(week.expected);
    return t`Week of ${shortDay(week.first)}<br>treated <b>${count(week.treated)}</b>, expected ${count(expected)}`;
  };
  return overBand(steps, tip, starts);
}
