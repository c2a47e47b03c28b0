"""What every reading says of itself: its windows, how complete they are, and what to know before believing it."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta
from typing import TypedDict

from noctilum.core.change import Delta
from noctilum.core.days import (
    HELD,
    Completeness,
    DayState,
    completeness,
)
from noctilum.core.filters import parse, written
from noctilum.core.measures import Sums
from noctilum.core.windows import Window, against_window, parse_window
from noctilum.datasets import DATASETS
from noctilum.readings.frame import Frame, grain_of
from noctilum.wire import readings as wire


def figures(sums: Sums) -> wire.Figures:
    """Write sums for the wire."""
    return wire.Figures(
        clicks=sums.clicks,
        impressions=sums.impressions,
        position_sum=sums.position_milli / 1000,
        ctr=sums.ctr,
        position=sums.position,
    )


def change_of(found: Delta | None) -> wire.Change | None:
    """Write a change for the wire."""
    if found is None:
        return None
    return wire.Change(
        basis="scaled" if found.scaled else "total",
        clicks=found.clicks,
        clicks_ratio=found.clicks_ratio,
        impressions=found.impressions,
        impressions_ratio=found.impressions_ratio,
        ctr=found.ctr,
        position=found.position,
        ways=wire.Ways(**found.ways),
    )


def days_of(window: Window, states: Mapping[date, DayState], counted: int) -> wire.Days:
    """Write a window and its completeness for the wire."""
    found = completeness(window, states)
    return wire.Days(
        first=window.first,
        last=window.last,
        days=found.days,
        held=found.held,
        provisional=found.provisional,
        missing=found.missing,
        counted=counted,
    )


class Header(TypedDict):
    """The fields that every reading has."""

    site: str
    grain: str
    window: wire.Days
    against: wire.Days | None
    asked_window: str
    asked_against: str
    filter: dict[str, str]
    filter_text: str
    complete_through: date
    first_held: date
    generation: int
    cautions: list[wire.Caution]


def header(of: Frame, grain: str, cautions: list[wire.Caution] | None = None) -> Header:
    """Give the fields that every reading has. cautions: others than those of the frame."""
    states = of.held.states
    return {
        "site": of.asked.site,
        "grain": grain,
        "window": days_of(of.window, states, len(of.now_days)),
        "against": days_of(of.against, states, len(of.before_days)) if of.against else None,
        "asked_window": of.asked.window,
        "asked_against": of.asked.against,
        "filter": dict(of.asked.where),
        "filter_text": written(parse(of.asked.filter, of.narrow.terms.fields)) if of.asked.filter.strip() else "",
        "complete_through": of.held.complete_through,
        "first_held": of.held.first_held,
        "generation": of.held.history.generation,
        "cautions": frame_cautions(of, grain) if cautions is None else cautions,
    }


def frame_cautions(of: Frame, grain: str) -> list[wire.Caution]:
    """List what to know before believing the figures of a frame; words says it, by code and facts."""
    found = [_about_now(of, completeness(of.window, of.held.states)), _about_before(of), _about_pairs(of)]
    found.append(_about_shared_days(of))
    found += [_about_rows(of, grain), _about_sources(of), *_about_stand_ins(of, grain)]
    if grain in ("page", "pair"):
        found.append(wire.Caution(code="counted-by-page"))
    if of.narrow.unseen:
        found.append(wire.Caution(code="never-seen", facts={"texts": list(of.narrow.unseen)}))
    return [caution for caution in found if caution]


def _about_now(of: Frame, now: Completeness) -> wire.Caution | None:
    if now.held == now.days:
        return None
    facts = {"held": now.held, "days": now.days, "provisional": now.provisional, "missing": now.missing}
    silent = of.against is not None and not now.enough
    return wire.Caution(code="window-not-full", facts=facts | {"change": "none" if silent else "given"})


def _about_before(of: Frame) -> wire.Caution | None:
    if of.against is None:
        return None
    before = completeness(of.against, of.held.states)
    if before.held == before.days:
        return None
    if of.against.last < of.held.first_held:
        return wire.Caution(code="comparison-not-held", facts={"first_held": of.held.first_held} | _from(of))
    facts = {"held": before.held, "days": before.days, "change": "given" if before.enough else "none"}
    return wire.Caution(code="comparison-not-full", facts=facts if before.enough else facts | _from(of))


LONGEST_AHEAD = 800
"""So many days ahead it is looked for when enough will be held."""


def _from(of: Frame) -> dict[str, date]:
    """Say on which last complete day a change can be given, where the history only began too late for one."""
    asked, first = of.asked, of.held.first_held
    if of.against is None or of.against.first >= first or asked.window == "all":
        return {}
    for ahead in range(1, LONGEST_AHEAD):
        last = of.held.complete_through + timedelta(ahead)
        window = parse_window(asked.window, ends_on=last, starts_on=first)
        against = against_window(window, asked.against, ends_on=last)
        if against is not None and window != of.window and all(_begun(each, first) for each in (window, against)):
            return {"from": last}
        if window == of.window and ahead > LONGEST_MONTH:
            return {}
    return {}


LONGEST_MONTH = 31
"""A window that stays the same over so many days is of fixed days."""


def _begun(window: Window, first: date) -> bool:
    """Say whether a history that begins on a day can hold enough of a window: all but a tenth."""
    return 10 * max(0, (first - window.first).days) <= len(window)


def _about_pairs(of: Frame) -> wire.Caution | None:
    if of.pairing is None or of.against is None:
        return None
    if not of.pairing.paired:
        if not of.comparable:
            return None
        facts = {"now": len(of.now_days), "before": len(of.before_days), "times": f"{of.times:.6f}"}
        return wire.Caution(code="uneven-windows", facts=facts)
    if not of.pairing.left_out or not of.comparable:
        return None
    return wire.Caution(code="pairs-left-out", facts={"kept": len(of.pairing.now), "days": len(of.window)})


def _about_shared_days(of: Frame) -> wire.Caution | None:
    """Say that days are on both sides, as where a whole year is compared with 52 weeks earlier."""
    if of.against is None:
        return None
    shared = (min(of.window.last, of.against.last) - max(of.window.first, of.against.first)).days + 1
    return wire.Caution(code="windows-overlap", facts={"days": shared}) if shared > 0 else None


def _about_rows(of: Frame, grain: str) -> wire.Caution | None:
    """Name the days of which the totals are held and the rows are not."""
    windows = [window for window in (of.window, of.against) if window]
    totals = of.held.totals if of.held.every else {}
    days = {day for window in windows for day in window.days() if totals.get(day) in HELD}
    lacking = sum(of.held.states.get(day) not in HELD for day in days)
    return wire.Caution(code="rows-not-held", facts={"days": lacking, "grain": grain}) if lacking else None


def _about_sources(of: Frame) -> wire.Caution | None:
    left_out = len(of.held.every) - len(of.held.sources) if of.held.every else 0
    if not left_out or of.held.grain == "look":
        return None
    return wire.Caution(code="sources-left-out", facts={"sources": left_out, "grain": of.held.grain})


def _about_stand_ins(of: Frame, grain: str) -> list[wire.Caution]:
    """Say on how many of the days counted finer rows are summed for want of totals, or else of rows."""
    searched = DATASETS[grain].kind == "search"
    for lacking in dict.fromkeys((grain_of(of.dims), grain) if searched else (grain,)):
        if found := of.stood_in(lacking):
            return [
                wire.Caution(code="stood-in", facts={"days": count, "grain": lacking, "by": finer})
                for finer, count in found.items()
            ]
    return []
