"""What came to a result page and stays, or left it: where a share of lookups turned, beyond what chance does.

A feature that trembles is there on some days and not on others; a turn is told against its own trembling. The rule is
ours, chosen by simulation (bench/alarms.py).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.special import bdtrc

Mask = npt.NDArray[np.bool_]

BEFORE, LEAST_BEFORE = 56, 14
"""So many lookups before a turn tell what was usual, and no fewer than these."""
LEAST_AFTER = 3
HARDLY, MOSTLY = 0.1, 0.5
"""What came was hardly ever there before and mostly is since; what left the reverse."""
LEAST = 0.001
"""The most that the chances of all rows together may come to for a turn to be one."""


@dataclass(frozen=True)
class Turn:
    """A turn. at: the place of the first lookup after it. before, after: the shares of lookups that showed it.

    chance: of as many since, by what was usual before, times the places at which it could have been.
    """

    came: bool
    at: int
    before: float
    after: float
    chance: float


def turn(shown: Mask, earliest: int) -> Turn | None:
    """Find where a feature turned. shown: whether each lookup showed it, oldest first, (lookups,).

    earliest: the first place at which it may have. Of *k* in *m* lookups since, with the share *q* = (k₀ + ½) /
    (m₀ + 1) of up to 56 before, the chance is that of *k* or more; that place is taken where it is least.

    >>> found = turn(np.array([False] * 40 + [True, True, False, True]), 20)
    >>> found.came, found.at, round(found.after, 2), found.chance < 0.001
    (True, 40, 0.75, True)
    >>> turn(np.array([True, False] * 20), 10) is None
    True
    """
    places = np.arange(max(earliest, LEAST_BEFORE), shown.size - LEAST_AFTER + 1)
    if not places.size:
        return None
    running = np.concatenate(([0], np.cumsum(shown)))
    start = np.maximum(0, places - BEFORE)
    many, since = places - start, shown.size - places
    was, now = running[places] - running[start], running[-1] - running[places]
    found = [
        _least(places, many, since, was, now, came=True),
        _least(places, many, since, many - was, since - now, came=False),
    ]
    return min((each for each in found if each is not None), key=lambda each: each.chance, default=None)


def _least(
    places: npt.NDArray[np.int64],
    many: npt.NDArray[np.int64],
    since: npt.NDArray[np.int64],
    was: npt.NDArray[np.int64],
    now: npt.NDArray[np.int64],
    *,
    came: bool,
) -> Turn | None:
    """Take the place of least chance at which what hardly was (shown, or not shown) mostly is since."""
    least, most = (HARDLY, MOSTLY) if came else (MOSTLY, 1 - HARDLY)
    fits = (was <= least * many) & (now >= most * since)
    if not fits.any():
        return None
    chances = np.where(fits, bdtrc(now - 1, since, (was + 0.5) / (many + 1)), np.inf)
    best = int(np.argmin(chances))
    before, after = was[best] / many[best], now[best] / since[best]
    if not came:
        before, after = 1 - before, 1 - after
    return Turn(came, int(places[best]), float(before), float(after), float(chances[best] * places.size))
