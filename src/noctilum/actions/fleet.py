"""Fleet events: the days of all sites side by side, and those on which far more of them moved than chance allows."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Literal
from urllib.parse import urlsplit

import numpy as np

from noctilum.actions import dated_notes
from noctilum.actions.install import Install
from noctilum.actions.site_access import Opened, open_sites
from noctilum.core import fleet as core
from noctilum.core.errors import Fault
from noctilum.core.windows import Window
from noctilum.readings.frame import Asked, frame
from noctilum.readings.rank_days import daily_ranks
from noctilum.readings.rows_of import Floats
from noctilum.readings.slump import daily
from noctilum.wire import fleet as wire

LOOKED_AT = 365
"""So many days tell how many sites move on a usual one."""
SHOWN = 182
NEAR = 3


@dataclass
class _Scored:
    """Sites with their scores of the days of a span, on one thing that moves."""

    on: Literal["clicks", "ranks"]
    sites: list[Opened] = field(default_factory=list)
    rows: list[Floats] = field(default_factory=list)

    def add(self, opened: Opened, found: Floats | None) -> None:
        """Add a site of which something is known."""
        if found is not None:
            self.sites.append(opened)
            self.rows.append(found)

    @property
    def days(self) -> list[core.FleetDay]:
        """The events of the days that are shown."""
        told = core.events(np.array(self.rows)) if self.rows else []
        return [each for each in told if each.first >= LOOKED_AT - SHOWN]


def fleet(install: Install, today: date) -> wire.Fleet:
    """Find the events of the last half year over all sites that may be seen, on clicks or on ranks."""
    span = [today - timedelta(n) for n in range(LOOKED_AT - 1, -1, -1)]
    clicks, ranks = _Scored("clicks"), _Scored("ranks")
    for opened in open_sites(install):
        clicks.add(opened, _scores(opened, span))
        ranks.add(opened, _rank_scores(opened, span))
    notes = [note for note in dated_notes.list_notes(install) if note.client is None and note.site is None]
    noted = [(note.first, note.last, note.text) for note in notes]
    of_ranks = [_event(each, span, ranks, noted) for each in ranks.days]
    events = [_event(each, span, clicks, noted) for each in clicks.days]
    events = [each.model_copy(update={"ranks_too": _near(each, of_ranks)}) for each in events]
    events += [each for each in of_ranks if not _near(each, events)]
    return wire.Fleet(
        first=span[-SHOWN],
        last=span[-1],
        sites=len(clicks.sites),
        ranked=len(ranks.sites),
        events=sorted(events, key=lambda each: each.day, reverse=True),
    )


def _near(one: wire.FleetEvent, others: Sequence[wire.FleetEvent]) -> int:
    """Count the sites of another event that is one with this."""
    return max((len(each.sites) for each in others if abs((each.day - one.day).days) <= core.APART), default=0)


def _rank_scores(opened: Opened, span: Sequence[date]) -> Floats | None:
    """Give the scores of a site's ranks on the days of a span; None where too little was looked up."""
    if isinstance(opened.access, Fault):
        return None
    ranks = daily_ranks(opened.access)
    if ranks is None:
        return None
    found = core.rank_scores(ranks.over(Window(span[0], span[-1])))
    return found if np.isfinite(found).any() else None


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
    found: core.FleetDay, span: Sequence[date], scored: _Scored, notes: Sequence[tuple[date, date, str]]
) -> wire.FleetEvent:
    day = span[found.first]
    moved = [_moved(scored.sites[at], day, score) for at, score in zip(found.sites, found.scores, strict=True)]
    near = [text for first, last, text in notes if first - timedelta(NEAR) <= day <= last + timedelta(NEAR)]
    fell = sum(each.score < 0 for each in moved)
    return wire.FleetEvent(
        day=day,
        fell=fell,
        rose=len(moved) - fell,
        looked_at=found.known,
        usual=round(found.usual, 2),
        chance=found.chance,
        on=scored.on,
        sites=moved,
        noted=near,
    )
