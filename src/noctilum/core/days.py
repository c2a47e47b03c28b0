"""States of days, how complete a window is, and which day pairs may be compared."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from enum import StrEnum

from noctilum.core.windows import Window

MOST_NOT_HELD = 0.10
"""With a larger share of days not held there is no change and no driver (ours)."""


class DayState(StrEnum):
    """Say what is known of one day of one source."""

    FINAL = "final"
    PROVISIONAL = "provisional"
    MISSING = "missing"
    EMPTY = "empty"


HELD = (DayState.FINAL, DayState.EMPTY)
"""A held day counts. Provisional days are shown but counted in no total unless asked for."""


def complete_through(states: Mapping[date, DayState]) -> date | None:
    """Find the last held day that has no provisional day before it; None when no day is held.

    A gap does not stop it: a gap can be lasting, and windows name the days they lack.

    >>> d = date(2026, 3, 1)
    >>> complete_through({d: DayState.FINAL, d + timedelta(1): DayState.PROVISIONAL})
    datetime.date(2026, 3, 1)
    """
    last = None
    for day in sorted(states):
        if states[day] is DayState.PROVISIONAL:
            break
        if states[day] in HELD:
            last = day
    return last


@dataclass(frozen=True)
class Completeness:
    """Count a window's days by state. held + provisional + missing = days."""

    days: int
    held: int
    provisional: int
    missing: int

    @property
    def enough(self) -> bool:
        """At most a tenth of the days are not held."""
        return self.days - self.held <= MOST_NOT_HELD * self.days


def completeness(window: Window, states: Mapping[date, DayState]) -> Completeness:
    """Count the days of a window by state; a day the ledger does not know is missing."""
    found = [states.get(day, DayState.MISSING) for day in window.days()]
    held = sum(state in HELD for state in found)
    provisional = sum(state is DayState.PROVISIONAL for state in found)
    return Completeness(len(found), held, provisional, len(found) - held - provisional)


@dataclass(frozen=True)
class Pairing:
    """Say which days of two windows are counted.

    now and before are the counted days. paired: day stands against day (equal lengths), so both
    have the same number; otherwise they are the held days of each, to be compared per held day.
    left_out holds the pairs that fell out because either side is not held.
    """

    now: tuple[date, ...]
    before: tuple[date, ...]
    paired: bool
    left_out: tuple[tuple[date, date], ...]


def pair_days(window: Window, against: Window, states: Mapping[date, DayState]) -> Pairing:
    """Pair windows of equal length day with day; a day not held takes its partner out with it.

    >>> a, b = Window(date(2026, 1, 3), date(2026, 1, 4)), Window(date(2026, 1, 1), date(2026, 1, 2))
    >>> held = {d: DayState.FINAL for d in (*a.days(), b.first)}
    >>> pair_days(a, b, held).now
    (datetime.date(2026, 1, 3),)
    """

    def held(day: date) -> bool:
        return states.get(day) in HELD

    if len(window) != len(against):
        now, before = (
            tuple(filter(held, window.days())),
            tuple(filter(held, against.days())),
        )
        return Pairing(now, before, False, ())
    pairs = list(zip(window.days(), against.days(), strict=True))
    kept = [pair for pair in pairs if held(pair[0]) and held(pair[1])]
    left_out = tuple(pair for pair in pairs if not (held(pair[0]) and held(pair[1])))
    return Pairing(tuple(p[0] for p in kept), tuple(p[1] for p in kept), True, left_out)


def days_due(
    known: Mapping[date, tuple[DayState, str | None]],
    offered: Mapping[date, tuple[DayState, str | None]],
) -> list[date]:
    """List the days to fetch, newest first: offered and not known in that state and revision.

    Both map a day to (state, revision). Days offered as MISSING cannot be fetched and are left out.

    >>> d = date(2026, 3, 1)
    >>> days_due({d: (DayState.PROVISIONAL, "a")}, {d: (DayState.FINAL, "b")})
    [datetime.date(2026, 3, 1)]
    """
    fetchable = {day: seen for day, seen in offered.items() if seen[0] is not DayState.MISSING}
    return sorted((day for day, seen in fetchable.items() if known.get(day) != seen), reverse=True)


def day_range(first: date, last: date) -> list[date]:
    """List the days from first to last, both included; empty when last is before first."""
    return [first + timedelta(n) for n in range((last - first).days + 1)]
