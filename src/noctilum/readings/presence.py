"""Where pages stand: in the sitemaps, in the index, among what was shown; and how new pages get from one on."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from noctilum.core.errors import NotThere
from noctilum.datasets import DATASETS
from noctilum.history import Question
from noctilum.readings.frame import Frame
from noctilum.readings.grains import read
from noctilum.readings.header import header
from noctilum.readings.holding import Holding
from noctilum.readings.rows_of import Ints
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.readings.standing import first_day, frame_over, held_of, last_held, standing_on
from noctilum.wire import index as wire

INDEXED, SITEMAP, PAGE = DATASETS["indexed"], DATASETS["sitemap"], DATASETS["page"]
ORDER: tuple[wire.Where, ...] = (
    *("gone", "listed, not indexed", "listed, not shown", "shown, not listed", "only indexed", "as it should be"),
)
WANTED: dict[str, tuple[wire.Where, ...]] = {
    "amiss": ORDER[:5],
    "gone": ORDER[:1],
    "not-indexed": ORDER[1:2],
    "not-shown": ORDER[2:3],
    "not-listed": ORDER[3:4],
    "only-indexed": ORDER[4:5],
    "all": ORDER,
}


@dataclass(frozen=True)
class Known:
    """What is held of a site's pages; None for what is not."""

    sitemaps: Holding | None
    index: Holding | None
    searches: Holding | None

    @property
    def first(self) -> Holding:
        """The first that is held, on which windows end; raises NotThere where neither sitemaps nor index are."""
        if self.sitemaps is None and self.index is None:
            raise NotThere(
                "no-index",
                "Neither sitemaps nor the index of this site are read.",
                remedy="connect its sitemap or a source of index, under Sources or with `noctilum connect`",
            )
        found = self.searches or self.index or self.sitemaps
        assert found is not None
        return found


def known_of(site: SiteAccess) -> Known:
    """Look at what is held of pages."""
    searches = held_of(site, PAGE) if site.sources else None
    return Known(held_of(site, SITEMAP), held_of(site, INDEXED), searches)


def presence(site: SiteAccess, asked: wire.PresenceQuery) -> wire.Presence:
    """Set the pages that are listed, indexed and shown side by side; raises NotThere as Known.first does."""
    known = known_of(site)
    of = frame_over(site, known.first, asked.window, asked.language)
    last = of.window.last
    listed_on, listed = _listed(known, last if known.sitemaps is None else max(last, known.sitemaps.complete_through))
    indexed_on = last_held(known.index, max(last, known.index.complete_through)) if known.index else None
    indexed = _indexed(known, indexed_on)
    shown = _shown(known, of)
    pages = sorted({*(listed or ()), *(indexed or ()), *(shown or ())})
    stands = {page: _stands(page, listed, indexed, shown) for page in pages}
    wanted = [page for page in pages if stands[page] in WANTED[asked.only]]
    labels = dict(zip(wanted, site.history.texts("page", wanted), strict=True))
    heard = shown or {}
    wanted.sort(key=lambda page: (ORDER.index(stands[page]), -heard.get(page, (0, 0))[0], labels[page]))
    part = rows_asked(asked)
    firsts = site.history.first_days("page", known.sitemaps.sources) if known.sitemaps else None
    rows = [
        wire.PresenceRow(
            page=labels[page],
            standing=stands[page],
            listed=None if listed is None else page in listed,
            indexed=None if indexed is None else page in indexed,
            impressions=None if shown is None else heard.get(page, (0, 0))[0],
            clicks=None if shown is None else heard.get(page, (0, 0))[1],
            since=None if firsts is None else first_day(firsts, page),
        )
        for page in wanted[part.offset : part.offset + part.limit]
    ]
    before = _indexed(known, of.window.first - timedelta(1)) if known.index else None
    covers = known.index is not None and known.index.first_held < of.window.first
    counts = [wire.StandingCount(standing=name, pages=sum(s == name for s in stands.values())) for name in ORDER]
    return wire.Presence(
        **header(of, of.held.grain),
        rows=rows,
        counts=counts,
        listed=None if listed is None else len(listed),
        indexed=None if indexed is None else len(indexed),
        indexed_before=len(before) if before is not None and covers else None,
        shown=None if shown is None else len(shown),
        listed_on=listed_on,
        indexed_on=indexed_on,
        offset=part.offset,
        matching=len(wanted),
    )


def _listed(known: Known, through: date) -> tuple[date | None, frozenset[int] | None]:
    day = last_held(known.sitemaps, through) if known.sitemaps else None
    if known.sitemaps is None or day is None:
        return None, None
    found = read(known.sitemaps.history, Question(SITEMAP.name, day, day, ("page",), sources=known.sitemaps.sources))
    return day, frozenset(found.keys[0].tolist())


