"""Mobile against desktop: queries that stand elsewhere on one than on the other."""

from __future__ import annotations

import numpy as np

from noctilum.core.errors import Nonsense
from noctilum.core.table import SideBySide, side_by_side
from noctilum.readings.drivers import curves_of
from noctilum.readings.frame import Asked, Frame, frame, grain_of
from noctilum.readings.header import figures, header
from noctilum.readings.holding import Holding
from noctilum.readings.reach import PER_DAYS, place_of
from noctilum.readings.rows_of import Floats, Slice
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.wire import compare as wire
from noctilum.wire import questions as ask
from noctilum.wire.questions import FEWEST

DEVICES = ("mobile", "desktop")


def device_gap(held: Holding, asked: Asked, page: Slice | None = None, fewest: int = FEWEST) -> wire.DeviceGap:
    """Set each query's mobile and desktop figures side by side, most to be gained on the worse device first.

    fewest: impressions in 28 days that a query needs on both devices, scaled to the window. gain: impressions
    on the worse device × (that device's click-through at the better place − at its own).
    """
    page = page or Slice()
    if "device" in asked.where:
        raise Nonsense("filtered-by-itself", "Devices cannot be compared within one device.", where="device")
    of = frame(held, asked, ("query",))
    of.refuse_results("Mobile against desktop")
    grain = grain_of({"query", "device"} | of.dims)
    both = _sides(of, grain)
    enough = fewest * max(1, len(of.now_days)) / PER_DAYS
    kept = np.flatnonzero((both.now.impressions >= enough) & (both.before.impressions >= enough))
    mobile, desktop = place_of(both.now), place_of(both.before)
    gain = _gain(held, both, mobile, desktop)
    order = kept[np.lexsort((both.keys[0][kept], -gain[kept]))]
    shown = page.of(order)
    queries = held.history.texts("query", both.keys[0][shown].tolist())
    return wire.DeviceGap(
        **header(of, grain),
        rows=[
            wire.DeviceGapRow(
                query=query,
                mobile=figures(both.now.row(int(at))),
                desktop=figures(both.before.row(int(at))),
                gap=round(float(mobile[at] - desktop[at]), 3),
                worse="mobile" if mobile[at] > desktop[at] else "desktop",
                gain=round(float(gain[at]), 3),
            )
            for at, query in zip(shown, queries, strict=True)
        ],
        mobile=figures(both.now.sums),
        desktop=figures(both.before.sums),
        offset=page.offset,
        matching=int(order.size),
        fewest=enough,
    )


def _sides(of: Frame, grain: str) -> SideBySide:
    """Give queries with their mobile figures as now and their desktop figures as before."""
    found = of.read(grain, ("query", "device"))
    names = of.held.history.all_texts("device")
    parts = []
    for name in DEVICES:
        rows = found.taken(found.keys[1] == (names.index(name) if name in names else -1))
        parts.append(rows.by(0))
    return side_by_side(*parts)


def _gain(held: Holding, both: SideBySide, mobile: Floats, desktop: Floats) -> Floats:
    curves = curves_of(held)
    gain = np.zeros(mobile.size)
    for name, side, own, other in (
        ("mobile", both.now, mobile, desktop),
        ("desktop", both.before, desktop, mobile),
    ):
        if name in curves:
            worse = own > other
            more = side.impressions * (curves[name].at(other) - curves[name].at(own))
            gain[worse] = more[worse]
    return gain


def answer(site: SiteAccess, asked: ask.ReachQuery) -> wire.DeviceGap:
    """Answer for a site."""
    return device_gap(site.holding, site.asked(asked), rows_asked(asked), asked.fewest)
