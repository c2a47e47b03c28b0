"""Searches and visits together: the days that both are held of, and rows of them narrowed alike."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from noctilum.core.days import HELD
from noctilum.core.errors import Nonsense, NotThere, worded
from noctilum.core.table import Grouped
from noctilum.datasets import DATASETS
from noctilum.history import Question
from noctilum.readings.frame import Frame, frame
from noctilum.readings.grains import read
from noctilum.readings.holding import Holding
from noctilum.readings.site_access import SiteAccess
from noctilum.wire.questions import Windowed

VISITS = DATASETS["visits"]


@dataclass(frozen=True)
class Both:
    """The days whose searches and visits are both held, and how rows of them are narrowed."""

    of: Frame
    visits: Holding
    days: tuple[date, ...]

    def read(self, grain: str, by: tuple[str, ...], measures: tuple[str, ...], **only: tuple[int, ...]) -> Grouped:
        """Ask the history for the sums of those days, at a grain of either, of the pages that are asked for."""
        window = self.of.window
        ids = self.of.narrow.ids or {}
        pages = {"page": ids["page"]} if "page" in ids else {}
        sources = self.visits.sources if DATASETS[grain].kind == VISITS.kind else self.of.held.sources
        out = frozenset(window.days()) - frozenset(self.days)
        asked = Question(grain, window.first, window.last, by, {**pages, **only}, out, sources, measures)
        return read(self.of.held.history, asked)


def both_of(site: SiteAccess, asked: Windowed) -> Both:
    """Find the days that both are held of. Raises Nonsense for what narrows only one of them, NotThere without one."""
    if not site.sources:
        raise NotThere(
            "no-source",
            worded("{host} has no search feed connected.", host=site.key),
            remedy="connect one under Sources, or with `noctilum connect`",
        )
    of = frame(site.holding, site.asked(asked), ("query", "page"))
    of.refuse_results("Outcomes")
    if of.narrow.rest is not None or of.dims - {"query", "page"}:
        raise Nonsense(
            "outcomes-narrowed",
            "Visits beside clicks are narrowed by query and by page, one condition at a time.",
            where="filter",
            remedy="leave out country, device and kind, and join conditions with and",
        )
    visits = site.held_of(VISITS)
    return Both(of, visits, tuple(day for day in of.now_days if visits.states.get(day) in HELD))