def _indexed(known: Known, day: date | None) -> frozenset[int] | None:
    if known.index is None or day is None:
        return None
    return frozenset(standing_on(known.index, INDEXED, day, "page")[0].tolist())


def _shown(known: Known, of: Frame) -> dict[int, tuple[int, int]] | None:
    """Give impressions and clicks of the pages shown in the window."""
    if known.searches is None:
        return None
    measures = ("impressions", "clicks")
    asked = Question(
        "page", of.window.first, of.window.last, ("page",), {}, frozenset(), known.searches.sources, measures
    )
    found = read(known.searches.history, asked)
    rows = zip(found.keys[0].tolist(), found.figures["impressions"].tolist(), found.clicks.tolist(), strict=True)
    return {page: (impressions, clicks) for page, impressions, clicks in rows if impressions}


def _stands(
    page: int,
    listed: frozenset[int] | None,
    indexed: frozenset[int] | None,
    shown: dict[int, tuple[int, int]] | None,
) -> wire.Where:
    """Say where a page stands, the first that fits; what is not held says nothing."""
    in_map, in_index, was_shown = (None if of is None else page in of for of in (listed, indexed, shown))
    if was_shown and in_map is False and in_index is False:
        return "gone"
    if in_map and in_index is False and not was_shown:
        return "listed, not indexed"
    if in_map and was_shown is False:
        return "listed, not shown"
    if was_shown and in_map is False:
        return "shown, not listed"
    if in_index and in_map is False and not was_shown:
        return "only indexed"
    return "as it should be"


def answer(site: SiteAccess, asked: wire.PresenceQuery) -> wire.Presence:
    """Answer for a site."""
    return presence(site, asked)


def arrivals(site: SiteAccess, asked: wire.ArrivalsQuery) -> wire.Arrivals:
    """List the pages that were new in the window, the newest first: listed first, or indexed where nothing lists.

    Pages of the first day read are as old as nobody knows, and not new.
    """
    known = known_of(site)
    known.first  # noqa: B018
    base = known.sitemaps or known.index
    assert base is not None
    of = frame_over(site, base, asked.window, asked.language)
    listed, indexed, shown = (_firsts(site, held) for held in (known.sitemaps, known.index, known.searches))
    began = listed if known.sitemaps else indexed
    assert began is not None
    first = max(of.window.first, base.first_held + timedelta(1)).toordinal()
    pages = np.flatnonzero((began >= first) & (began <= of.window.last.toordinal()))
    pages = pages[np.lexsort((pages, -began[pages]))]
    part = rows_asked(asked)
    labels = site.history.texts("page", pages.tolist())
    every = [
        _arrival(label, page, began, listed, indexed, shown, of.window.last)
        for label, page in zip(labels, pages.tolist(), strict=True)
    ]
    return wire.Arrivals(
        **header(of, of.held.grain),
        rows=every[part.offset : part.offset + part.limit],
        typical_index=_middle([row.days_to_index for row in every]) if known.sitemaps else None,
        typical_show=_middle([row.days_to_show for row in every]),
        not_indexed=None if indexed is None else sum(row.indexed is None for row in every),
        not_shown=None if shown is None else sum(row.shown is None for row in every),
        offset=part.offset,
        matching=len(every),
    )


def _firsts(site: SiteAccess, held: Holding | None) -> Ints | None:
    return site.history.first_days("page", held.sources) if held else None


def _arrival(
    label: str, page: int, began: Ints, listed: Ints | None, indexed: Ints | None, shown: Ints | None, today: date
) -> wire.ArrivalRow:
    start = date.fromordinal(int(began[page]))
    at = {
        name: None if firsts is None else first_day(firsts, page)
        for name, firsts in (("listed", listed), ("indexed", indexed), ("shown", shown))
    }
    lacking = (indexed is not None and at["indexed"] is None) or (shown is not None and at["shown"] is None)
    return wire.ArrivalRow(
        page=label,
        **at,
        days_to_index=None if at["indexed"] is None or listed is None else (at["indexed"] - start).days,
        days_to_show=None if at["shown"] is None else (at["shown"] - start).days,
        waiting=(today - start).days if lacking else None,
    )


def _middle(days: list[int | None]) -> float | None:
    known = [day for day in days if day is not None]
    return float(np.median(known)) if known else None


def answer_arrivals(site: SiteAccess, asked: wire.ArrivalsQuery) -> wire.Arrivals:
    """Answer for a site."""
    return arrivals(site, asked)
