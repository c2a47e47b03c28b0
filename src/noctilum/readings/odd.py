"""Odd days of a window, with what was expected of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date, timedelta

from noctilum.core.days import HELD
from noctilum.core.odd_days import WEEKS, Expected, expectations, not_clicked, odd_days
from noctilum.core.windows import Window
from noctilum.readings.frame import Asked, frame, grain_of
from noctilum.readings.header import header
from noctilum.readings.holding import Holding
from noctilum.readings.site_access import SiteAccess
from noctilum.readings.timeline import by_date
from noctilum.wire import explain as wire
from noctilum.wire import questions as ask
from noctilum.wire.noted import NoteOut


def odd(held: Holding, asked: Asked, notes: Sequence[NoteOut] = ()) -> wire.OddDays:
    """Find days of the window far from the same weekdays before, in clicks and in impressions, newest first."""
    of = frame(held, asked)
    of.refuse_results("Odd days")
    grain = grain_of(of.dims)
    span = Window(of.window.first - timedelta(21 * WEEKS), of.window.last)
    daily = by_date(of.read_days(grain, ("day",), span))
    kept = [day for day in span.days() if of.held.states.get(day) in HELD]
    values = {
        name: {day: float(getattr(daily[day], name)) if day in daily else 0.0 for day in kept}
        for name in ("clicks", "impressions")
    }
    told = {name: expectations(of_days) for name, of_days in values.items()}
    rows = [
        _row(day, name, values[name][day], score, expected, _kind(name, day, score, values, told), _beside(day, notes))
        for name, of_days in values.items()
        for day, (score, expected) in odd_days(of_days, told[name]).items()
        if day in of.window
    ]
    rows.sort(key=lambda row: (row.day.toordinal() * -1, row.measure))
    return wire.OddDays(**header(of, grain), rows=rows)


def _beside(day: date, notes: Sequence[NoteOut]) -> list[str]:
    """Name the notes from three days before the day to one after."""
    near = [note for note in notes if note.first - timedelta(1) <= day <= note.last + timedelta(3)]
    return [note.text for note in near]


def _kind(
    name: str,
    day: date,
    score: float,
    values: Mapping[str, Mapping[date, float]],
    told: Mapping[str, Mapping[date, Expected]],
) -> str:
    if score <= 0:
        return "low"
    shown, clicked = (told[measure].get(day) for measure in ("impressions", "clicks"))
    if name == "clicks" or shown is None or clicked is None:
        return "high"
    passed_over = not_clicked(values["impressions"][day], values["clicks"][day], shown, clicked)
    return "shown, not clicked" if passed_over else "high"


def _row(
    day: date, name: str, value: float, score: float, expected: Expected, kind: str, beside: list[str]
) -> wire.OddDay:
    return wire.OddDay.model_validate(
        {
            "day": day,
            "measure": name,
            "value": value,
            "expected": expected.middle,
            "low": expected.low,
            "high": expected.high,
            "score": round(score, 3),
            "kind": kind,
            "beside": beside,
        }
    )


def answer(site: SiteAccess, asked: ask.OddDaysQuery) -> wire.OddDays:
    """Answer for a site, beside its dated notes."""
    return odd(site.holding, site.asked(asked), site.notes())
