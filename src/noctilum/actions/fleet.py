"""Fleet events: the days of all sites side by side, and those on which far more of them moved than chance allows."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from datetime import date, timedelta
from urllib.parse import urlsplit

import numpy as np

from noctilum.actions import dated_notes
from noctilum.actions.install import Install
from noctilum.actions.site_access import Opened, open_sites
from noctilum.core import fleet as core
from noctilum.core.errors import Fault
from noctilum.readings.frame import Asked, frame
from noctilum.readings.rows_of import Floats
from noctilum.readings.slump import daily
from noctilum.wire import fleet as wire

LOOKED_AT = 365
"""So many days tell how many sites move on a usual one."""
SHOWN = 182
NEAR = 3


def fleet(install: Install, today: date) -> wire.Fleet:
    """Find the events of the last half year over all sites that may be seen."""
    span = [today - timedelta(n) for n in range(LOOKED_AT - 1, -1, -1)]
    sites, rows = [], []
    for opened in open_sites(install):
        found = _scores(opened, span)
        if found is not None:
            sites.append(opened)
            rows.append(found)
    told = core.events(np.array(rows)) if rows else []
    shown = [each for each in told if each.first >= LOOKED_AT - SHOWN]
    notes = [note for note in dated_notes.list_notes(install) if note.client is None and note.site is None]
    return wire.Fleet(
        first=span[-SHOWN],
        last=span[-1],
        sites=len(sites),
        events=[_event(each, span, sites, [(note.first, note.last, note.text) for note in notes]) for each in shown],
    )


def _scores(opened: Opened, span: Sequence[date]) -> Floats | None:
    """Give a site's scores of the days of a span, NaN where nothing is known; None where nothing is held."""
    if isinstance(opened.access, Fault):
        return None
    try:
        of = frame(opened.access.holding, Asked(opened.site.key, "P7D", "none"))
    except Fault:
        return None
    last = of.held.complete_through
    found = core.scores(daily(of, "clicks", LOOKED_AT + 364 + 60))
    placed = np.full(len(span), np.nan)
    end = (last - span[0]).days + 1
    size = min(found.size, end)
    if end > 0 and size > 0:
        placed[end - size : end] = found[-size:]
    return placed if np.isfinite(placed).any() else None


def _moved(opened: Opened, day: date, score: float) -> wire.FleetSite:
    section, share = _section(opened, day, falling=score < 0)
    named = {"site": opened.site.key, "client": opened.site.client_name, "score": round(score, 2)}
    return wire.FleetSite.model_validate(named | {"section": section, "share": share})


def _section(opened: Opened, day: date, *, falling: bool) -> tuple[str, float | None]:
    """Name the section whose pages lost, or gained, most in the week from a day on against the week before.

    Its share is of what all sections that moved the same way changed by. Nothing where no pages are held.
    """
    assert not isinstance(opened.access, Fault)
    site = opened.access
    try:
        of = frame(site.holding, Asked(site.key, f"{day}/P7D", f"P7D/{day - timedelta(1)}"), ("page",))
        now, before = of.read("page", ("page",)), of.read("page", ("page",), before=True)
    except Fault:
        return "", None
    changed: Counter[str] = Counter()
    for found, sign in ((now, 1), (before, -1)):
        for path, clicks in zip(site.history.texts("page", found.keys[0].tolist()), found.clicks.tolist(), strict=True):
            changed[section_of(path)] += sign * clicks
    moved = {section: abs(clicks) for section, clicks in changed.items() if clicks and (clicks < 0) == falling}
    if not moved:
        return "", None
    most = min(moved, key=lambda section: (-moved[section], section))
    return most, round(moved[most] / sum(moved.values()), 4)


def section_of(path: str) -> str:
    """Give the first part of a path, with what lies below it; the start page and pages beside it are "/"."""
    parts = urlsplit(path).path.split("/")
    return f"/{parts[1]}/" if len(parts) > 2 and parts[1] else "/"


def _event(
    found: core.FleetDay, span: Sequence[date], sites: Sequence[Opened], notes: Sequence[tuple[date, date, str]]
) -> wire.FleetEvent:
    day = span[found.first]
    moved = [_moved(sites[at], day, score) for at, score in zip(found.sites, found.scores, strict=True)]
    near = [text for first, last, text in notes if first - timedelta(NEAR) <= day <= last + timedelta(NEAR)]
    fell = sum(each.score < 0 for each in moved)
    return wire.FleetEvent(
        day=day,
        fell=fell,
        rose=len(moved) - fell,
        looked_at=found.known,
        usual=round(found.usual, 2),
        chance=found.chance,
        sites=moved,
        noted=near,
    )
