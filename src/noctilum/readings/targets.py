"""Targets read: a figure by day, of a site or of all sites of its client, beside the path to where it should be."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from datetime import date, timedelta

import numpy as np

from noctilum.core import targets as core
from noctilum.core.days import HELD
from noctilum.core.errors import Nonsense, NotThere, worded
from noctilum.core.filters import fields_of
from noctilum.core.windows import YEAR_SHIFT, Window
from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Measure
from noctilum.datasets.visits import ORGANIC
from noctilum.readings.frame import Asked, Frame, frame_at, grain_of
from noctilum.readings.holding import Holding
from noctilum.readings.known import known_since
from noctilum.readings.narrow import narrowing
from noctilum.readings.rank_rows import Tracked, tracked
from noctilum.readings.site_access import SiteAccess, rows_asked
from noctilum.wire import targets as wire
from noctilum.wire.ranks import TrackedQuery


def course(site: SiteAccess, asked: wire.CourseQuery) -> wire.CourseRead:
    """Read every target of a site."""
    rows = [_row(site, each) for each in site.targets()]
    passing = [row for row in rows if _passes(row, asked.only)]
    page = rows_asked(asked)
    return wire.CourseRead(
        site=site.key,
        rows=passing[page.offset : page.offset + page.limit],
        offset=page.offset,
        matching=len(passing),
        behind=sum(row.course == "behind" for row in rows),
        reached=sum(row.course == "reached" for row in rows),
    )


def _passes(row: wire.TargetRow, only: str) -> bool:
    over = row.course in ("reached", "missed")
    return {"open": not over, "over": over, "behind": row.course == "behind"}.get(only, True)


def target(site: SiteAccess, asked: wire.TargetQuery) -> wire.TargetRead:
    """Read one target with its way; raises NotThere."""
    found = next((each for each in site.targets() if each.id == asked.number), None)
    if found is None:
        raise NotThere(
            "no-such-target",
            worded("{key} has no target {number}.", key=site.key, number=asked.number),
            remedy="list them with `noctilum targets`",
        )
    way, lacks = _read(site, found)
    points = [
        wire.TargetPoint(
            day=point.day,
            now=_rounded(point.now),
            path=round(point.path, 3),
            low=_rounded(point.low),
            high=_rounded(point.high),
            alone=_rounded(point.alone),
        )
        for point in (way.points if way else ())
    ]
    told = _figures(way, lacks)
    return wire.TargetRead(
        **told.model_dump(), target=found, site=site.key, days_to_go=_to_go(site, found, way), rows=points
    )


def _row(site: SiteAccess, found: wire.TargetOut) -> wire.TargetRow:
    way, lacks = _read(site, found)
    return wire.TargetRow(
        **_figures(way, lacks).model_dump(),
        number=found.id,
        name=found.name,
        metric=found.metric,
        narrowed=found.filter or found.tagged or (found.client if found.over == "client" else ""),
        value=found.value,
        starts=found.starts,
        by=found.by,
        days_to_go=_to_go(site, found, way),
    )


def _to_go(site: SiteAccess, found: wire.TargetOut, way: core.Way | None) -> int:
    today = site.today or (way.on if way else None) or found.starts
    return max(0, (found.by - today).days)


def _figures(way: core.Way | None, lacks: wire.Lacks | None) -> wire.TargetFigures:
    if way is None:
        names = ("course", "base", "now", "on", "path", "gap", "gain", "ends", "ends_low", "ends_high")
        return wire.TargetFigures.model_validate(dict.fromkeys(names) | {"lacks": lacks, "years": 0})
    return wire.TargetFigures(
        course=way.course,
        lacks=None,
        base=round(way.base, 3),
        now=_rounded(way.now),
        on=way.on,
        path=_rounded(way.path),
        gap=_rounded(way.gap, 6),
        gain=_rounded(way.asked, 6),
        years=way.years,
        ends=_rounded(way.ends),
        ends_low=_rounded(way.ends_low),
        ends_high=_rounded(way.ends_high),
    )


def _rounded(value: float | None, digits: int = 3) -> float | None:
    return None if value is None else round(value, digits)


def _read(site: SiteAccess, found: wire.TargetOut) -> tuple[core.Way | None, wire.Lacks | None]:
    """Read a target; without a way, what it lacks."""
    sites = list(site.siblings()) if found.over == "client" else [site]
    aim = core.Aim(found.starts, found.by, found.value)
    if found.metric in wire.STANDING:
        kept = list(_tracked(sites, found))
        if not kept:
            return None, "nothing held"
        last = min(of.frame.held.complete_through for of in kept)
        way = core.standing_way(_standing(kept, wire.STANDING[found.metric]), aim, last)
    else:
        try:
            parts = list(_daily(sites, found))
        except Nonsense:
            return None, "its filter cannot be asked"
        if not parts:
            return None, "nothing held"
        way = core.way(core.together(parts), aim, site.words.holidays)
    return (way, None) if way is not None else (None, "its start is not held")


def _tracked(sites: Sequence[SiteAccess], found: wire.TargetOut) -> Iterator[Tracked]:
    for site in sites:
        with suppress(NotThere):
            yield tracked(site, TrackedQuery(against="none", tag=found.tagged or None))


def _standing(kept: Sequence[Tracked], most: int) -> Callable[[date], float | None]:
    """Count keywords that stand up to a place as of a day; None where one site's were not looked up in its week."""

    def on(day: date) -> float | None:
        seen = [of.latest(day) for of in kept]
        if not all(checked.any() for _, checked in seen):
            return None
        return float(sum(int((rank[np.isfinite(rank)] <= most).sum()) for rank, _ in seen))

    return on


