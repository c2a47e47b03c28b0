"""The profile of a week: figures by day of the week, per held day."""

from __future__ import annotations

from datetime import date

from noctilum.core.measures import Sums, add_up
from noctilum.readings.frame import Asked, Frame, frame, grain_of
from noctilum.readings.header import figures, header
from noctilum.readings.holding import Holding
from noctilum.readings.site_access import SiteAccess
from noctilum.readings.timeline import by_date
from noctilum.wire import compare as wire
from noctilum.wire import questions as ask


def weekdays(held: Holding, asked: Asked) -> wire.Weekdays:
    """Read the held days of a window by day of the week, Monday first; a day with no held date has no figures."""
    of = frame(held, asked)
    of.refuse_results("The profile of a week")
    grain = grain_of(of.dims)
    now = _by_weekday(of, grain, before=False)
    before = _by_weekday(of, grain, before=True) if of.against else None
    total = add_up(sums for _, sums in now)
    days = sum(len(dates) for dates, _ in now)
    mean = total.clicks / days if days else 0.0
    return wire.Weekdays(
        **header(of, grain), rows=[_row(n, now, before, mean) for n in range(7)], clicks_a_day=round(mean, 3)
    )


Days = list[tuple[list[date], Sums]]


def _by_weekday(of: Frame, grain: str, *, before: bool) -> Days:
    window = of.against if before else of.window
    days = of.before_days if before else of.now_days
    daily = by_date(of.read_days(grain, ("day",), window)) if window else {}
    found: Days = []
    for n in range(7):
        mine = [day for day in days if day.weekday() == n]
        found.append((mine, add_up(daily.get(day, Sums()) for day in mine)))
    return found


def _row(n: int, now: Days, before: Days | None, mean: float) -> wire.Weekday:
    dates, sums = now[n]
    a_day = sums.clicks / len(dates) if dates else None
    was = before[n] if before else None
    return wire.Weekday(
        weekday=n,
        days=len(dates),
        now=figures(sums),
        clicks_a_day=None if a_day is None else round(a_day, 3),
        impressions_a_day=round(sums.impressions / len(dates), 3) if dates else None,
        share=None if a_day is None or not mean else round(a_day / mean, 6),
        clicks_a_day_before=round(was[1].clicks / len(was[0]), 3) if was and was[0] else None,
    )


def answer(site: SiteAccess, asked: ask.WeekdaysQuery) -> wire.Weekdays:
    """Answer for a site."""
    return weekdays(site.holding, site.asked(asked))
