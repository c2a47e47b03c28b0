"""Timelines: sums per bucket, with what is not wholly held marked."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import date

from noctilum.core.days import HELD, DayState
from noctilum.core.measures import Sums, add_up
from noctilum.core.windows import Bucket, Window, bucket_end, bucket_start


@dataclass(frozen=True)
class Step:
    """Hold one bucket: its days inside the window, how many are held, and their sums.

    sums is None when no day of the bucket is held or shown; then it is a gap, not a zero.
    partial: the bucket is cut by the window or has days not held.
    """

    start: date
    end: date
    days: int
    held: int
    state: DayState
    partial: bool
    sums: Sums | None


def steps(
    window: Window,
    bucket: Bucket,
    daily: Mapping[date, Sums],
    states: Mapping[date, DayState],
    *,
    week_start: int = 0,
    out: Collection[date] = (),
) -> list[Step]:
    """Arrange daily sums as buckets, oldest first.

    A held day without rows counts as zero. Provisional days make a step of their own state when
    buckets are days and stay out of wider buckets. Days in out are treated as not held.
    """
    grouped: dict[date, list[date]] = {}
    for day in window.days():
        grouped.setdefault(bucket_start(day, bucket, week_start), []).append(day)
    gone = frozenset(out)
    return [_step(start, bucket, days, daily, states, gone) for start, days in grouped.items()]


def _step(
    start: date,
    bucket: Bucket,
    days: list[date],
    daily: Mapping[date, Sums],
    states: Mapping[date, DayState],
    out: frozenset[date],
) -> Step:
    held = [day for day in days if states.get(day) in HELD and day not in out]
    counted = held
    state = DayState.FINAL if held else DayState.MISSING
    if bucket is Bucket.DAY and states.get(days[0]) is DayState.PROVISIONAL:
        counted, state = days, DayState.PROVISIONAL
    elif bucket is Bucket.DAY and held:
        state = states[days[0]]
    total = add_up(daily[day] for day in counted if day in daily)
    whole = (bucket_end(start, bucket) - start).days + 1
    return Step(
        start=days[0],
        end=days[-1],
        days=len(days),
        held=len(held),
        state=state,
        partial=len(held) < whole,
        sums=total if counted else None,
    )