def _daily(sites: Sequence[SiteAccess], found: wire.TargetOut) -> Iterator[core.Daily]:
    """Read each site; one that holds nothing of it counts for nothing. Raises Nonsense where the filter is no more."""
    for site in sites:
        try:
            yield daily(site, found.metric, found.filter, found.starts)
        except NotThere as why:
            if why.code == "no-such-set":
                raise Nonsense(why.code, why.what) from why


def daily(site: SiteAccess, metric: str, text: str, starts: date) -> core.Daily:
    """Read a metric by day as far back as a season needs it; raises NotThere where nothing of it is held, Nonsense."""
    of, grain, measure = _frame(site, metric, text)
    held = of.held
    first = max(held.first_held, starts - timedelta(core.MOST_YEARS * YEAR_SHIFT + 2 * 7 * core.WEEKS))
    window = Window(min(first, held.complete_through), held.complete_through)
    found = of.read_days(grain, ("day",), window, measures=(measure.name,))
    counts = np.zeros(len(window))
    counts[found.keys[0] - window.first.toordinal()] += found.figures[measure.tallied_as] / measure.scale
    known = _known_from(held, grain, measure)
    states = held.at(grain).states if grain != held.grain else held.states
    there = [states.get(day) in HELD and known is not None and day >= known for day in window.days()]
    return core.Daily(window.first, np.where(there, counts, np.nan))


def _known_from(held: Holding, grain: str, measure: Measure) -> date | None:
    """Say from when on a day without any is a day with none; None where none was ever counted."""
    return known_since(held, DATASETS[grain], measure) if measure.set_up else date.min


def _frame(site: SiteAccess, metric: str, text: str) -> tuple[Frame, str, Measure]:
    """Resolve a metric and its filter: the frame to read in, the dataset, the measure."""
    if metric in wire.SEARCHED:
        held = site.holding
        narrow = narrowing(site.history, {}, text, site.words, held.sources)
        of = frame_at(held, Asked(site.key, "P28D", "none", {}, text), narrow)
        grain = grain_of(of.dims)
    else:
        kept, grain = DATASETS["visits"], "visits"
        held = site.held_of(kept)
        narrow = narrowing(site.history, {}, text, site.words, held.sources, fields_of(kept))
        where = {} if "channel" in narrow.dims else {"channel": ORGANIC}
        narrow = narrowing(site.history, where, text, site.words, held.sources, fields_of(kept))
        of = frame_at(held, Asked(site.key, "P28D", "none", where, text), narrow)
    of.refuse_results("A target")
    return of, grain, DATASETS[grain].measure(metric)


def answer(site: SiteAccess, asked: wire.CourseQuery) -> wire.CourseRead:
    """Answer for a site."""
    return course(site, asked)


def answer_one(site: SiteAccess, asked: wire.TargetQuery) -> wire.TargetRead:
    """Answer for a site."""
    return target(site, asked)
