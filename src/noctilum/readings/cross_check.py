"""Tracked ranks beside the provider's averages, and what a feature does to click-through at equal places."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date

import numpy as np
import numpy.typing as npt

from noctilum.core import ranks as core
from noctilum.core.windows import Window
from noctilum.history import Question
from noctilum.readings.rank_rows import Tracked, known, rank_header, tracked
from noctilum.readings.ranks import features_on
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import ranks as wire
from noctilum.wire.keywords import KeywordOut

FEW = 10
"""Fewer impressions on a day say little of an average."""
Days = Mapping[int, tuple[float | None, int]]
"""Day (ordinal) → (average position, impressions)."""


def averages(site: SiteAccess, keyword: KeywordOut, window: Window) -> Days:
    """Give the provider's average position of a keyword's query, in its engine, country and device, day by day."""
    sources = tuple(
        each.number
        for each in site.all_sources
        if each.kind == "search" and each.counted and each.engine.lower() == keyword.engine.lower()
    )
    terms = {"query": keyword.term, "country": keyword.country, "device": keyword.device}
    ids = {name: site.history.term_id(name, text) for name, text in terms.items()}
    if not sources or any(number is None for number in ids.values()):
        return {}
    where = {name: (number,) for name, number in ids.items() if number is not None}
    found = site.history.read(Question("query", window.first, window.last, ("day",), where, sources=sources))
    rows = zip(found.keys[0].tolist(), found.position_milli.tolist(), found.impressions.tolist(), strict=True)
    return {day: (total / 1000 / shown if shown else None, shown) for day, total, shown in rows}


def counted(tracked_at: Sequence[float | None], average: Sequence[float | None]) -> wire.CrossCheck:
    """Count days on which a tracked rank and an average agree; days with only one of them count nowhere."""
    verdicts = [
        core.cross_check(mine, theirs)
        for mine, theirs in zip(tracked_at, average, strict=True)
        if mine is not None and theirs is not None
    ]
    return wire.CrossCheck(
        days=len(verdicts),
        agree=verdicts.count("agree"),
        tracked_better=verdicts.count("tracked is better"),
        average_better=verdicts.count("average is better"),
    )


def cross_check(site: SiteAccess, asked: wire.CrossCheckQuery) -> wire.CrossChecks:
    """Set every keyword's tracked ranks beside the provider's averages, most days apart first."""
    of = tracked(site, asked)
    rows = [row for at in range(len(of.keywords)) if (row := _row(of, at)) is not None]
    rows.sort(key=lambda row: (-(row.counted.days - row.counted.agree), row.term, row.number))
    every = [row.counted for row in rows]
    return wire.CrossChecks(
        **rank_header(of.frame, "ranks"),
        offset=asked.offset,
        matching=len(rows),
        counted=wire.CrossCheck(
            days=sum(each.days for each in every),
            agree=sum(each.agree for each in every),
            tracked_better=sum(each.tracked_better for each in every),
            average_better=sum(each.average_better for each in every),
        ),
        rows=rows[asked.offset : asked.offset + asked.limit],
    )


def _row(of: Tracked, at: int) -> wire.CrossCheckRow | None:
    keyword, window = of.keywords[at], of.frame.window
    provider = averages(of.site, keyword, window)
    mine = of.checks_of(at, window)
    checked = zip(
        of.looked.day[mine].tolist(), of.looked.rank[mine].tolist(), of.looked.page[mine].tolist(), strict=True
    )
    pairs = [(day, rank, *provider[day], page) for day, rank, page in checked if day in provider and np.isfinite(rank)]
    pairs = [pair for pair in pairs if pair[2] is not None]
    if not pairs:
        return None
    ranks, means = [pair[1] for pair in pairs], [pair[2] or 0.0 for pair in pairs]
    shown = sum(pair[3] for pair in pairs)
    counts = counted(ranks, means)
    hints = [] if counts.agree == counts.days else _hints(of, keyword, pairs)
    return wire.CrossCheckRow(
        number=keyword.id,
        term=keyword.term,
        place=keyword.place,
        device=keyword.device,
        counted=counts,
        tracked=known(float(np.mean(ranks))),
        average=known(float(np.mean(means))),
        apart=known(float(np.mean(ranks) - np.mean(means))),
        impressions=shown,
        hint=", ".join(wire.HINTS[hint] for hint in hints),
        hints=hints,
    )


def _hints(of: Tracked, keyword: KeywordOut, pairs: Sequence[tuple[int, float, float | None, int, int]]) -> list[str]:
    """Say what may lie behind a difference, from the days that differ."""
    apart = [pair for pair in pairs if pair[2] is not None and core.cross_check(pair[1], pair[2]) != "agree"]
    hints = []
    if any(pair[3] < FEW for pair in apart):
        hints.append("few")
    if keyword.place:
        hints.append("place")
    if len({pair[4] for pair in apart}) > 1:
        hints.append("page")
    look = of.looked.at.get((keyword.term, keyword.track, keyword.place, keyword.device, keyword.engine), -1)
    for day in [pair[0] for pair in apart[-3:]]:
        if any(at == look and owned for at, _, owned in features_on(of, date.fromordinal(day))):
            hints.append("feature")
            break
    return hints


def feature_effect(site: SiteAccess, asked: wire.FeatureEffectQuery) -> wire.FeatureEffect:
    """Compare click-through on days with and without a feature at equal places, over the queries that are tracked."""
    of = tracked(site, asked)
    rows = _query_days(of, asked.feature)
    strata, queries = _strata(rows)
    found = core.feature_effect(strata)
    return wire.FeatureEffect(
        **rank_header(of.frame, "ranks"),
        feature=asked.feature,
        verdict=found.verdict,
        ratio=found.ratio,
        low=found.low,
        high=found.high,
        strata=found.strata,
        clicks=found.clicks,
        queries=queries,
        days_with=int(rows[:, 3].sum()),
        days_without=int((1 - rows[:, 3]).sum()),
    )


def _query_days(of: Tracked, feature: str) -> npt.NDArray[np.int64]:
    """Give query days: keyword, nearest place, weekend (0, 1), feature there (0, 1), clicks, impressions."""
    window = of.frame.window
    present = _present(of, feature)
    rows: list[tuple[int, ...]] = []
    for at, keyword in enumerate(of.keywords):
        if keyword.place:
            continue
        days = set(of.looked.day[of.checks_of(at, window)].tolist())
        for day, clicks, shown, place in _searched(of.site, keyword, window):
            if day in days and shown:
                weekend = int(date.fromordinal(day).weekday() >= 5)
                there = int((int(of.looks[at]), day) in present)
                rows.append((at, round(place), weekend, there, clicks, shown))
    return np.array(rows, dtype=np.int64).reshape(-1, 6)


def _present(of: Tracked, feature: str) -> set[tuple[int, int]]:
    """Give (place among the looks, day) of every check whose result page showed a feature."""
    number = of.site.history.term_id("feature", feature)
    if number is None:
        return set()
    names = ("keyword", "track", "place", "device", "engine")
    window = of.frame.window
    asked = Question("features", window.first, window.last, (*names, "day"), {"feature": (number,)})
    found = of.site.history.read(asked)
    texts = [of.site.history.texts(name, key.tolist()) for name, key in zip(names, found.keys, strict=False)]
    at = of.looked.at
    return {
        (at[(term, track, place, device, engine)], day)
        for term, track, place, device, engine, day in zip(*texts, found.keys[5].tolist(), strict=True)
        if (term, track, place, device, engine) in at
    }


def _searched(site: SiteAccess, keyword: KeywordOut, window: Window) -> list[tuple[int, int, int, float]]:
    """Give (day, clicks, impressions, average place) of a keyword's query in its engine, country and device."""
    sources = tuple(
        each.number
        for each in site.all_sources
        if each.kind == "search" and each.counted and each.engine.lower() == keyword.engine.lower()
    )
    terms = {"query": keyword.term, "country": keyword.country, "device": keyword.device}
    ids = {name: site.history.term_id(name, text) for name, text in terms.items()}
    if not sources or any(number is None for number in ids.values()):
        return []
    where = {name: (number,) for name, number in ids.items() if number is not None}
    found = site.history.read(Question("query", window.first, window.last, ("day",), where, sources=sources))
    place = found.position_milli / 1000 / np.maximum(found.impressions, 1)
    return list(
        zip(found.keys[0].tolist(), found.clicks.tolist(), found.impressions.tolist(), place.tolist(), strict=True)
    )


def _strata(rows: npt.NDArray[np.int64]) -> tuple[core.Strata, int]:
    """Sum query days by query on a device, nearest place, and weekday or weekend; those with days of both kinds."""
    if not len(rows):
        none = np.zeros(0)
        return core.Strata(none.astype(np.int64), none, none, none, none), 0
    keys, at = np.unique(rows[:, :3], axis=0, return_inverse=True)
    at = at.ravel()
    there = rows[:, 3] == 1

    def summed(column: int, mask: npt.NDArray[np.bool_]) -> npt.NDArray[np.float64]:
        found: npt.NDArray[np.float64] = np.zeros(len(keys))
        np.add.at(found, at[mask], rows[mask, column])
        return found

    strata = core.Strata(keys[:, 0], summed(4, there), summed(5, there), summed(4, ~there), summed(5, ~there))
    both = (strata.shown_with > 0) & (strata.shown_without > 0)
    return strata, int(np.unique(keys[both, 0]).size)
