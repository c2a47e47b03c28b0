"""One row beside the rows around it: what its own year does to it, and how far rows like it stray, learnt from them.

A row that is judged by itself, as a page on which work was done, has no list of its own to say how far rows of its site
go in such windows. Rows around it do: what they did beyond the rest in these very days, once their own year is taken
out, is what chance, their seasons and the weather of the site leave open.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from noctilum.core.season import HALF, SEASON, Pair, Season, Year, drawn, excess_variance
from noctilum.core.verdicts import Floats, Mask

LEAST_BESIDE = 20
"""With fewer rows around it nothing can be learnt from them."""
LONGER_TAILS = 1.5
"""By how much more a row is let stray than the rows around it: seasons have longer tails than chance (ours, by
simulation)."""


def own_and_stray(
    now: Pair, years: Sequence[Year], phi: Floats, eligible: Mask, mine: int, season: Season = SEASON
) -> tuple[float, float] | None:
    """Say what a row's own year does to it beside the rest, and how far it may stray, squared; both in logarithms.

    now, years: of the row and those around it; phi, eligible: (rows,). Each row is set beside the rest of its site,
    without itself. Own: as in a list, drawn to none by how far rows depart. Stray: half as much again as the rows
    around it vary in these days, their own year taken out, beyond what their counts say (excess_variance); and no less
    than what its own years leave open. None under twenty rows around it.

    >>> rng = np.random.default_rng(3)
    >>> before, alike = rng.poisson(1000, 61), np.ones(61, dtype=bool)
    >>> pair = Pair(rng.poisson(1000, 61), before, 28, 28, 900_000, 900_000)
    >>> own, stray = own_and_stray(pair, [], np.ones(61), alike, 0)
    >>> own, round(stray, 3)
    (0.0, 0.0)
    """
    others = eligible.copy()
    others[mine] = False
    if int(others.sum()) < LEAST_BESIDE:
        return None
    beyond = _beyond(now)
    own, of_own = np.zeros(eligible.size), np.zeros(eligible.size)
    if years:
        found = drawn(years, np.stack([_beyond(year.pair) for year in years]), phi, eligible, season)
        own, of_own = found[1], found[2] + season.least_omega**2
    left = LONGER_TAILS * excess_variance(np.where(others, beyond - own, np.nan), now.variance(phi))
    return float(own[mine]), max(left, float(of_own[mine]))


def _beyond(pair: Pair) -> Floats:
    """Give ln of each row's change less ln of that of all others of its site, (rows,); NaN where it was not there."""
    rest = np.log((pair.site_now - pair.now + HALF) / (pair.site_before - pair.before + HALF)) - np.log(pair.scale)
    return np.where(pair.now + pair.before > 0, pair.logs()[0] - rest, np.nan)
