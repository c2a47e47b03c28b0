"""Within reach: what could be gained just below a better band, by query and summed by page."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

from noctilum.core import reach as core
from noctilum.core.bands import band
from noctilum.core.curve import Curve, RowCurve, reference_rates, row_curve
from noctilum.core.filters import Test
from noctilum.core.filters.rows import picked
from noctilum.core.table import Grouped, SideBySide
from noctilum.readings.drivers import curve_of, curves_of, told_curve
from noctilum.readings.frame import Asked, Frame, frame
from noctilum.readings.header import figures, header
from noctilum.readings.holding import Holding
from noctilum.readings.rows_of import Slice
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.wire import explain as wire
from noctilum.wire import questions as ask
from noctilum.wire.questions import FEWEST

PER_DAYS = 28
MOST_PAGES = 20
Ints = npt.NDArray[np.int64]


def reach(held: Holding, asked: Asked, page: Slice | None = None, fewest: int = FEWEST) -> wire.Reach:
    """Find queries on pages at places 3.6 to 20.5 with what a better place would bring, most first.

    fewest: impressions in 28 days that a row needs, scaled to the window. Brand queries are left out.
    """
    page = page or Slice()
    of = frame(held, asked, ("query", "page"))
    found = of.read("pair", ("query", "page"))
    enough = fewest * max(1, len(of.now_days)) / PER_DAYS
    rows = _kept(of, found, enough)
    kept = found.taken(rows)
    gain = core.gain(kept.clicks, kept.impressions, place_of(kept), row_curves(of, kept))
    order = np.lexsort((kept.keys[1], kept.keys[0], -kept.impressions, -gain.clicks))
    shown = page.of(order)
    queries = held.history.texts("query", kept.keys[0][shown].tolist())
    pages = held.history.texts("page", kept.keys[1][shown].tolist())
    total = [float(part.sum()) for part in (gain.clicks, gain.low, gain.high)]
    return wire.Reach(
        **header(of, "pair"),
        rows=[_row(kept, gain, int(at), queries[n], pages[n]) for n, at in enumerate(shown)],
        pages=_pages(held, kept, gain),
        offset=page.offset,
        matching=int(order.size),
        fewest=enough,
        gain=round(total[0], 3),
        gain_low=round(total[1], 3),
        gain_high=round(total[2], 3),
        curve=_curve(curve_of(held)),
        curves=[told_curve(device, curve) for device, curve in curves_of(held).items()],
    )


def place_of(found: Grouped) -> npt.NDArray[np.float64]:
    """Give the average place of each row; 0 where it was not shown."""
    return found.position_milli / 1000 / np.maximum(found.impressions, 1)


def row_curves(of: Frame, found: Grouped) -> RowCurve:
    """Give the curve of each row of queries by page: those of its devices, weighed by its impressions on each."""
    curves = curves_of(of.held)
    numbers = {name: n for n, name in enumerate(of.held.history.all_texts("device"))}
    shown = np.zeros((max(1, len(curves)), len(found)), dtype=np.int64)
    if len(curves) > 1 and len(found):
        only = {dim: tuple(np.unique(found.keys[n]).tolist()) for n, dim in enumerate(("query", "page"))}
        parts = of.read("pair", ("query", "page", "device"), only=only)
        width = int(max(parts.keys[1].max(initial=0), found.keys[1].max())) + 1
        codes, wanted = (each.keys[0] * width + each.keys[1] for each in (parts, found))
        order = np.argsort(wanted)
        at = np.minimum(np.searchsorted(wanted[order], codes), len(found) - 1)
        mine = wanted[order][at] == codes
        for n, device in enumerate(curves):
            rows = mine & (parts.keys[2] == numbers[device])
            shown[n, order[at[rows]]] = parts.impressions[rows]
    return row_curve(tuple(curves.values()) or (curve_of(of.held),), shown)


def generic(of: Frame, found: Grouped) -> npt.NDArray[np.bool_]:
    """Say which rows, whose first key is the query, do not name the client; shape (rows,)."""
    _, brand = of.narrow.terms.of(Test("brand", "holds"))
    return ~picked(brand, found.keys[0])


def _kept(of: Frame, found: Grouped, enough: float) -> npt.NDArray[np.bool_]:
    kept = core.within_reach(found.impressions, place_of(found), enough) & generic(of, found)
    listed = of.narrow.listed(SideBySide(found.keys, found, _zeros(found)))
    if listed is not None:
        passing = np.zeros(len(found), dtype=bool)
        passing[listed] = True
        kept &= passing
    return kept


def _zeros(found: Grouped) -> Grouped:
    none = np.zeros(len(found), dtype=np.int64)
    return Grouped(found.keys, dict.fromkeys(found.figures, none))


def _row(found: Grouped, gain: core.Gain, at: int, query: str, page: str) -> wire.ReachRow:
    sums = found.row(at)
    return wire.ReachRow(
        query=query,
        page=page,
        figures=figures(sums),
        band=band(sums.position),
        target=int(gain.target[at]),
        gain=round(float(gain.clicks[at]), 3),
        gain_low=round(float(gain.low[at]), 3),
        gain_high=round(float(gain.high[at]), 3),
    )


def _pages(held: Holding, found: Grouped, gain: core.Gain) -> list[wire.ReachPage]:
    """Sum the gains of a page's queries; pages with most first."""
    page, place = np.unique(found.keys[1], return_inverse=True)
    sums = [np.bincount(place, weights=part, minlength=page.size) for part in (gain.clicks, gain.low, gain.high)]
    queries = np.bincount(place, minlength=page.size)
    top = np.lexsort((page, -sums[0]))[:MOST_PAGES]
    names = held.history.texts("page", page[top].tolist())
    return [
        wire.ReachPage(
            page=name,
            queries=int(queries[at]),
            gain=round(float(sums[0][at]), 3),
            gain_low=round(float(sums[1][at]), 3),
            gain_high=round(float(sums[2][at]), 3),
        )
        for at, name in zip(top, names, strict=True)
    ]


def _curve(curve: Curve) -> list[wire.CurvePoint]:
    reference = reference_rates(len(curve.rates)).tolist()
    rows = zip(curve.rates, reference, curve.evidence, strict=True)
    return [
        wire.CurvePoint(place=n, rate=rate, reference=ref, evidence=shown)
        for n, (rate, ref, shown) in enumerate(rows, start=1)
    ]


def answer(site: SiteAccess, asked: ask.ReachQuery) -> wire.Reach:
    """Answer for a site."""
    return reach(site.holding, site.asked(asked), rows_asked(asked), asked.fewest)
