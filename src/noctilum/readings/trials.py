"""Trials read: treated against control by week, what it could show, and what it came to once its weeks are complete."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from noctilum.core import trials as core
from noctilum.core.days import HELD
from noctilum.core.errors import NotThere, worded
from noctilum.core.pages import path_on
from noctilum.core.windows import Window
from noctilum.datasets import DATASETS
from noctilum.datasets.visits import ORGANIC
from noctilum.history import Question
from noctilum.readings.grains import read, standing
from noctilum.readings.holding import Holding
from noctilum.readings.known import known_since
from noctilum.readings.rows_of import Floats, Ints
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import trials as wire

WEEK = 7
MOST_CANDIDATES, LEAST_CLICKS_A_WEEK = 2_000, 3


@dataclass(frozen=True)
class Weeks:
    """Clicks of treated and control by week; firsts: the first day of each; −1 where a day is not held.

    before: so many of the weeks lie before the start, the rest after.
    """

    firsts: tuple[date, ...]
    treated: Ints
    control: Ints
    before: int

    @property
    def ratios(self) -> Floats:
        """The log ratio of treated to control, week by week."""
        return core.log_ratios(self.treated, self.control)


def trial(site: SiteAccess, asked: wire.TrialQuery) -> wire.TrialRead:
    """Read a trial; raises NotThere."""
    found = next((each for each in site.trials() if each.id == asked.number), None)
    if found is None:
        raise NotThere(
            "no-such-trial",
            worded("{key} has no trial {number}.", key=site.key, number=asked.number),
            remedy="list them with `noctilum trials`",
        )
    held = site.holding
    planned = found.starts + timedelta(found.weeks * WEEK - 1)
    last = min(planned, found.ended_on) if found.ended_on is not None else planned
    after = ((last - found.starts).days + 1) // WEEK
    ready = found.starts + timedelta(max(after, 1) * WEEK - 1)
    state = _state(site, found, held, ready)
    readable = state in ("read", "ended early")
    weeks = _weeks(site, held, found, after if readable else 0)
    known = core.scatter(weeks.ratios[: weeks.before])
    effect = core.effect(weeks.ratios[: weeks.before], weeks.ratios[weeks.before :]) if readable else None
    today = site.today or held.complete_through
    return wire.TrialRead(
        trial=found,
        site=site.key,
        state=state,
        verdict=_verdict(effect, readable),
        effect=None if effect is None else round(effect.effect, 6),
        low=None if effect is None else round(effect.low, 6),
        high=None if effect is None else round(effect.high, 6),
        ready=ready,
        days_to_go=max(0, (ready - today).days) if not readable else 0,
        weeks_before=int(np.isfinite(weeks.ratios[max(0, weeks.before - core.BASE) : weeks.before]).sum()),
        weeks_after=int(np.isfinite(weeks.ratios[weeks.before :]).sum()),
        smallest=None if known is None else round(core.smallest_shown(known, max(1, after)), 6),
        weeks_for_tenth=None if known is None else core.weeks_to_show(known),
        rows=_rows(weeks, known),
        secondary=_secondary(site, held, found, after) if readable else [],
        held_through=held.complete_through,
        cautions=[],
    )


def _state(site: SiteAccess, found: wire.TrialOut, held: Holding, ready: date) -> wire.State:
    """Say how far a trial is: none is read before all its days are complete, nor is one that was ended early."""
    today = site.today or held.complete_through
    if today < found.starts:
        return "planned"
    if held.complete_through < ready:
        return "running"
    planned = found.starts + timedelta(found.weeks * WEEK - 1)
    return "ended early" if found.ended_on is not None and found.ended_on < planned else "read"


def _verdict(effect: core.Effect | None, readable: bool) -> wire.Verdict:
    if not readable:
        return "waits"
    if effect is None:
        return "too few to tell"
    told: dict[str, wire.Verdict] = {"better": "better", "worse": "worse"}
    return told.get(effect.verdict, "no effect can be shown")


def _weeks(site: SiteAccess, held: Holding, found: wire.TrialOut, after: int) -> Weeks:
    """Sum clicks by week, 26 before the start and so many after it."""
    first = found.starts - timedelta(core.PAST * WEEK)
    span = Window(first, found.starts + timedelta(after * WEEK - 1))
    treated = _clicks(site, held, found.of, found.treated, span)
    control = _clicks(site, held, found.of, found.control, span) if found.control else None
    if control is None:
        everything = _clicks(site, held, found.of, None, span)
        control = np.where(everything >= 0, everything - np.maximum(treated, 0), -1)
    firsts = tuple(span.first + timedelta(n * WEEK) for n in range(len(treated)))
    return Weeks(firsts, treated, control, core.PAST)


def _clicks(site: SiteAccess, held: Holding, of: str, keys: Sequence[str] | None, span: Window) -> Ints:
    """Give clicks by week of some pages or queries, of all of them without; −1 for weeks with a day not held."""
    where = {} if keys is None else {of: _ids(site, of, keys)}
    found = read(held.history, Question(of, span.first, span.last, ("day",), where, sources=held.sources))
    daily = np.zeros(len(span), dtype=np.int64)
    np.add.at(daily, found.keys[0] - span.first.toordinal(), found.clicks)
    return np.where(_held_weeks(held, of, span), daily.reshape(-1, WEEK).sum(axis=1), -1)


def _held_weeks(held: Holding, of: str, span: Window) -> np.ndarray:
    states = standing(held.history, held.sources, of).states
    days = np.array([states.get(day) in HELD and day <= held.complete_through for day in span.days()])
    return np.asarray(days.reshape(-1, WEEK).all(axis=1))


def _ids(site: SiteAccess, of: str, keys: Sequence[str]) -> tuple[int, ...]:
    named = [path_on(site.words.host, key) if of == "page" else key for key in keys]
    found = {site.history.term_id(of, key) for key in named}
    return tuple(sorted(each for each in found if each is not None))


def _rows(weeks: Weeks, known: core.Scatter | None) -> list[wire.TrialWeek]:
    """Set each week beside what the control lets expect, with what chance alone would do to a single week."""
    base = weeks.ratios[max(0, weeks.before - core.BASE) : weeks.before]
    usual = float(np.nanmean(base)) if np.isfinite(base).any() else None
    half = 0.0 if known is None else core.half_of_a_week(known)
    rows = []
    for n, first in enumerate(weeks.firsts):
        there = weeks.treated[n] >= 0 and weeks.control[n] >= 0
        expected = float((weeks.control[n] + 0.5) * np.exp(usual)) if there and usual is not None else None
        bounded = expected is not None and known is not None
        rows.append(
            wire.TrialWeek(
                first=first,
                part="before" if n < weeks.before else "after",
                treated=int(weeks.treated[n]) if there else None,
                control=int(weeks.control[n]) if there else None,
                expected=None if expected is None else round(expected, 3),
                low=round(expected * float(np.exp(-half)), 3) if bounded and expected is not None else None,
                high=round(expected * float(np.exp(half)), 3) if bounded and expected is not None else None,
            )
        )
    return rows


def _secondary(site: SiteAccess, held: Holding, found: wire.TrialOut, after: int) -> list[wire.SecondaryRow]:
    """Give impressions, click-through and position of treated and control, over the 12 weeks before and those after."""
    before = Window(found.starts - timedelta(core.BASE * WEEK), found.starts - timedelta(1))
    later = Window(found.starts, found.starts + timedelta(after * WEEK - 1))
    treated = frozenset(_ids(site, found.of, found.treated))
    control = frozenset(_ids(site, found.of, found.control)) if found.control else None
    rows = []
    for part, window in (("before", before), ("after", later)):
        grouped = read(held.history, Question(found.of, window.first, window.last, (found.of,), sources=held.sources))
        mine = np.isin(grouped.keys[0], list(treated))
        theirs = ~mine if control is None else np.isin(grouped.keys[0], list(control))
        for group, chosen in (("treated", mine), ("control", theirs)):
            sums = grouped.taken(np.flatnonzero(chosen)).sums
            told = {"group": group, "part": part, "ctr": sums.ctr, "position": sums.position}
            told |= _brought(site, found, window, group)
            rows.append(
                wire.SecondaryRow.model_validate(
                    told | {"impressions": round(sums.impressions / len(window) * WEEK, 1)}
                )
            )
    return rows


def _brought(site: SiteAccess, found: wire.TrialOut, window: Window, group: str) -> dict[str, float | None]:
    """Give organic sessions and conversions a week on treated pages or on those beside them, where visits are held."""
    nothing: dict[str, float | None] = {"sessions": None, "conversions": None}
    kept = DATASETS["visits"]
    if found.of != "page":
        return nothing
    try:
        held = site.held_of(kept)
    except NotThere:
        return nothing
    if not all(held.states.get(day) in HELD for day in window.days()):
        return nothing
    channel = site.history.term_id("channel", ORGANIC)
    only = {"channel": () if channel is None else (channel,)}
    measures = ("sessions", "conversions")
    grouped = site.history.read(
        Question(kept.name, window.first, window.last, ("page",), only, sources=held.sources, measures=measures)
    )
    treated, control = (frozenset(_ids(site, "page", keys)) for keys in (found.treated, found.control))
    mine = np.isin(grouped.keys[0], list(treated if group == "treated" or not control else control))
    chosen = ~mine if group == "control" and not control else mine
    told: dict[str, float | None] = {
        name: round(float(grouped.figures[name][chosen].sum()) / len(window) * WEEK, 1) for name in measures
    }
    since = known_since(held, kept, kept.measure("conversions"))
    return told if since is not None and since <= window.first else told | {"conversions": None}


def plan(site: SiteAccess, asked: wire.PlanQuery) -> wire.TrialPlan:
    """Say what a trial of some pages or queries could show, and suggest controls whose past moves as theirs does."""
    held = site.holding
    last = held.complete_through
    span = Window(last - timedelta(core.PAST * WEEK - 1), last)
    treated = _clicks(site, held, asked.of, asked.treated, span)
    whole = _held_weeks(held, asked.of, span)
    keys, clicks = _candidates(site, held, asked, span)
    told = whole.sum() > 2 and keys.size
    order = core.alike(treated[whole], clicks[:, whole])[: asked.limit] if told else np.zeros(0)
    rest = _clicks(site, held, asked.of, None, span)
    beside_rest = core.scatter(core.log_ratios(treated, np.where(rest >= 0, rest - np.maximum(treated, 0), -1)))
    chosen = np.asarray(order, dtype=np.intp)
    summed = np.where(whole, clicks[chosen].sum(axis=0), -1) if chosen.size else np.full(core.PAST, -1)
    known = core.scatter(core.log_ratios(treated, summed)) if chosen.size else beside_rest
    labels = site.history.texts(asked.of, keys[chosen].tolist()) if chosen.size else []
    likeness = core.likeness(treated[whole], clicks[chosen][:, whole]) if chosen.size else np.zeros(0)
    return wire.TrialPlan(
        site=site.key,
        of=asked.of,
        rows=[
            wire.ControlRow(key=key, likeness=round(float(likeness[n]), 4), clicks=int(clicks[chosen[n]][whole].sum()))
            for n, key in enumerate(labels)
        ],
        smallest=None if known is None else round(core.smallest_shown(known, asked.weeks), 6),
        smallest_beside_rest=None if beside_rest is None else round(core.smallest_shown(beside_rest, asked.weeks), 6),
        weeks_for_tenth=None if known is None else core.weeks_to_show(known),
        weeks=asked.weeks,
        clicks=int(np.maximum(treated, 0).sum()),
        weeks_before=int(whole.sum()),
        held_through=last,
    )


def _candidates(site: SiteAccess, held: Holding, asked: wire.PlanQuery, span: Window) -> tuple[Ints, Ints]:
    """Give what may be a control, with its clicks by week: what is not treated and has enough clicks, most first."""
    totals = read(held.history, Question(asked.of, span.first, span.last, (asked.of,), sources=held.sources))
    treated = np.array(_ids(site, asked.of, asked.treated), dtype=np.int64)
    fit = (totals.clicks >= LEAST_CLICKS_A_WEEK * core.PAST) & ~np.isin(totals.keys[0], treated)
    order = np.argsort(-totals.clicks[fit], kind="stable")[:MOST_CANDIDATES]
    keys = np.sort(totals.keys[0][fit][order])
    if not keys.size:
        return keys, np.zeros((0, core.PAST), dtype=np.int64)
    only: dict[str, tuple[int, ...]] = {asked.of: tuple(keys.tolist())}
    by = (asked.of, "day")
    daily = read(held.history, Question(asked.of, span.first, span.last, by, only, sources=held.sources))
    week = (daily.keys[1] - span.first.toordinal()) // WEEK
    at = np.searchsorted(keys, daily.keys[0])
    clicks = np.bincount(at * core.PAST + week, weights=daily.clicks, minlength=keys.size * core.PAST)
    return keys, clicks.astype(np.int64).reshape(keys.size, core.PAST)


def answer(site: SiteAccess, asked: wire.TrialQuery) -> wire.TrialRead:
    """Answer for a site."""
    return trial(site, asked)


def answer_plan(site: SiteAccess, asked: wire.PlanQuery) -> wire.TrialPlan:
    """Answer for a site."""
    return plan(site, asked)
