"""Clicks and organic sessions of pages over any window in which both are held."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from noctilum.core.table import Grouped
from noctilum.core.windows import Window
from noctilum.datasets.visits import ORGANIC
from noctilum.readings.both import Both
from noctilum.readings.by_day import ByDay, CountsByDay
from noctilum.readings.rows_of import Ints

COUNTED: Mapping[str, Literal["page", "visits"]] = {"clicks": "page", "sessions": "visits"}
"""What is counted of a page, by the grain that tells it."""


def by_day_of(both: Both, name: str) -> ByDay:
    """Read the clicks or the organic sessions of pages by day."""
    grain = COUNTED[name]
    organic = both.of.held.history.term_id("channel", ORGANIC)
    channel = () if organic is None else (organic,)

    def month(window: Window) -> Grouped:
        if grain == "page":
            return both.read(grain, ("page", "day"), (name,), window=window)
        return both.read(grain, ("page", "day"), (name,), window=window, channel=channel)

    return ByDay(month, name)


def counts_beside(both: Both, by_day: ByDay, pages: Ints) -> CountsByDay:
    """Count pages where both are held, so that neither stands alone."""
    through = min(both.of.held.complete_through, both.visits.complete_through)
    return CountsByDay(by_day, pages, both.states, through)
