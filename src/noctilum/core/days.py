"""States of days, how complete a window is, and which day pairs may be compared."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
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
    LOST = "lost"


NOT_HELD = (DayState.MISSING, DayState.LOST)
"""A missing day may still come; a lost one is offered by its source no more."""
HELD = (DayState.FINAL, DayState.EMPTY)
"""A held day counts. Provisional days are shown but counted in no total unless asked for."""


_SETTLED_LEAST_LAST = [DayState.FINAL, DayState.EMPTY, DayState.PROVISIONAL, DayState.MISSING, DayState.LOST]


def over_sources(known: Sequence[Mapping[date, DayState]]) -> dict[date, DayState]:
    """Give each day's state over several sources: the least settled of them stands for the day.

    A source counts from its first known day on: before it nothing is expected of it, after it a day
    it does not know is missing.

    >>> d = date(2026, 3, 1)
    >>> late = d + timedelta(1)
    >>> over_sources([{d: DayState.FINAL, late: DayState.FINAL}, {late: DayState.EMPTY}])[late].value
    'empty'
    """
    every = sorted(set().union(*known)) if known else []
    starts = [min(states) for states in known if states]
    worst: dict[date, DayState] = {}
    for day in every:
        expected = [states for states, start in zip(filter(None, known), starts, strict=True) if start <= day]
        found = [states.get(day, DayState.MISSING) for states in expected]
        worst[day] = max(found, key=_SETTLED_LEAST_LAST.index)
    return worst


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
    """Count a window's days by state. held + provisional + missing = days; lost days are among the missing."""

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


RECENT_DAYS = 28
EXPIRING_DAYS = 7


def order_due(due: Iterable[date], oldest_offered: date | None) -> list[date]:
    """Order days for fetching: the newest four weeks, then those about to expire, then the rest.

    Newest first, so that a screen is useful within seconds; but the days that a provider will drop
    within a week come oldest first before the long middle, which can wait.

    >>> d = date(2026, 3, 1)
    >>> [str(x) for x in order_due([d, d + timedelta(9), d + timedelta(60)], oldest_offered=d)]
    ['2026-04-30', '2026-03-01', '2026-03-10']
    """
    newest_first = sorted(due, reverse=True)
    if not newest_first or oldest_offered is None:
        return newest_first
    recent = [day for day in newest_first if (newest_first[0] - day).days < RECENT_DAYS]
    older = newest_first[len(recent) :]
    expiring = [day for day in older if expires_in(day, oldest_offered) <= EXPIRING_DAYS]
    return [*recent, *reversed(expiring), *older[: len(older) - len(expiring)]]


def expires_in(day: date, oldest_offered: date) -> int:
    """Count the days until a provider that drops one day a day drops this one; 1 is tomorrow.

    >>> expires_in(date(2026, 3, 3), date(2026, 3, 1))
    3
    """
    return (day - oldest_offered).days + 1


def lost_days(
    known: Mapping[date, DayState], offered: Mapping[date, DayState], oldest_offered: date | None
) -> list[date]:
    """List the days that a source can fill no more: not held, after the first held day, before what it keeps.

    >>> d = date(2026, 3, 1)
    >>> lost_days({d: DayState.FINAL}, {}, d + timedelta(2))
    [datetime.date(2026, 3, 2)]
    """
    first = min((day for day, state in known.items() if state not in NOT_HELD), default=None)
    if first is None or oldest_offered is None:
        return []
    between = day_range(first, oldest_offered - timedelta(1))
    offered_none = {day for day, state in offered.items() if state is DayState.MISSING}
    return [
        day
        for day in between
        if known.get(day, DayState.MISSING) is DayState.MISSING and (day not in offered or day in offered_none)
    ]


def day_range(first: date, last: date) -> list[date]:
    """List the days from first to last, both included; empty when last is before first."""
    return [first + timedelta(n) for n in range((last - first).days + 1)]
