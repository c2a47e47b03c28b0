"""Pages or queries that were shown day by day and of late are not."""

from __future__ import annotations

from datetime import date, timedelta

import numpy as np

from noctilum.core.days import HELD
from noctilum.core.silence import BASE_DAYS, LEAST_SHOWN, MOST_DAYS, counted_days, silences, told
from noctilum.core.windows import Window
from noctilum.readings.frame import Frame, frame, grain_of
from noctilum.readings.grains import standing
from noctilum.readings.header import header
from noctilum.readings.rows_of import Ints
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.wire import breaks as wire


def answer(site: SiteAccess, asked: wire.SilentQuery) -> wire.Silent:
    """Find rows that fell silent in the window and are so on its last day. Raises Nonsense for a filter on results."""
    of = frame(site.holding, site.asked(asked), (asked.item,))
    of.refuse_results("Silence")
    grain = grain_of({asked.item} | of.dims)
    span = Window(of.window.last - timedelta(BASE_DAYS + MOST_DAYS - 1), of.window.last)
    days = _counted(of, span)
    ids, shown, clicks = _by_day(of, grain, asked.item, span, days)
    found = silences(shown)
    since = np.array([days[-n].toordinal() if n else 0 for n in found.days.tolist()], dtype=np.int64)
    rows = told(found, wire.SILENT_LEAST)
    rows = rows[since[rows] >= of.window.first.toordinal()]
    before = _clicks_before(clicks, found.days)
    order = rows[np.lexsort((ids[rows], -found.usual[rows], -before[rows]))]
    page = rows_asked(asked)
    shown_rows = page.of(order)
    labels = site.history.texts(asked.item, ids[shown_rows].tolist())
    return wire.Silent(
        **header(of, grain),
        item=asked.item,
        rows=[
            wire.SilentRow(
                key=label,
                since=date.fromordinal(int(since[n])),
                days=int(found.days[n]),
                usual=round(float(found.usual[n])),
                clicks=int(before[n]),
                queries=_queries(of, int(ids[n]), date.fromordinal(int(since[n]))) if asked.item == "page" else None,
                chance=float(found.chance[n]),
            )
            for label, n in zip(labels, shown_rows.tolist(), strict=True)
        ],
        looked_at=int(found.steady.sum()),
        offset=page.offset,
        matching=int(order.size),
    )


def _queries(of: Frame, page: int, since: date) -> int | None:
    """Count the listed queries of a page in the 28 days before its silence; None where none are held by page."""
    span = Window(since - timedelta(BASE_DAYS), since - timedelta(1))
    known = standing(of.held.history, of.held.sources, "pair").states
    if of.dims - {"page"} or not any(known.get(day) in HELD for day in span.days()):
        return None
    return len(of.read_days("pair", ("query",), span, only={"page": (page,)}, measures=("impressions",)))


def _counted(of: Frame, span: Window) -> list[date]:
    """Give the held days on which the whole was about as usual."""
    held = [day for day in span.days() if of.held.states.get(day) in HELD]
    found = of.read_days(grain_of(of.dims), ("day",), span, measures=("impressions",))
    whole = dict(zip(found.keys[0].tolist(), found.impressions.tolist(), strict=True))
    kept = counted_days(np.array([whole.get(day.toordinal(), 0) for day in held], dtype=np.int64))
    return [day for day, counts in zip(held, kept.tolist(), strict=True) if counts]


def _by_day(of: Frame, grain: str, item: str, span: Window, days: list[date]) -> tuple[Ints, Ints, Ints]:
    """Arrange impressions and clicks as (rows, days)."""
    out = frozenset(span.days()) - frozenset(days)
    found = of.read_days(grain, (item, "day"), span, out, measures=("impressions", "clicks"))
    ids, place = np.unique(found.keys[0], return_inverse=True)
    ordinals = np.array([day.toordinal() for day in days], dtype=np.int64)
    at = np.searchsorted(ordinals, found.keys[1])
    # what is not shown on enough days cannot be missed, and most queries are not
    kept = np.bincount(place, weights=found.impressions > 0, minlength=ids.size) >= LEAST_SHOWN * BASE_DAYS
    row = np.cumsum(kept) - 1
    mine = kept[place]
    sides = []
    for values in (found.impressions, found.clicks):
        side = np.zeros((int(kept.sum()), len(days)), dtype=np.int64)
        side[row[place[mine]], at[mine]] = values[mine]
        sides.append(side)
    return ids[kept], sides[0], sides[1]


def _clicks_before(clicks: Ints, silent: Ints) -> Ints:
    """Add up the clicks of each row over the 28 days before its silence."""
    summed = np.concatenate([np.zeros((clicks.shape[0], 1), dtype=np.int64), clicks.cumsum(axis=1)], axis=1)
    end = clicks.shape[1] - silent
    rows = np.arange(clicks.shape[0])
    return np.asarray(summed[rows, end] - summed[rows, np.maximum(0, end - BASE_DAYS)], dtype=np.int64)
