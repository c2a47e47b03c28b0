"""What is added up around something that happened: of what it is on, and of the whole site, over any days.

One event asks for a few windows and reads those. Many events ask for windows that overlap over years: what they are on
is read by day, once, and every window is then a sum over a table.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
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

    def beside(self, of: Frame) -> RowsByDay | None:
        """Give rows like the one that a frame is narrowed to, by day; None where it is not narrowed to one row."""


@dataclass(frozen=True)
class RowsByDay:
    """Clicks of the rows with the most of them, by day, (rows, days), from a first day on; ids: theirs."""

    ids: npt.NDArray[np.int64]
    table: Table
    first: date

    def without(self, number: int | None) -> RowsByDay:
        """Leave one row out."""
        kept = self.ids != (-1 if number is None else number)
        return RowsByDay(self.ids[kept], self.table[kept], self.first)

    def over(self, days: Iterable[date]) -> npt.NDArray[np.int64]:
        """Sum each row over some days, (rows,)."""
        places = np.array([day.toordinal() - self.first.toordinal() for day in days], dtype=np.intp)
        return np.asarray(_at(self.table.T, places).sum(axis=0))

    def weekly(self, first: date, weeks: int) -> npt.NDArray[np.float64]:
        """Sum each row over weeks from a day on, (rows, weeks)."""
        places = np.arange(7 * weeks) + (first.toordinal() - self.first.toordinal())
        daily = _at(self.table.T, places)
        found: npt.NDArray[np.float64] = daily.reshape(weeks, 7, -1).sum(axis=1).T.astype(np.float64)
        return found


MOST_BESIDE, USUAL_DAYS = 60, 182
"""So many rows tell how far rows stray: every other of those with the most clicks in the last half year."""


def _rows_beside(of: Frame, grain: str) -> RowsByDay:
    """Read them. What is asked does not depend on the windows of the frame: it is read once and kept."""
    last = of.held.complete_through
    recent = Question(
        grain, last - timedelta(USUAL_DAYS - 1), last, (grain,), {}, frozenset(), of.held.sources, ("clicks",)
    )
    known = read(of.held.history, recent)
    most = np.argsort(-known.clicks, kind="stable")[: 2 * MOST_BESIDE : 2]
    ids = np.sort(known.keys[0][most])
    span = Window(min(of.held.states), last)
    if not ids.size:
        return RowsByDay(ids, np.zeros((0, len(span)), dtype=np.int64), span.first)
    only: dict[str, tuple[int, ...]] = {grain: tuple(ids.tolist())}
    asked = Question(grain, span.first, span.last, (grain, "day"), only, frozenset(), of.held.sources, ("clicks",))
    found = read(of.held.history, asked)
    at = np.searchsorted(ids, found.keys[0]) * len(span) + found.keys[1] - span.first.toordinal()
    table = np.bincount(at, weights=found.clicks, minlength=ids.size * len(span))
    return RowsByDay(ids, np.rint(table).astype(np.int64).reshape(ids.size, len(span)), span.first)


def _grain_of_one(of: Frame) -> str | None:
    """Name the grain of the one row that a frame is narrowed to."""
    where = of.asked.where
    return next(iter(where)) if len(where) == 1 and not of.asked.filter and set(where) <= {"page", "query"} else None


class ReadByWindow:
    """Sums read window by window."""

    def beside(self, of: Frame) -> RowsByDay | None:
        """Give rows like the one that a frame is narrowed to."""
        grain = _grain_of_one(of)
        return None if grain is None else _but_its_own(_rows_beside(of, grain), of, grain)

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
    _spans: dict[str, Window] = field(default_factory=dict, init=False, repr=False)
    _beside: dict[str, RowsByDay] = field(default_factory=dict, init=False, repr=False)

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

    def beside(self, of: Frame) -> RowsByDay | None:
        """Give rows like the one that a frame is narrowed to."""
        grain = _grain_of_one(of)
        if grain is None:
            return None
        if grain not in self._beside:
            self._beside[grain] = _rows_beside(of, grain)
        return _but_its_own(self._beside[grain], of, grain)

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
        if of.held.grain not in self._spans:
            self._spans[of.held.grain] = Window(min(of.held.states), self.held.complete_through)
        return self._spans[of.held.grain]

    def _summed(self, of: Frame, table: Table) -> tuple[Sums, Sums]:
        now, before = (_at(table, self._places(of, days)).sum(axis=0) for days in (of.now_days, of.before_days))
        return Sums(*map(int, now)), Sums(*map(int, before))

    def _places(self, of: Frame, days: Iterable[date]) -> npt.NDArray[np.intp]:
        first = self._span(of).first.toordinal()
        return np.array([day.toordinal() - first for day in days], dtype=np.intp)


def _but_its_own(found: RowsByDay, of: Frame, grain: str) -> RowsByDay:
    return found.without(of.held.history.term_id(grain, of.asked.where[grain]))


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
