"""Unclicked queries on pages: seen, with far fewer clicks than their places let expect."""

from __future__ import annotations

import numpy as np

from noctilum.core.unclicked import may_be_passed_over, passed_over
from noctilum.readings.drivers import curve_of, curves_of
from noctilum.readings.frame import Asked, frame
from noctilum.readings.header import figures, header
from noctilum.readings.holding import Holding
from noctilum.readings.reach import generic, place_of, row_curves
from noctilum.readings.rows_of import Slice
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.wire import compare as wire
from noctilum.wire import questions as ask


def unclicked(held: Holding, asked: Asked, page: Slice | None = None) -> wire.Unclicked:
    """Find queries on pages with far fewer clicks than their places let expect, most missing first; no brand."""
    page = page or Slice()
    of = frame(held, asked, ("query", "page"))
    of.refuse_results("Impressions without clicks")
    rows = of.read("pair", ("query", "page"))
    curves = tuple(curves_of(held).values()) or (curve_of(held),)
    near = may_be_passed_over(rows.clicks, rows.impressions, place_of(rows), curves)
    rows = rows.taken(near & generic(of, rows))
    judged = passed_over(rows.clicks, rows.impressions, place_of(rows), row_curves(of, rows))
    missing = judged.expected - rows.clicks
    found = np.flatnonzero(judged.found)
    order = found[np.lexsort((rows.keys[1][found], rows.keys[0][found], -missing[found]))]
    shown = page.of(order)
    queries = held.history.texts("query", rows.keys[0][shown].tolist())
    pages = held.history.texts("page", rows.keys[1][shown].tolist())
    return wire.Unclicked(
        **header(of, "pair"),
        rows=[
            wire.UnclickedRow(
                query=query,
                page=on,
                figures=figures(rows.row(int(at))),
                expected=round(float(judged.expected[at]), 3),
                missing=round(float(missing[at]), 3),
                p=float(judged.p[at]),
            )
            for at, query, on in zip(shown, queries, pages, strict=True)
        ],
        offset=page.offset,
        matching=int(order.size),
        missing=round(float(missing[found].sum()), 3),
    )


def answer(site: SiteAccess, asked: ask.UnclickedQuery) -> wire.Unclicked:
    """Answer for a site."""
    return unclicked(site.holding, site.asked(asked), rows_asked(asked))
