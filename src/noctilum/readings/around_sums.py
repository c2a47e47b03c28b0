"""What is added up around something that happened: of what it is on, and of the whole site, over any days.

One event asks for a few windows and reads those. Many events ask for windows that overlap over years: what they are on
is read by day, once, and every window is then a sum over a table.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from typing import Protocol

import numpy as np
import numpy.typing as npt

from noctilum.core.measures import Sums
from noctilum.core.table import Grouped
from noctilum.core.windows import Window
from noctilum.history import Question
from noctilum.readings.frame import Frame, frame, grain_of
from noctilum.readings.grains import read
from noctilum.readings.holding import Holding

Table = npt.NDArray[np.int64]
Rule = tuple[tuple[tuple[str, str], ...], str]
FIGURES = ("clicks", "impressions", "position_milli")


class AroundSums(Protocol):
    """What a judgement of something that happened asks for."""

    def mine(self, of: Frame) -> tuple[Sums, Sums]:
        """Sum both sides of a frame."""

    def whole(self, of: Frame) -> tuple[Sums, Sums]:
        """Sum both sides of a frame as if it was narrowed by nothing, at the grain it is read at."""

    def clicks(self, of: Frame, span: Window) -> Table:
        """Give the clicks of what a frame is narrowed to by day, (days,); 0 where there are none."""


class ReadByWindow:
    """Sums read window by window."""

    def mine(self, of: Frame) -> tuple[Sums, Sums]:
        """Sum both sides of a frame."""
        return _sides(of, grain_of(of.dims))

    def whole(self, of: Frame) -> tuple[Sums, Sums]:
        """Sum both sides of a frame as if it was narrowed by nothing."""
        return _sides(_everything(of), grain_of(of.dims))

    def clicks(self, of: Frame, span: Window) -> Table:
        """Give clicks by day."""
        return _table(of.read_days(grain_of(of.dims), ("day",), span), span)[:, 0]


@dataclass(frozen=True, eq=False)
class ReadByDay:
    """Sums out of tables by day over all that is held, each read when it is first asked for.

    alike: what frames will be narrowed to: pages, or queries, are read together in one go.
    """

    held: Holding
    alike: Mapping[str, Sequence[str]] = field(default_factory=dict)
    _tables: dict[tuple[str, Rule | None], Table] = field(default_factory=dict, init=False, repr=False)

    def mine(self, of: Frame) -> tuple[Sums, Sums]:
        """Sum both sides of a frame."""
        return self._summed(of, self._mine(of))

    def whole(self, of: Frame) -> tuple[Sums, Sums]:
        """Sum both sides of a frame as if it was narrowed by nothing."""
        asked = grain_of(of.dims), None
        if asked not in self._tables:
            self._tables[asked] = self._by_day(_everything(of), asked[0])
        return self._summed(of, self._tables[asked])

    def clicks(self, of: Frame, span: Window) -> Table:
        """Give clicks by day."""
        return _at(self._mine(of)[:, 0], self._places(of, span.days()))

    def _mine(self, of: Frame) -> Table:
        asked = grain_of(of.dims), _rule(of)
        if asked not in self._tables:
            self._read_alike(of, asked[0])
        if asked not in self._tables:
            self._tables[asked] = self._by_day(of, asked[0])
        return self._tables[asked]

    def _read_alike(self, of: Frame, grain: str) -> None:
        """Read all pages, or queries, that will be asked for."""
        known = {text: self.held.history.term_id(grain, text) for text in self.alike.get(grain, ())}
        ids = sorted({each for each in known.values() if each is not None})
        span = self._span(of)
        if not ids:
            return
        asked = Question(
            grain, span.first, span.last, (grain, "day"), {grain: tuple(ids)}, frozenset(), of.held.sources
        )
        found = read(self.held.history, asked)
        for text, number in known.items():
            if number is not None:
                rows = found.taken(np.flatnonzero(found.keys[0] == number))
                self._tables[grain, (((grain, text),), "")] = _table(Grouped(rows.keys[1:], rows.figures), span)

    def _by_day(self, of: Frame, grain: str) -> Table:
        span = self._span(of)
        return _table(of.read_days(grain, ("day",), span), span)

    def _span(self, of: Frame) -> Window:
        """Give every day that a frame may ask for at its grain."""
        return Window(min(of.held.states), max(self.held.complete_through, of.window.last))

    def _summed(self, of: Frame, table: Table) -> tuple[Sums, Sums]:
        now, before = (_at(table, self._places(of, days)).sum(axis=0) for days in (of.now_days, of.before_days))
        return Sums(*map(int, now)), Sums(*map(int, before))

    def _places(self, of: Frame, days: Iterable[date]) -> npt.NDArray[np.intp]:
        first = self._span(of).first.toordinal()
        return np.array([day.toordinal() - first for day in days], dtype=np.intp)


def _rule(of: Frame) -> Rule:
    return tuple(sorted(of.asked.where.items())), of.asked.filter


def _everything(of: Frame) -> Frame:
    return replace(of, narrow=frame(of.held, replace(of.asked, where={}, filter="")).narrow)


def _sides(of: Frame, grain: str) -> tuple[Sums, Sums]:
    return of.read(grain, ()).sums, of.read(grain, (), before=True).sums


def _table(found: Grouped, span: Window) -> Table:
    """Lay groups by day out over a span, (days, 3): clicks, impressions, position in thousandths."""
    table = np.zeros((len(span), len(FIGURES)), dtype=np.int64)
    for n, name in enumerate(FIGURES):
        np.add.at(table[:, n], found.keys[0] - span.first.toordinal(), found.figures[name])
    return table


def _at(table: Table, places: npt.NDArray[np.intp]) -> Table:
    """Take rows of a table, zeros where a place lies outside of it."""
    inside = (places >= 0) & (places < len(table))
    shaped = inside.reshape(-1, *[1] * (table.ndim - 1))
    taken: Table = np.where(shaped, table[np.where(inside, places, 0)], 0)
    return taken
