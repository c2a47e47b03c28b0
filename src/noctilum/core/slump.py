"""Slump: whether the last days of a whole lie under what its weekdays, its season and its own scatter let expect."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]

SPANS = (3, 5, 7)
BASE_WEEKS = 6
LEAST_WEEKS = 4
SCATTER_DAYS = 182
LEAST_SCATTER = 8
SMOOTH = 7
"""What a year ago did is averaged over so many days to either side: one day of it is as noisy as one of this year."""
YEAR = 364
LEVEL_DAYS = 14
HISTORY = YEAR + SMOOTH + SCATTER_DAYS + 7 * (BASE_WEEKS + 2)
"""So many days before the last one are looked at, where they are held."""


@dataclass(frozen=True)
class Slump:
    """The clearest of the spans. days: its length; now, expected: over it; score: ln of their ratio, in scatters."""

    days: int
    now: float
    expected: float
    score: float

    @property
    def change(self) -> float:
        """The share by which it lies over, or under, what was to be expected."""
        return self.now / self.expected - 1 if self.expected else 0.0


def slump(values: Floats) -> Slump | None:
    """Find the span that ends on the last day and lies farthest below what was to be expected.

    values: of each day in a row, (days,), NaN where it is not held. None where too little is held. A day's expectation
    is the median of the same weekday in the six weeks before its span, times what that missed the same days by a year
    ago (364 days), averaged over a week to either side, times the level: the median of value / expectation over the 14
    days before the span, so that a season's slope is not read as a fall. Scatter: 1.4826 · the median distance of
    ln(now / expected) from its middle, over the whole spans of the 26 weeks before, and no less than the noise of
    counting, √(1/now + 1/expected).
    """
    daily = expected_by_day(values)
    found = [each for days in SPANS if (each := _of_span(values, daily, days)) is not None]
    return min(found, key=lambda each: each.score, default=None)


def expected_by_day(values: Floats) -> Floats:
    """Give what was to be expected of each day but for the level of late, (days,); NaN unknown."""
    daily = _middles(values)
    return daily * _season(values, daily)


def spans(values: Floats, days: int, daily: Floats | None = None) -> tuple[Floats, Floats, Floats]:
    """Give of the span that ends on each day its sum, what was to be expected, and ln of their ratio; NaN unknown.

    daily: what was to be expected of each day, where that is known already.
    """
    daily = expected_by_day(values) if daily is None else daily
    sums = _summed(values, days)
    expected = _summed(daily, days) * _level(values, daily, days)
    return sums, expected, np.log((sums + 0.5) / (expected + 0.5))


def _of_span(values: Floats, daily: Floats, days: int) -> Slump | None:
    sums, expected, logs = spans(values, days, daily)
    now = logs[-1] if logs.size else np.nan
    if not np.isfinite(now) or expected[-1] <= 0:
        return None
    earlier = logs[-1 - days : -1 - SCATTER_DAYS : -days] if logs.size > days else logs[:0]
    earlier = earlier[np.isfinite(earlier)]
    if earlier.size < LEAST_SCATTER:
        return None
    middle = float(np.median(earlier))
    scatter = 1.4826 * float(np.median(np.abs(earlier - middle)))
    noise = float(np.sqrt(1 / (sums[-1] + 0.5) + 1 / (expected[-1] + 0.5)))
    score = (float(now) - min(0.0, middle)) / max(scatter, noise)
    return Slump(days, float(sums[-1]), float(expected[-1]), score)


def _level(values: Floats, daily: Floats, days: int) -> Floats:
    """Give the median of value over expectation in the 14 days before the span that ends on each day; 1 if unknown."""
    with np.errstate(invalid="ignore", divide="ignore"):
        ratio = np.where(daily > 0, values / daily, np.nan)
    found = np.ones(values.size)
    if values.size < LEVEL_DAYS + days:
        return found
    seen = np.lib.stride_tricks.sliding_window_view(ratio, LEVEL_DAYS)[: values.size - LEVEL_DAYS - days + 1]
    known = np.isfinite(seen).sum(axis=1) >= LEVEL_DAYS // 2
    level = np.ones(seen.shape[0])
    level[known] = np.nanmedian(seen[known], axis=1)
    found[LEVEL_DAYS + days - 1 :] = level
    return found


def _summed(values: Floats, days: int) -> Floats:
    """Add up the spans that end on each day, NaN where a day of it is not known; shape (days,)."""
    if values.size < days:
        return np.full(values.size, np.nan)
    whole = np.lib.stride_tricks.sliding_window_view(values, days).sum(axis=1)
    return np.concatenate([np.full(days - 1, np.nan), whole])


def _middles(values: Floats) -> Floats:
    """Give of each day the median of the same weekday in the weeks before it; NaN with fewer than four."""
    back = np.full((BASE_WEEKS, values.size), np.nan)
    for n in range(BASE_WEEKS):
        shift = 7 * (n + 1)
        back[n, shift:] = values[: max(0, values.size - shift)]
    known = np.isfinite(back).sum(axis=0) >= LEAST_WEEKS
    middles = np.full(values.size, np.nan)
    if known.any():
        middles[known] = np.nanmedian(back[:, known], axis=0)
    return middles


def _season(values: Floats, daily: Floats) -> Floats:
    """Say by how much the days around the same day a year ago missed what was expected of them; 1 if not held."""
    width = 2 * SMOOTH + 1
    now, middle = (_summed(each, width) for each in (values, daily))
    found = np.ones(values.size)
    shift = YEAR - SMOOTH
    if values.size > shift:
        last_year = ((now + 1) / (middle + 1))[: values.size - shift]
        known = np.isfinite(last_year)
        found[shift:][known] = last_year[known]
    return found
