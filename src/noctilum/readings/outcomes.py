"""Outcomes: sessions, conversions and revenue from search, shared out to queries by landing page and day."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

import numpy as np

from noctilum.core.days import HELD
from noctilum.core.errors import Nonsense, NotThere, worded
from noctilum.core.outcomes import SharedOut, shared_out
from noctilum.core.table import Grouped
from noctilum.datasets import DATASETS
from noctilum.datasets.visits import ORGANIC
from noctilum.history import Question
from noctilum.readings.frame import Frame, frame
from noctilum.readings.grains import read
from noctilum.readings.header import header
from noctilum.readings.holding import Holding
from noctilum.readings.known import known_since
from noctilum.readings.rows_of import Ints, Slice
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.wire import outcomes as wire
from noctilum.wire.questions import Windowed

VISITS = DATASETS["visits"]
TAKEN = ("sessions", "conversions", "revenue")
CENTS = VISITS.measure("revenue").scale


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


def outcomes(site: SiteAccess, asked: wire.OutcomesQuery) -> wire.Outcomes:
    """Share what organic visits brought out to queries, or list it by page.

    Raises Nonsense for a filter on anything but queries and pages, NotThere where no visits are held.
    """
    both = both_of(site, asked)
    goals = known_since(both.visits, VISITS, VISITS.measure("conversions"))
    found = _by_query(both) if asked.by == "query" else _by_page(both)
    known = _known_names(both, goals)
    passing = _passing(both, asked.by, found)
    most = found.figures["conversions" if known["conversions"] else "sessions"]
    order = passing[np.lexsort((found.query[passing], -found.figures["sessions"][passing], -most[passing]))]
    page = rows_asked(asked)
    out = np.setdiff1d(np.arange(found.query.size), passing)
    total = {name: float(found.figures[name].sum()) + found.unlisted[name] for name in TAKEN}
    return wire.Outcomes(
        **header(both.of, "pair"),
        by=asked.by,
        rows=_rows(site, asked.by, found, page, order, known),
        total=_outcome(total, known),
        rest=_outcome({name: float(found.figures[name][out].sum()) for name in TAKEN}, known),
        unlisted=_outcome(found.unlisted, known),
        listed=1 - found.unlisted["sessions"] / total["sessions"] if total["sessions"] else None,
        days=len(both.days),
        goals_since=goals,
        visits_since=both.visits.first_held,
        offset=page.offset,
        matching=int(order.size),
    )


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


def _known_names(both: Both, goals: date | None) -> Mapping[str, bool]:
    """Say which figures are known: nothing is of goals that were first counted after the window, or never."""
    counted = goals is not None and goals <= both.of.window.last
    return {"sessions": True, "conversions": counted, "revenue": counted}


def _came(both: Both, by: tuple[str, ...]) -> Grouped:
    organic = both.of.held.history.term_id("channel", ORGANIC)
    return both.read("visits", by, TAKEN, channel=() if organic is None else (organic,))


def _by_query(both: Both) -> SharedOut:
    came = _came(both, ("page", "day"))
    clicked = both.read("page", ("page", "day"), ("clicks",))
    pairs = both.read("pair", ("page", "day", "query"), ("clicks",))
    page, day, query = pairs.keys
    return shared_out(
        (came.keys[0], came.keys[1]),
        {name: came.figures[name] for name in TAKEN},
        (clicked.keys[0], clicked.keys[1], clicked.clicks),
        (page, day, query, pairs.clicks),
    )


def _by_page(both: Both) -> SharedOut:
    """Give each page what it brought: nothing is shared out, and nothing unlisted."""
    came = _came(both, ("page",))
    clicked = both.read("page", ("page",), ("clicks",))
    clicks = dict(zip(clicked.keys[0].tolist(), clicked.clicks.tolist(), strict=True))
    heard = np.array([clicks.get(page, 0) for page in came.keys[0].tolist()], dtype=np.int64)
    figures = {name: came.figures[name].astype(np.float64) for name in TAKEN}
    return SharedOut(came.keys[0], figures, dict.fromkeys(TAKEN, 0.0), heard)


def _passing(both: Both, by: str, found: SharedOut) -> Ints:
    """Say which rows to list: those that the filter lets pass and that brought anything."""
    there = found.figures["sessions"] + found.figures["conversions"] > 0
    ids = both.of.narrow.ids
    if ids is None:
        return np.zeros(0, dtype=np.int64)
    if by in ids:
        there &= np.isin(found.query, np.array(ids[by], dtype=np.int64))
    return np.flatnonzero(there).astype(np.int64)


def _rows(
    site: SiteAccess, by: str, found: SharedOut, page: Slice, order: Ints, known: Mapping[str, bool]
) -> list[wire.OutcomeRow]:
    shown = page.of(order)
    labels = site.history.texts(by, found.query[shown].tolist())
    rows = []
    for at, key in zip(shown.tolist(), labels, strict=True):
        told = _outcome({name: float(found.figures[name][at]) for name in TAKEN}, known)
        rate = None if told.conversions is None or not told.sessions else told.conversions / told.sessions
        rows.append(wire.OutcomeRow(**told.model_dump(), key=key, clicks=int(found.listed_clicks[at]), rate=rate))
    return rows


def _outcome(amounts: Mapping[str, float], known: Mapping[str, bool]) -> wire.Outcome:
    told = {name: round(amounts[name], 6) if known[name] else None for name in TAKEN}
    if told["revenue"] is not None:
        told["revenue"] = round(amounts["revenue"] / CENTS, 6)
    return wire.Outcome.model_validate(told)


def answer(site: SiteAccess, asked: wire.OutcomesQuery) -> wire.Outcomes:
    """Answer for a site."""
    return outcomes(site, asked)
