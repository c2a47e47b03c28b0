"""Breakdowns: figures by one dimension, adding up to the provider's own total."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from noctilum.core.bands import band
from noctilum.core.change import too_few
from noctilum.core.errors import Nonsense, worded
from noctilum.core.measures import Sums
from noctilum.core.table import SideBySide, side_by_side
from noctilum.readings.frame import Asked, Frame, frame, grain_of
from noctilum.readings.header import change_of, figures, frame_cautions, header
from noctilum.readings.holding import Holding
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import questions as ask
from noctilum.wire import readings as wire

WORTH_TELLING = 0.01
"""The share of the total that a fall must be to be told by itself (ours)."""
SORTS = ("clicks", "impressions", "ctr", "position", "change", "before", "key")


@dataclass(frozen=True)
class Page:
    """Say which rows of a breakdown to give.

    find: text that a row's key must hold (case and accents as typed are ignored by casefold). sort:
    one of SORTS, best first; a leading "-" turns it round.
    """

    find: str = ""
    sort: str = "clicks"
    limit: int = 50
    offset: int = 0

    def __post_init__(self) -> None:
        if self.sort.lstrip("-") not in SORTS:
            raise Nonsense(
                "no-such-sort",
                worded("Rows cannot be sorted by {sort!r}.", sort=self.sort),
                remedy=worded("one of {sorts}", sorts=", ".join(SORTS)),
            )
        if self.limit < 1 or self.offset < 0:
            raise Nonsense("page-out-of-range", "A page holds a row or more from 0 or later on.", where="limit, offset")


def breakdown(held: Holding, asked: Asked, dimension: wire.Dimension, page: Page) -> wire.Breakdown:
    """Read a breakdown: rows, the rest, what lies outside the text looked for, unlisted, total.

    Every part counts the same days. Unlisted is known only where the total comes from another grain
    than the rows: queries of a site, queries of one page, and looks, where it is what looked like any other result.
    """
    if dimension in asked.where:
        raise Nonsense(
            "filtered-by-itself",
            worded("Rows narrowed to one {dimension} cannot be broken down by {dimension}.", dimension=dimension),
        )
    of = frame(held, asked, (dimension,))
    grain = grain_of({dimension} | of.dims)
    both = side_by_side(of.read(grain, (dimension,)), of.read(grain, (dimension,), before=True))
    ids = both.keys[0]
    matching = _matching(held, dimension, ids, page.find, of.narrow.listed(both, of.times))
    order = _ordered(held, dimension, both, matching, page.sort, of.times)
    shown = order[page.offset : page.offset + page.limit]
    labels = held.history.texts(dimension, ids[shown].tolist())
    listed = _both_sums(both)
    inside = _both_sums(_taken(both, matching))
    total = _total(of, dimension, listed)
    on_page = _both_sums(_taken(both, shown))
    rest = (inside[0] - on_page[0], inside[1] - on_page[1])
    outside = (listed[0] - inside[0], listed[1] - inside[1])
    known = total is not None and total is not listed
    unlisted = (total[0] - listed[0], total[1] - listed[1]) if total and known else None
    if unlisted == (Sums(), Sums()) and of.stood_in("site"):
        unlisted = None
    left = int(order.size) - int(shown.size)
    rows = [_row(of, both, int(at), label) for at, label in zip(shown, labels, strict=True)]
    whole = _rest(of, None, total or listed)
    return wire.Breakdown(
        **header(of, grain, cautions=_cautions(of, grain, total is None)),
        dimension=dimension,
        rows=rows,
        sort=page.sort,
        offset=page.offset,
        matching=int(order.size),
        rest=_rest(of, left, rest) if left else None,
        outside=_rest(of, len(ids) - int(order.size), outside) if page.find or of.narrow.results is not None else None,
        unlisted=_rest(of, None, unlisted) if unlisted else None,
        total=whole,
        largest_fall=_largest_fall(rows, whole),
    )


def _matching(
    held: Holding, dimension: str, ids: npt.NDArray[np.int64], find: str, listed: npt.NDArray[np.intp] | None
) -> npt.NDArray[np.intp]:
    """Say which rows hold the text looked for and pass the filter on results."""
    if listed is not None and find:
        return np.intersect1d(listed, _matching(held, dimension, ids, find, None))
    if listed is not None:
        return listed
    if not find:
        return np.arange(ids.size)
    texts = held.history.all_texts(dimension)
    wanted = find.casefold()
    hits = np.fromiter((wanted in texts[i].casefold() for i in ids.tolist()), dtype=bool, count=ids.size)
    return np.flatnonzero(hits)


def _ordered(
    held: Holding, dimension: str, both: SideBySide, rows: npt.NDArray[np.intp], sort: str, times: float
) -> npt.NDArray[np.intp]:
    """Order rows; ties by impressions, then by id, so that the same question gives the same order."""
    name, turned = sort.lstrip("-"), sort.startswith("-")
    if name == "key":
        texts = held.history.all_texts(dimension)
        ids = both.keys[0]
        ordered = sorted(rows.tolist(), key=lambda at: texts[int(ids[at])], reverse=turned)
        return np.asarray(ordered, dtype=np.intp)
    value = _value(both, name, times)[rows]
    signed = -value if turned else value
    return rows[np.lexsort((both.keys[0][rows], -both.now.impressions[rows], signed))]


def _value(both: SideBySide, name: str, times: float) -> npt.NDArray[np.float64]:
    """Give what to sort ascending: the best come first; undefined ones last. times: what before counts times."""
    now, before = both.now, both.before
    shown = np.maximum(now.impressions, 1)
    values = {
        "clicks": -now.clicks,
        "before": -before.clicks,
        "impressions": -now.impressions,
        "change": now.clicks - before.clicks * times,
        "ctr": np.where(now.impressions > 0, -now.clicks / shown, np.inf),
        "position": np.where(now.impressions > 0, now.position_milli / shown, np.inf),
    }
    return np.asarray(values[name], dtype=np.float64)


def _taken(both: SideBySide, rows: npt.NDArray[np.intp]) -> SideBySide:
    return SideBySide(tuple(key[rows] for key in both.keys), both.now.taken(rows), both.before.taken(rows))


def _both_sums(both: SideBySide) -> tuple[Sums, Sums]:
    return both.now.sums, both.before.sums


def _total(of: Frame, dimension: str, listed: tuple[Sums, Sums]) -> tuple[Sums, Sums] | None:
    """The provider's own total at the grain that is right for it; None under a filter on queries.

    Gives listed itself where the rows are the total; looks are where they share impressions and so make more than it.
    """
    if "query" in of.dims:
        return None
    if dimension not in ("query", "look") or "look" in of.dims:
        return listed
    grain = grain_of(of.dims - {dimension})
    total = of.read(grain, ()).sums, of.read(grain, (), before=True).sums
    shared = any(part.impressions > whole.impressions for part, whole in zip(listed, total, strict=True))
    return listed if dimension == "look" and shared else total


def _cautions(of: Frame, grain: str, unknown: bool) -> list[wire.Caution]:
    found = frame_cautions(of, grain)
    if unknown:
        found.append(wire.Caution(code="withheld-unknown"))
    return found


def _row(of: Frame, both: SideBySide, at: int, label: str) -> wire.Row:
    now, before = both.now.row(at), both.before.row(at)
    few = of.against is not None and of.comparable and too_few(now, before)
    return wire.Row(
        key=label,
        now=figures(now),
        before=figures(before) if of.against else None,
        change=change_of(of.change(now, before)),
        band=band(now.position),
        verdict="too few to tell" if few else None,
    )


def _rest(of: Frame, rows: int | None, sums: tuple[Sums, Sums]) -> wire.RestRow:
    now, before = sums
    return wire.RestRow(
        rows=rows,
        now=figures(now),
        before=figures(before) if of.against else None,
        change=change_of(of.change(now, before)),
    )


def _largest_fall(rows: Sequence[wire.Row], whole: wire.RestRow) -> wire.Row | None:
    """Find the row with the largest fall, where its numbers can bear a statement and it is a hundredth of the total."""
    falling = [(row.change.clicks, row) for row in rows if row.change and row.change.clicks < 0 and not row.verdict]
    if not falling or not whole.now.clicks:
        return None
    lost, row = min(falling, key=lambda each: each[0])
    return row if -lost >= WORTH_TELLING * whole.now.clicks else None


def answer(site: SiteAccess, asked: ask.BreakdownQuery) -> wire.Breakdown:
    """Answer for a site."""
    page = Page(asked.find, asked.sort, asked.limit, asked.offset)
    return breakdown(site.holding, site.asked(asked), asked.dimension, page)
