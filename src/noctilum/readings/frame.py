"""The frame of a reading: which days, compared with which, narrowed by what."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, timedelta
from functools import cached_property

from noctilum.core.change import Delta, delta
from noctilum.core.days import (
    HELD,
    DayState,
    Pairing,
    completeness,
    pair_days,
)
from noctilum.core.errors import Nonsense, worded
from noctilum.core.measures import Sums
from noctilum.core.table import Grouped, figures_of, nothing
from noctilum.core.windows import Window, against_window, parse_window
from noctilum.datasets import DATASETS
from noctilum.history import Question
from noctilum.readings.grains import days_stood_in, read, standing
from noctilum.readings.holding import Holding
from noctilum.readings.narrow import Narrowing, narrowing
from noctilum.wire.questions import FILTERS


@dataclass(frozen=True)
class Asked:
    """What a reading is asked for.

    where: dimension → the exact text rows must have; filter: in the filter
    language; language: of its sentences.
    """

    site: str
    window: str = "P28D"
    against: str = "before"
    where: Mapping[str, str] = field(default_factory=dict)
    filter: str = ""
    language: str = "en"


@dataclass(frozen=True)
class Frame:
    """Windows and filters resolved against what is held."""

    held: Holding
    asked: Asked
    window: Window
    against: Window | None
    pairing: Pairing | None
    narrow: Narrowing

    @cached_property
    def now_days(self) -> tuple[date, ...]:
        """The days counted now: those of held pairs, or every held day where nothing can be compared."""
        if self.pairing and self.comparable:
            return self.pairing.now
        return self._held(self.window)

    @cached_property
    def before_days(self) -> tuple[date, ...]:
        """The days counted before; none without a comparison."""
        if self.pairing and self.comparable:
            return self.pairing.before
        return self._held(self.against) if self.against else ()

    def _held(self, window: Window) -> tuple[date, ...]:
        return tuple(day for day in window.days() if self.held.states.get(day) in HELD)

    @cached_property
    def comparable(self) -> bool:
        """There is a comparison, and at most a tenth of either window's days is not held."""
        return self.against is not None and all(
            completeness(window, self.held.states).enough for window in (self.window, self.against)
        )

    def read(
        self,
        grain: str,
        by: tuple[str, ...],
        *,
        before: bool = False,
        only: Mapping[str, tuple[int, ...]] | None = None,
    ) -> Grouped:
        """Ask the history for one side of the frame at a grain; only as in read_days."""
        window = self.against if before else self.window
        days = self.before_days if before else self.now_days
        if window is None or not days:
            return nothing(len(by), figures_of(DATASETS[grain]))
        return self.read_days(grain, by, window, frozenset(window.days()) - frozenset(days), only)

    def read_days(
        self,
        grain: str,
        by: tuple[str, ...],
        window: Window,
        out: frozenset[date] = frozenset(),
        only: Mapping[str, tuple[int, ...]] | None = None,
        *,
        measures: tuple[str, ...] = (),
    ) -> Grouped:
        """Ask the history for the sums of a window, less the days that are out, narrowed as this frame is.

        only: dimension → ids that the frame's own filter has passed already. measures: by name, all without.
        """
        if self.narrow.ids is None:
            return nothing(len(by), figures_of(DATASETS[grain], measures))
        if DATASETS[grain].kind == "search" and grain != "look":
            grain_of(self.dims | {*by, grain})
        wide = (*by, *sorted(self.narrow.rest_dims - {*by}))
        ids = {**self.narrow.ids, **(only or {})}
        question = Question(grain, window.first, window.last, wide, ids, out, self.held.sources, measures)
        return self.narrow.taken(read(self.held.history, question), wide, by)

    def holds(self, grain: str) -> bool:
        """Say whether every day counted is held at another grain as well."""
        known = standing(self.held.history, self.held.sources, grain).states
        return all(known.get(day) in HELD for day in (*self.now_days, *self.before_days))

    def stood_in(self, grain: str) -> Mapping[str, int]:
        """Count the days counted on which a finer grain stands in for a grain, by the finer one."""
        days = {*self.now_days, *self.before_days}
        return days_stood_in(self.held.history, self.held.sources, grain, days)

    @property
    def dims(self) -> set[str]:
        """The dimensions that rows are narrowed by."""
        return set(self.narrow.dims)

    def refuse_results(self, reading: str) -> None:
        """Raise Nonsense when the filter asks about results where no rows are listed."""
        if self.narrow.results is not None:
            raise Nonsense(
                "filter-on-results",
                worded(
                    "{reading} lists no rows, so nothing can be asked of clicks, impressions, ctr or position.",
                    reading=reading,
                ),
                where="filter",
                remedy="keep only what narrows rows, as query, page, country, device",
            )

    @cached_property
    def times(self) -> float:
        """What the window before counts times: 1 for pairs of days, else held days now over held days before."""
        if self.pairing is None or self.pairing.paired:
            return 1.0
        return len(self.now_days) / max(1, len(self.before_days))

    def change(self, now: Sums, before: Sums) -> Delta | None:
        """Compare two sums the way this frame compares; None when it does not."""
        if not self.comparable or self.pairing is None:
            return None
        n1, n0 = len(self.now_days), len(self.before_days)
        return delta(now, before, days_now=n1, days_before=n0, scaled=not self.pairing.paired)


def frame(held: Holding, asked: Asked, by: tuple[str, ...] = ()) -> Frame:
    """Resolve what was asked; by: the dimensions rows are taken by: with the filter they decide which days are held.

    Raises Nonsense for windows and filters that cannot be used, NotThere where nothing of the kind is held.
    """
    for name in asked.where:
        if name not in FILTERS:
            raise Nonsense(
                "no-such-filter",
                worded("Rows cannot be narrowed by {name!r}.", name=name),
                remedy=worded("one of {filters}", filters=", ".join(FILTERS)),
            )
    narrow = narrowing(held.history, asked.where, asked.filter, held.words, held.sources)
    return frame_at(held.at(grain_of({*by, *narrow.dims})), asked, narrow)


def frame_at(held: Holding, asked: Asked, narrow: Narrowing) -> Frame:
    """Resolve the windows asked for against what is held at a grain."""
    window = parse_window(asked.window, ends_on=held.complete_through, starts_on=held.first_held)
    against = against_window(window, asked.against, ends_on=held.complete_through)
    pairing = pair_days(window, against, held.states) if against else None
    return Frame(held, asked, window, against, pairing, narrow)


def grain_of(dims: set[str]) -> str:
    """Choose the coarsest grain that can answer about these dimensions; raises Nonsense where none can."""
    if "look" in dims:
        if dims & {"query", "page", "pair"}:
            raise Nonsense(
                "look-with-others",
                "Looks are counted without queries and pages: no figure can be of both.",
                where="look",
                remedy="leave one out; looks go with country, device and kind",
            )
        return "look"
    if "query" in dims:
        return "pair" if "page" in dims else "query"
    return "page" if "page" in dims else "site"


def tail_window(of: Frame) -> Window | None:
    """Find the provisional days just after the window; None when it does not end on the last complete day."""
    known = [day for day, state in of.held.states.items() if state is DayState.PROVISIONAL]
    if of.window.last != of.held.complete_through or not known:
        return None
    return Window(of.window.last + timedelta(1), max(known))
