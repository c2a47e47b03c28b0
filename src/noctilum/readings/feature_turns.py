"""What came to the result pages of tracked keywords and stays, or left them: each told against its own trembling."""

from __future__ import annotations

from datetime import date, timedelta

import numpy as np
import numpy.typing as npt

from noctilum.core.turns import LEAST, Turn, turn
from noctilum.core.windows import Window
from noctilum.datasets.lookups import TRACKED
from noctilum.history import Question
from noctilum.readings.rank_rows import Tracked, rank_header, tracked
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.wire import ranks as wire

Ints = npt.NDArray[np.int64]
BACK = 196
"""So many days before the window are read for what was usual: eight weeks of daily lookups, 28 weekly ones."""


def answer(site: SiteAccess, asked: wire.FeatureTurnsQuery) -> wire.FeatureTurns:
    """Find the keywords at which a feature came or left in the window; raises NotThere."""
    of = tracked(site, asked)
    window = of.frame.window
    span = Window(window.first - timedelta(BACK), window.last)
    shown = _shown(of, asked.feature, span)
    found, looked_at = [], 0
    for n in range(len(of.keywords)):
        days, there = _lookups(of, n, span, shown)
        earliest = int(np.searchsorted(days, window.first.toordinal()))
        turned = turn(there, earliest) if earliest < days.size else None
        looked_at += days.size > 0
        if turned is not None:
            found.append((n, days, turned))
    rows = [_row(of, *each) for each in found if each[2].chance * looked_at <= LEAST]
    rows.sort(key=lambda row: (-row.since.toordinal(), row.term, row.device, row.place))
    page = rows_asked(asked)
    return wire.FeatureTurns(
        **rank_header(of.frame, "features"),
        feature=asked.feature,
        looked_at=looked_at,
        rows=rows[page.offset : page.offset + page.limit],
        offset=page.offset,
        matching=len(rows),
    )


def _shown(of: Tracked, feature: str, span: Window) -> tuple[Ints, Ints]:
    """Read the lookups that showed a feature: (keyword × days of the span + day, how many), rising."""
    number = of.site.history.term_id("feature", feature)
    if number is None:
        return np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64)
    by, only = (*TRACKED, "day"), {"feature": (number,)}
    found = of.site.history.read(
        Question("features", span.first, span.last, by, only, sources=of.frame.held.sources, measures=("present",))
    )
    owner = of.owners(found.keys[: len(TRACKED)])
    mine = owner >= 0
    cells = owner[mine] * len(span) + found.keys[-1][mine] - span.first.toordinal()
    order = np.argsort(cells)
    return cells[order], found.figures["present"][mine][order]


def _lookups(of: Tracked, at: int, span: Window, shown: tuple[Ints, Ints]) -> tuple[Ints, npt.NDArray[np.bool_]]:
    """Give the days a keyword was looked up on, and whether most of each day's lookups showed the feature."""
    if of.looks[at] < 0:
        return np.zeros(0, dtype=np.int64), np.zeros(0, dtype=bool)
    mine = of.checks_of(at, span)
    days = of.looked.day[mine].astype(np.int64)
    checks = of.looked.checks[mine]
    if days.size == 0:
        return days, np.zeros(0, dtype=bool)
    days, first = np.unique(days, return_index=True)
    many = np.add.reduceat(checks, first)
    cells = at * len(span) + days - span.first.toordinal()
    place = np.minimum(np.searchsorted(shown[0], cells), max(0, shown[0].size - 1))
    present = np.where(shown[0][place] == cells, shown[1][place], 0) if shown[0].size else np.zeros(days.size)
    return days, 2 * present >= np.maximum(1, many)


def _row(of: Tracked, at: int, days: Ints, found: Turn) -> wire.FeatureTurnRow:
    keyword = of.keywords[at]
    return wire.FeatureTurnRow(
        number=keyword.id,
        term=keyword.term,
        device=keyword.device,
        place=keyword.place,
        turned="came" if found.came else "left",
        since=date.fromordinal(int(days[found.at])),
        lookups=int(days.size - found.at),
        before=round(found.before, 4),
        now=round(found.after, 4),
        chance=float(found.chance),
    )
