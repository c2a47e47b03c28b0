"""Organic landing pages against the window before, their clicks beside their visits."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from noctilum.core.days import HELD
from noctilum.core.errors import Nonsense
from noctilum.core.landing import TOLD, told_apart
from noctilum.core.verdicts import RULE, VERDICTS, judge
from noctilum.core.windows import Window
from noctilum.datasets.visits import ORGANIC
from noctilum.history import Question
from noctilum.readings.both import Both, both_of
from noctilum.readings.grains import read
from noctilum.readings.header import header
from noctilum.readings.rows_of import Floats, Ints, weeks_before
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.wire import landing as wire

WANTED: dict[str, Sequence[str]] = {
    "fell": TOLD[:4],
    "counting": ("counting broke",),
    "rose": ("rose",),
    "all": TOLD,
}


@dataclass(frozen=True)
class Counts:
    """Clicks or sessions of pages, each of shape (pages,); weekly: (pages, weeks held before)."""

    now: Ints
    before: Ints
    weekly: Floats


def landing(site: SiteAccess, asked: wire.LandingQuery) -> wire.Landing:
    """Judge clicks and organic sessions of every landing page, and tell apart what fell.

    Raises Nonsense without a comparison and as outcomes do, NotThere where no visits or searches are held.
    """
    both = both_of(site, asked)
    if both.of.against is None:
        raise Nonsense(
            "nothing-compared", "A verdict needs a window to compare with.", where="against", remedy="before or year"
        )
    now, before = _days(both)
    pages, clicks, sessions = _counted(both, now, before)
    days = max(1, len(now)), max(1, len(before))
    enough = bool(now) and bool(before) and both.of.comparable
    verdicts = [_verdicts(each, days, enough) for each in (clicks, sessions)]
    told = [_told(clicks, sessions, verdicts, n) for n in range(pages.size)]
    scale = days[0] / days[1]
    moved = [each.now - each.before * scale for each in (clicks, sessions)]
    rows = np.array([n for n, each in enumerate(told) if each in WANTED[asked.only]], dtype=np.int64)
    order = rows[np.lexsort((pages[rows], moved[0][rows] + moved[1][rows]))]
    if asked.only == "rose":
        order = order[::-1]
    part = rows_asked(asked)
    shown = part.of(order)
    labels = site.history.texts("page", pages[shown].tolist())
    return wire.Landing(
        **header(both.of, "page"),
        rows=[
            wire.LandingRow(
                page=label,
                told=told[n],
                clicks=int(clicks.now[n]),
                clicks_before=int(clicks.before[n]),
                clicks_verdict=VERDICTS[int(verdicts[0][n])],
                sessions=int(sessions.now[n]),
                sessions_before=int(sessions.before[n]),
                sessions_verdict=VERDICTS[int(verdicts[1][n])],
                per_click=_over(sessions.now[n], clicks.now[n]),
                per_click_before=_over(sessions.before[n], clicks.before[n]),
            )
            for label, n in zip(labels, shown.tolist(), strict=True)
        ],
        counts=_sums(told, moved),
        days=len(now),
        days_before=len(before),
        offset=part.offset,
        matching=int(order.size),
    )


def _days(both: Both) -> tuple[tuple[date, ...], tuple[date, ...]]:
    """Give the days of each window on which both are held; where days are paired, both of a pair or none."""
    of, held = both.of, both.visits.states
    if of.pairing is not None and of.pairing.paired and of.comparable:
        pairs = zip(of.now_days, of.before_days, strict=True)
        kept = [(now, before) for now, before in pairs if held.get(now) in HELD and held.get(before) in HELD]
        return tuple(now for now, _ in kept), tuple(before for _, before in kept)
    return both.days, tuple(day for day in of.before_days if held.get(day) in HELD)


def _counted(both: Both, now: tuple[date, ...], before: tuple[date, ...]) -> tuple[Ints, Counts, Counts]:
    """Read clicks and organic sessions by page and day over both windows and the weeks before, and add them up."""
    span, whole = weeks_before(both.of, RULE.weeks)
    states = both.visits.states
    weeks = [
        n
        for n in range(RULE.weeks)
        if whole[n] and all(states.get(span.first + timedelta(7 * n + d)) in HELD for d in range(7))
    ]
    first = min(span.first, before[0] if before else span.first)
    window = Window(first, both.of.window.last)
    ids = both.of.narrow.ids or {}
    only = {"page": ids["page"]} if "page" in ids else {}
    channel = both.of.held.history.term_id("channel", ORGANIC)
    organic = {**only, "channel": () if channel is None else (channel,)}
    by = ("page", "day")
    history = both.of.held.history
    nothing = both.of.narrow.ids is None
    asked = (
        Question("page", window.first, window.last, by, only, frozenset(), both.of.held.sources, ("clicks",)),
        Question("visits", window.first, window.last, by, organic, frozenset(), both.visits.sources, ("sessions",)),
    )
    found = [read(history, each) for each in asked]
    pages = np.unique(np.concatenate([each.keys[0] for each in found]))
    if nothing:
        pages = pages[:0]
    clicks, sessions = (
        _spread(each.keys, each.figures[name], pages, (now, before), (span.first, weeks))
        for each, name in zip(found, ("clicks", "sessions"), strict=True)
    )
    return pages, clicks, sessions


def _spread(
    keys: tuple[Ints, ...],
    values: Ints,
    pages: Ints,
    windows: tuple[tuple[date, ...], tuple[date, ...]],
    weeks: tuple[date, list[int]],
) -> Counts:
    known = np.isin(keys[0], pages)
    row, day, amount = np.searchsorted(pages, keys[0][known]), keys[1][known], values[known]

    def over(days: tuple[date, ...]) -> Ints:
        wanted = np.isin(day, np.array([each.toordinal() for each in days], dtype=np.int64))
        return np.bincount(row[wanted], weights=amount[wanted], minlength=pages.size).astype(np.int64)

    first, kept = weeks
    weekly = np.zeros((pages.size, RULE.weeks))
    at = (day - first.toordinal()) // 7
    inside = (at >= 0) & (at < RULE.weeks)
    np.add.at(weekly, (row[inside], at[inside]), amount[inside])
    return Counts(over(windows[0]), over(windows[1]), weekly[:, kept])


def _verdicts(counts: Counts, days: tuple[int, int], enough: bool) -> np.ndarray:
    """Judge pages; nothing can be told of windows that are not held."""
    if not enough:
        return np.full(counts.now.size, VERDICTS.index("too few to tell"), dtype=np.int8)
    total = counts.now.sum() / days[0], counts.before.sum() / days[1]
    site = float(total[0] / total[1]) if total[0] and total[1] else None
    return judge(counts.now, counts.before, counts.weekly, *days, RULE, site).verdict


def _told(clicks: Counts, sessions: Counts, verdicts: list[np.ndarray], n: int) -> wire.Told:
    now, before = _over(sessions.now[n], clicks.now[n]), _over(sessions.before[n], clicks.before[n])
    ratio = now / before if now is not None and before else None
    return told_apart(VERDICTS[int(verdicts[0][n])], VERDICTS[int(verdicts[1][n])], ratio)


def _over(sessions: int, clicks: int) -> float | None:
    return round(float(sessions) / float(clicks), 4) if clicks else None


def _sums(told: list[wire.Told], moved: list[Floats]) -> list[wire.ToldCount]:
    found = []
    for name in TOLD:
        mine = np.array([each == name for each in told], dtype=bool)
        sums = [round(float(each[mine].sum()), 3) for each in moved]
        found.append(wire.ToldCount(told=name, pages=int(mine.sum()), clicks=sums[0], sessions=sums[1]))
    return found


def answer(site: SiteAccess, asked: wire.LandingQuery) -> wire.Landing:
    """Answer for a site."""
    return landing(site, asked)
