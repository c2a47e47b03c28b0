"""Overlap: queries that two or more pages of the site share, and how often they take turns."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from noctilum.core import overlap as core
from noctilum.core.table import Grouped
from noctilum.core.windows import Window
from noctilum.readings.frame import Asked, Frame, frame
from noctilum.readings.header import figures, header
from noctilum.readings.holding import Holding
from noctilum.readings.reach import PER_DAYS
from noctilum.readings.rows_of import Ints, Slice
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.wire import explain as wire
from noctilum.wire import questions as ask
from noctilum.wire.questions import FEWEST


def overlap(held: Holding, asked: Asked, page: Slice | None = None, fewest: int = FEWEST) -> wire.Overlap:
    """Find queries of which at least two pages have a tenth of the impressions each, those shown most first."""
    page = page or Slice()
    of = frame(held, asked, ("query", "page"))
    of.refuse_results("Overlap")
    enough = fewest * max(1, len(of.now_days)) / PER_DAYS
    found = of.read("pair", ("query", "page"))
    sharing = found.taken(core.sharing(found))
    query, place = np.unique(sharing.keys[0], return_inverse=True)
    weight = np.bincount(place, weights=sharing.impressions, minlength=query.size)
    order = np.lexsort((query, -weight))
    order = order[weight[order] >= enough]
    shown = query[page.of(order)]
    days, turns, led = _turns(of, shown)
    rows = [_row(held, found, sharing, int(q), days, turns, led) for q in shown]
    return wire.Overlap(**header(of, "pair"), rows=rows, offset=page.offset, matching=int(order.size), fewest=enough)


def _turns(of: Frame, queries: Ints) -> tuple[dict[int, int], dict[int, int], dict[tuple[int, int], int]]:
    """Count for each query: days seen, days on which the leader changed, days that each page led."""
    if not queries.size:
        return {}, {}, {}
    out = frozenset(of.window.days()) - frozenset(of.now_days)
    window = Window(of.window.first, of.window.last)
    daily = of.read_days("pair", ("query", "day", "page"), window, out, {"query": tuple(queries.tolist())})
    query, _, page = core.leaders(daily)
    counted = core.switches(query, page)
    led: dict[tuple[int, int], int] = {}
    for pair in zip(query.tolist(), page.tolist(), strict=True):
        led[pair] = led.get(pair, 0) + 1
    return {q: n for q, (n, _) in counted.items()}, {q: c for q, (_, c) in counted.items()}, led


def _row(
    held: Holding,
    found: Grouped,
    sharing: Grouped,
    query: int,
    days: dict[int, int],
    turns: dict[int, int],
    led: dict[tuple[int, int], int],
) -> wire.OverlapRow:
    whole = found.taken(found.keys[0] == query).sums
    mine = sharing.taken(sharing.keys[0] == query)
    order = np.lexsort((mine.keys[1], -mine.impressions))
    names = held.history.texts("page", mine.keys[1][order].tolist())
    pages = [
        wire.SharingPage(
            page=name,
            figures=figures(mine.row(int(at))),
            share=mine.row(int(at)).impressions / whole.impressions,
            days_led=led.get((query, int(mine.keys[1][at])), 0),
        )
        for at, name in zip(order, names, strict=True)
    ]
    return wire.OverlapRow(
        query=held.history.texts("query", [query])[0],
        figures=figures(whole),
        pages=pages,
        days_seen=days.get(query, 0),
        switches=turns.get(query, 0),
        earns_more=_earns_more(pages),
    )


def _earns_more(pages: Sequence[wire.SharingPage]) -> str | None:
    """Name the page with the higher click-through; None where none has a click."""
    best = max(pages, key=lambda each: (each.figures.ctr or 0.0, each.figures.clicks))
    return best.page if best.figures.clicks else None


def answer(site: SiteAccess, asked: ask.ReachQuery) -> wire.Overlap:
    """Answer for a site."""
    return overlap(site.holding, site.asked(asked), rows_asked(asked), asked.fewest)
