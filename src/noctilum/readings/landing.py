"""Organic landing pages against the window before, their clicks beside their visits."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date

import numpy as np
import numpy.typing as npt

from noctilum.core.days import HELD
from noctilum.core.errors import Nonsense
from noctilum.core.filters.rows import result_mask
from noctilum.core.landing import TOLD, told_apart
from noctilum.core.season import Pair, SiteJudged, judge_net, judge_site
from noctilum.core.verdicts import RULE, VERDICTS, judge
from noctilum.readings.beside_years import COUNTED, by_day_of, counts_beside
from noctilum.readings.both import Both, both_of, fields_of_results
from noctilum.readings.by_day import CountsByDay
from noctilum.readings.header import header
from noctilum.readings.rows_of import Floats, Ints
from noctilum.readings.season import laid_by, years_counted
from noctilum.readings.season import told as told_season
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.wire import landing as wire

Days = tuple[tuple[date, ...], tuple[date, ...]]
"""The days counted of the window, and of the one compared with."""
WANTED: dict[str, Sequence[str]] = {
    "fell": TOLD[:4],
    "counting": ("counting broke",),
    "rose": ("rose",),
    "all": TOLD,
}


@dataclass(frozen=True)
class Counts:
    """Clicks or sessions of pages, (pages,); weekly: (pages, weeks held before); over: any window of them."""

    now: Ints
    before: Ints
    weekly: Floats
    over: CountsByDay


@dataclass(frozen=True)
class Sided:
    """Clicks or sessions of pages, judged; each of shape (pages,). moved: now less as many days before.

    expected: ln of what the year alone would have done, none where no year is held; year: the whole, net of the year.
    """

    now: Ints
    before: Ints
    moved: Floats
    verdict: npt.NDArray[np.int8]
    expected: Floats | None = None
    year: SiteJudged | None = None


FILTERED = fields_of_results("clicks", "sessions", "per_click", "change in clicks", "change in sessions")


def landing(site: SiteAccess, asked: wire.LandingQuery) -> wire.Landing:
    """Judge clicks and organic sessions of every landing page, and tell apart what fell.

    Both net of what the year does, where a year of both is held. Raises Nonsense without a comparison and for a filter
    on what only one of the feeds tells, NotThere where no visits or searches are held.
    """
    both = both_of(site, asked, FILTERED)
    if both.of.against is None:
        raise Nonsense(
            "nothing-compared", "A verdict needs a window to compare with.", where="against", remedy="before or year"
        )
    days = _days(both)
    pages, counted = _counted(both, days)
    clicks, sessions = (_judged(both, pages, each, days, asked.season) for each in counted.values())
    told = [_told(clicks, sessions, n) for n in range(pages.size)]
    wanted = np.array([each in WANTED[asked.only] for each in told], dtype=bool)
    rows = np.flatnonzero(wanted & _passing(both, clicks, sessions))
    order = rows[np.lexsort((pages[rows], clicks.moved[rows] + sessions.moved[rows]))]
    if asked.only == "rose":
        order = order[::-1]
    part = rows_asked(asked)
    shown = part.of(order)
    labels = site.history.texts("page", pages[shown].tolist())
    return wire.Landing(
        **header(both.of, "page"),
        season=told_season(clicks.year, laid_by(both.of)),
        season_sessions=told_season(sessions.year, laid_by(both.of)),
        rows=[_row(label, told[n], clicks, sessions, n) for label, n in zip(labels, shown.tolist(), strict=True)],
        counts=_sums(told, [clicks.moved, sessions.moved]),
        days=len(days[0]),
        days_before=len(days[1]),
        offset=part.offset,
        matching=int(order.size),
    )


def _row(label: str, told: wire.Told, clicks: Sided, sessions: Sided, n: int) -> wire.LandingRow:
    found: dict[str, object] = {}
    for name, each in (("clicks", clicks), ("sessions", sessions)):
        found |= {
            name: int(each.now[n]),
            f"{name}_before": int(each.before[n]),
            f"{name}_expected": None if each.expected is None else round(float(np.expm1(each.expected[n])), 6),
            f"{name}_verdict": VERDICTS[int(each.verdict[n])],
        }
    ratios = {
        "per_click": _over(sessions.now[n], clicks.now[n]),
        "per_click_before": _over(sessions.before[n], clicks.before[n]),
    }
    return wire.LandingRow.model_validate({"page": label, "told": told, **found, **ratios})


def _days(both: Both) -> Days:
    """Give the days of each window on which both are held; where days are paired, both of a pair or none."""
    of, held = both.of, both.visits.states
    if of.pairing is not None and of.pairing.paired and of.comparable:
        pairs = zip(of.now_days, of.before_days, strict=True)
        kept = [(now, before) for now, before in pairs if held.get(now) in HELD and held.get(before) in HELD]
        return tuple(now for now, _ in kept), tuple(before for _, before in kept)
    return both.days, tuple(day for day in of.before_days if held.get(day) in HELD)


def _counted(both: Both, days: Days) -> tuple[Ints, Mapping[str, Counts]]:
    """Count clicks and organic sessions of pages over both windows, and those of enough of them in the weeks before."""
    of = both.of
    sides = ((of.window, days[0]), (of.against or of.window, days[1]))
    by_day = {name: by_day_of(both, name) for name in COUNTED}
    wanted = [(window, frozenset(held)) for window, held in sides]
    pages = np.unique(np.concatenate([each.over(*side)[0] for each in by_day.values() for side in wanted]))
    counted = {}
    for name, each in by_day.items():
        over = counts_beside(both, each, pages)
        now, before = (over.rows(window, held) for window, held in sides)
        counted[name] = Counts(now, before, over.weeks(of, now + before), over)
    return pages, counted


def _judged(both: Both, pages: Ints, counts: Counts, days: Days, season: bool) -> Sided:
    """Judge pages by one of the two, net of the year where one is held; nothing can be told of windows not held."""
    held = max(1, len(days[0])), max(1, len(days[1]))
    moved = counts.now - counts.before * held[0] / held[1]
    told = Sided(counts.now, counts.before, moved, np.zeros(pages.size, dtype=np.int8))
    if not (all(days) and both.of.comparable):
        return replace(told, verdict=np.full(pages.size, VERDICTS.index("too few to tell"), dtype=np.int8))
    total = counts.now.sum() / held[0], counts.before.sum() / held[1]
    years = years_counted(both.of, counts.over, outside=False) if season else []
    if years:
        pair = Pair(counts.now, counts.before, *held, int(counts.now.sum()), int(counts.before.sum()))
        judged, expected = judge_net(pair, counts.weekly, years, beside=False)
        year = judge_site(pair, counts.weekly.sum(axis=0), years)
        falls = counts.now < counts.before * held[0] / held[1]
        return replace(
            told,
            verdict=judged.verdict,
            year=year,
            expected=np.where(falls, expected.fall, expected.rise),
        )
    site = float(total[0] / total[1]) if all(total) else None
    return replace(told, verdict=judge(counts.now, counts.before, counts.weekly, *held, RULE, site).verdict)


def _passing(both: Both, clicks: Sided, sessions: Sided) -> npt.NDArray[np.bool_]:
    """Say which pages pass the filter on results."""
    results = both.of.narrow.results
    if results is None:
        return np.ones(clicks.now.size, dtype=bool)
    known = np.where(clicks.now > 0, clicks.now, np.nan)
    columns = {
        "clicks": clicks.now.astype(np.float64),
        "sessions": sessions.now.astype(np.float64),
        "per_click": sessions.now / known,
        "change in clicks": clicks.moved,
        "change in sessions": sessions.moved,
    }
    return result_mask(results, columns)


def _told(clicks: Sided, sessions: Sided, n: int) -> wire.Told:
    now, before = _over(sessions.now[n], clicks.now[n]), _over(sessions.before[n], clicks.before[n])
    ratio = now / before if now is not None and before else None
    return told_apart(VERDICTS[int(clicks.verdict[n])], VERDICTS[int(sessions.verdict[n])], ratio)


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
