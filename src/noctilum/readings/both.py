"""Searches and visits together: the days that both are held of, and rows of them narrowed alike."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import date
from functools import cached_property

from noctilum.core.days import HELD, DayState
from noctilum.core.errors import Nonsense, worded
from noctilum.core.filters.fields import FIELDS, Field
from noctilum.core.table import Grouped, figures_of, nothing
from noctilum.core.windows import Window
from noctilum.datasets import DATASETS
from noctilum.history import Question
from noctilum.readings.frame import Frame, frame_at, grain_of
from noctilum.readings.grains import read
from noctilum.readings.holding import Holding
from noctilum.readings.narrow import narrowing
from noctilum.readings.site_access import SiteAccess
from noctilum.wire.questions import Windowed

VISITS = DATASETS["visits"]


SHARED = ("page", "country", "device")
"""What searches and visits both tell of a row."""


@dataclass(frozen=True)
class Both:
    """The days whose searches and visits are both held, and how rows of them are narrowed."""

    of: Frame
    visits: Holding
    days: tuple[date, ...]

    @cached_property
    def states(self) -> Mapping[date, DayState]:
        """The states of the days that both are held of."""
        visits = self.visits.states
        return {day: state for day, state in self.of.held.states.items() if visits.get(day) in HELD}

    def read(
        self,
        grain: str,
        by: tuple[str, ...],
        measures: tuple[str, ...],
        *,
        window: Window | None = None,
        days: Collection[date] | None = None,
        **only: tuple[int, ...],
    ) -> Grouped:
        """Ask for sums at a grain of either, narrowed by what both tell of a row.

        Of the days of this frame unless a window is given; then of all its days, or of those given.
        """
        narrow = self.of.narrow
        if narrow.ids is None and narrow.dims - {"query"}:
            return nothing(len(by), figures_of(DATASETS[grain], measures))
        kept = self.days if window is None else days
        over = window or self.of.window
        out = frozenset() if kept is None else frozenset(over.days()) - frozenset(kept)
        ids = {name: found for name, found in (narrow.ids or {}).items() if name in SHARED}
        sources = self.visits.sources if DATASETS[grain].kind == VISITS.kind else self.of.held.sources
        wide = (*by, *sorted(narrow.rest_dims - {*by}))
        asked = Question(grain, over.first, over.last, wide, {**ids, **only}, out, sources, measures)
        return narrow.taken(read(self.of.held.history, asked), wide, by)


def fields_of_results(*names: str) -> Mapping[str, Field]:
    """Give the fields a filter may name where clicks and visits stand in one row: those of rows, and these results."""
    rows = {name: field for name, field in FIELDS.items() if not field.of_results and field.dimension not in UNSHARED}
    return rows | {name: Field(name, "number", None, f"{name} of a row.") for name in names}


UNSHARED = ("kind", "look")
"""What only searches tell, and that no row of queries and pages can be told apart by beside visits."""


def both_of(site: SiteAccess, asked: Windowed, fields: Mapping[str, Field], dims: tuple[str, ...] = SHARED) -> Both:
    """Find the days that both are held of, narrowed by these dimensions alone.

    Raises Nonsense for what narrows only one of them, NotThere without one.
    """
    put = site.asked(asked)
    held = site.holding
    narrow = narrowing(held.history, put.where, put.filter, held.words, held.sources, fields)
    if set(narrow.dims) - set(dims):
        raise _only_one(dims)
    if "query" in narrow.rest_dims:
        raise Nonsense(
            "outcomes-narrowed",
            "Visits have no queries: what asks of a query and of something else cannot be joined with or here.",
            where="filter",
            remedy="join the two with and",
        )
    of = frame_at(held.at(grain_of({"page", *({"query"} & set(dims)), *narrow.dims})), put, narrow)
    visits = site.held_of(VISITS)
    return Both(of, visits, tuple(day for day in of.now_days if visits.states.get(day) in HELD))


def _only_one(dims: tuple[str, ...]) -> Nonsense:
    return Nonsense(
        "outcomes-narrowed",
        worded("Visits beside clicks are narrowed by {names} alone.", names=", ".join(dims)),
        where="filter",
        remedy="leave out what only one of the two feeds tells",
    )
