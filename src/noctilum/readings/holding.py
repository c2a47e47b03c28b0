"""What a site's history holds: which days, in which state, at which grain."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import date

from noctilum.core.days import (
    HELD,
    DayState,
    complete_through,
)
from noctilum.core.errors import NotThere, worded
from noctilum.datasets import DATASETS
from noctilum.history import History
from noctilum.readings.grains import standing
from noctilum.readings.narrow import Words


@dataclass(frozen=True)
class Holding:
    """What a site's history holds: the file, its sources, the state of every day at a grain.

    At another grain than that of the totals, every names the sources that have totals, sources those of them that
    have the grain as well. Where a grain is not held and a finer one is, the finer one stands in.
    """

    history: History
    sources: tuple[int, ...]
    states: Mapping[date, DayState]
    first_held: date
    complete_through: date
    words: Words = field(default_factory=Words)
    grain: str = "site"
    every: tuple[int, ...] = ()

    def at(self, grain: str) -> Holding:
        """Hold what is held at another grain; raises NotThere when nothing is.

        Windows go on being counted from the last complete day of the totals, so that they are the same in every
        reading; those of looks are counted from their own.
        """
        if grain == self.grain:
            return self
        found = standing(self.history, self.sources, grain)
        if not any(state in HELD for state in found.states.values()):
            raise _nothing_held(grain)
        held = replace(self, sources=found.sources, states=found.states, grain=grain, every=self.sources)
        through = complete_through(found.states)
        if grain != "look" or through is None:
            return held
        return replace(held, first_held=_first(found.states), complete_through=through)

    @property
    def totals(self) -> Mapping[date, DayState]:
        """The states of the days' totals, over every source that has some."""
        return standing(self.history, self.every or self.sources, "site").states


def holding(history: History, sources: tuple[int, ...], words: Words | None = None) -> Holding:
    """Look at what is held; raises NotThere with the remedy when no day is."""
    return holding_of(history, sources, "site", words)


def holding_of(history: History, sources: tuple[int, ...], grain: str, words: Words | None = None) -> Holding:
    """Look at what is held of a grain by itself; raises NotThere with the remedy when no day is."""
    found = standing(history, sources, grain)
    through = complete_through(found.states)
    if through is None:
        raise _nothing_held(grain)
    return Holding(history, sources, found.states, _first(found.states), through, words or Words(), grain)


def _first(states: Mapping[date, DayState]) -> date:
    return min(day for day, state in states.items() if state in HELD)


_LACKING = {"query": "queries", "page": "pages", "pair": "queries by page"}


def _nothing_held(grain: str) -> NotThere:
    if grain == "look":
        return NotThere(
            "no-looks",
            "No source of this site tells what its results looked like.",
            remedy="connect a feed that counts looks, or import files with a look column",
        )
    if grain in _LACKING:
        return NotThere(
            "grain-not-held",
            worded("No {lacking} of this site are held.", lacking=_LACKING[grain]),
            remedy=worded(
                "connect a feed that counts {lacking}, or import files that list them", lacking=_LACKING[grain]
            ),
        )
    if grain != "site":
        kind = DATASETS[grain].kind
        return NotThere(
            "nothing-held",
            worded("No complete day of {grain} is held of this site.", grain=grain),
            remedy=worded("connect a source of {kind}", kind=kind),
        )
    return NotThere(
        "nothing-held",
        "No complete day of this site is held yet.",
        remedy="pull its source, or import files; the first days appear within seconds",
    )
