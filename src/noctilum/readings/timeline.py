"""Timelines: figures by day, week or month, now and before."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import get_args

from noctilum.core.days import HELD
from noctilum.core.measures import Sums, add_up
from noctilum.core.table import Grouped
from noctilum.core.timeline import Step, steps
from noctilum.core.windows import Bucket, Window, month_end
from noctilum.history import Question
from noctilum.readings.frame import Asked, Frame, frame, grain_of, tail_window
from noctilum.readings.grains import read
from noctilum.readings.header import change_of, figures, frame_cautions, header
from noctilum.readings.holding import Holding
from noctilum.readings.season import expectations, laid_by, told, whole
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import questions as ask
from noctilum.wire import readings as wire


def timeline(
    held: Holding, asked: Asked, bucket: str = "day", week_start: int = 0, *, season: bool = True
) -> wire.Timeline:
    """Read a timeline. season: False says nothing of what the year does.

    Totals count the same days as every other reading of the frame: held days, in pairs where windows
    are equally long. Points show every held day, so that a point can be drawn whose partner is missing.
    """
    of = frame(held, asked)
    of.refuse_results("A timeline")
    grain = grain_of(of.dims)
    width = Bucket(bucket)
    now, before = _daily(of, grain, of.window), _daily(of, grain, of.against)
    total_now = add_up(now.get(day, Sums()) for day in of.now_days)
    total_before = add_up(before.get(day, Sums()) for day in of.before_days)
    tail = tail_window(of)
    points = _points(of, of.window, width, now, week_start)
    before_points = _points(of, of.against, width, before, week_start) if of.against else []
    points = _with_changes(of, grain, points)
    if width is Bucket.MONTH:
        points, before_points = (_with_whole_months(of, grain, found) for found in (points, before_points))
    return wire.Timeline(
        **header(of, grain, cautions=[*of_months(points), *frame_cautions(of, grain)]),
        bucket=width.value,
        points=points,
        before_points=before_points,
        tail=_points(of, tail, Bucket.DAY, _daily(of, grain, tail)) if tail and width is Bucket.DAY else [],
        now=figures(total_now),
        before=figures(total_before) if of.against else None,
        change=change_of(of.change(total_now, total_before)),
        season=told(whole(of) if season else None, laid_by(of)),
        expected=expectations(of, points) if season else [],
    )


def _daily(of: Frame, grain: str, window: Window | None) -> dict[date, Sums]:
    return by_date(of.read_days(grain, ("day",), window)) if window else {}


def daily_sums(held: Holding, grain: str, window: Window, ids: Mapping[str, tuple[int, ...]]) -> dict[date, Sums]:
    """Read the sums of each day of a window that has rows."""
    question = Question(grain, window.first, window.last, ("day",), ids, frozenset(), held.sources)
    return by_date(read(held.history, question))


def by_date(found: Grouped) -> dict[date, Sums]:
    """Turn sums grouped by day into a mapping."""
    columns = (found.keys[0], found.clicks, found.impressions, found.position_milli)
    rows = zip(*(column.tolist() for column in columns), strict=True)
    return {date.fromordinal(day): Sums(clicks, shown, milli) for day, clicks, shown, milli in rows}


def _points(
    of: Frame, window: Window, bucket: Bucket, daily: Mapping[date, Sums], week_start: int = 0
) -> list[wire.Point]:
    return [point(step) for step in steps(window, bucket, daily, of.held.states, week_start=week_start)]


def _with_changes(of: Frame, grain: str, points: list[wire.Point]) -> list[wire.Point]:
    """Mark the steps in which a day came out differently after it was final."""
    log = of.held.history.changes(sources=of.held.sources, dataset=grain, first=of.window.first, last=of.window.last)
    days = {each.day for each in log}
    if not days:
        return points
    return [p.model_copy(update={"changed": any(p.start <= day <= p.end for day in days)}) for p in points]


def _with_whole_months(of: Frame, grain: str, points: Sequence[wire.Point]) -> list[wire.Point]:
    """Fill months of which no day is held with totals that came without days."""
    empty = [p for p in points if p.held == 0 and p.start.day == 1 and p.end == month_end(p.start)]
    if not empty:
        return list(points)
    window = Window(empty[0].start, empty[-1].start)
    states = of.held.history.states(of.held.sources, f"month-{grain}")
    sums = _daily(of, f"month-{grain}", window)
    return [_whole(p, sums.get(p.start, Sums())) if p in empty and states.get(p.start) in HELD else p for p in points]


def _whole(empty: wire.Point, sums: Sums) -> wire.Point:
    measured = {"clicks": sums.clicks, "impressions": sums.impressions, "ctr": sums.ctr, "position": sums.position}
    return empty.model_copy(update={"whole_month": True, "partial": False, **measured})


def of_months(points: Sequence[wire.Point]) -> list[wire.Caution]:
    """Say how many points are totals of months without days."""
    months = sum(p.whole_month for p in points)
    return [wire.Caution(code="whole-months", facts={"months": months})] if months else []


def point(step: Step) -> wire.Point:
    """Write one step for the wire."""
    sums = step.sums
    return wire.Point(
        start=step.start,
        end=step.end,
        state=step.state.value,
        days=step.days,
        held=step.held,
        partial=step.partial,
        clicks=None if sums is None else sums.clicks,
        impressions=None if sums is None else sums.impressions,
        ctr=None if sums is None else sums.ctr,
        position=None if sums is None else sums.position,
    )


def answer(site: SiteAccess, asked: ask.TimelineQuery) -> wire.Timeline:
    """Answer for a site; weeks begin on the day asked for."""
    week_start = get_args(ask.Weekday).index(asked.week_starts)
    return timeline(site.holding, site.asked(asked), asked.by, week_start, season=asked.season)
