"""What stands on a day, of datasets that keep beginnings and ends; and the frame of readings of it."""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from datetime import date, timedelta

import numpy as np

from noctilum.core.days import HELD
from noctilum.core.errors import NotThere
from noctilum.core.windows import Window
from noctilum.datasets.declaring import Dataset
from noctilum.history import Question
from noctilum.history.first_seen import NEVER
from noctilum.readings.frame import Asked, Frame, frame_at
from noctilum.readings.grains import read
from noctilum.readings.holding import Holding
from noctilum.readings.narrow import narrowing
from noctilum.readings.rows_of import Ints
from noctilum.readings.site_access import SiteAccess

Only = Mapping[str, tuple[int, ...]]


def held_of(site: SiteAccess, kept: Dataset) -> Holding | None:
    """What is held of a dataset; None where nothing is."""
    with suppress(NotThere):
        return site.held_of(kept)
    return None


def frame_over(site: SiteAccess, held: Holding, window: str, language: str) -> Frame:
    """Resolve a window against what is held, without filters and comparison."""
    narrow = narrowing(site.history, {}, "", site.words, held.sources)
    return frame_at(held, Asked(site.key, window, "none", {}, "", language), narrow)


def moves(
    held: Holding, kept: Dataset, window: Window, by: tuple[str, ...], only: Only | None = None
) -> tuple[tuple[Ints, ...], Ints, Ints]:
    """Read what began and what ended in a window: keys, begun, ended, each of shape (groups,)."""
    assert kept.states is not None
    asked = Question(kept.name, window.first, window.last, by, dict(only or {}), frozenset(), held.sources, kept.states)
    found = read(held.history, asked)
    began, ended = (found.figures[name] for name in kept.states)
    return found.keys, began, ended


def standing_on(held: Holding, kept: Dataset, day: date, by: str, only: Only | None = None) -> tuple[Ints, Ints]:
    """Say what stands at the end of a day: keys, and how many of each; those of which none stands are left out."""
    if day < held.first_held:
        return np.zeros(0, dtype=np.int64), np.zeros(0, dtype=np.int64)
    (keys,), began, ended = moves(held, kept, Window(held.first_held, day), (by,), only)
    there = began > ended
    return keys[there], (began - ended)[there]


def last_held(held: Holding, through: date) -> date | None:
    """Give the last held day that is not after another."""
    return max((day for day, state in held.states.items() if state in HELD and day <= through), default=None)


def unknown_days(held: Holding, through: date) -> int:
    """Count the days since the first held that are not held."""
    span = (through - held.first_held).days + 1
    return max(0, span - sum(held.first_held <= day <= through for day, s in held.states.items() if s in HELD))


def first_day(firsts: Ints, key: int) -> date | None:
    """Give the first day of a term; None where it has none."""
    at = int(firsts[key]) if key < firsts.size else NEVER
    return None if at == NEVER else date.fromordinal(at)


def weeks_of(window: Window) -> list[Window]:
    """Cut a window into weeks from its end; the first may be shorter."""
    ends = [window.last - timedelta(7 * n) for n in range((len(window) + 6) // 7)]
    return [Window(max(window.first, end - timedelta(6)), end) for end in reversed(ends)]
