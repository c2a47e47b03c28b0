"""Ranks of tracked keywords: visibility, movements, share of voice, steps of a ladder, a local grid, a cross-check.

A rank is a whole place from 1; NaN says that a check looked and did not find. That nobody looked is said apart, by a
mask, and is never taken for a loss.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
import numpy.typing as npt

from noctilum.core.curve import REFERENCE, reference_rates

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Mask = npt.NDArray[np.bool_]
Movement = Literal["up", "same", "down", "entered", "lost", "absent", "unknown"]
MOVEMENTS: tuple[Movement, ...] = get_args(Movement)
Choice = Literal["last", "best", "average"]

DEEPEST_SEEN = 20
"""A place beyond it brings nothing to visibility."""
_RATES = np.append(0.0, reference_rates(DEEPEST_SEEN))
LATEST_DAYS = 7
"""A window is told by each keyword's latest check in its last seven days."""
LEAST_MOVED = 10
LEAST_PAST = 8
BEYOND_NOISE = 3.0
"""A change of visibility is told from ten keywords that moved, where it is three times what it usually is (ours)."""
AGREES = 1.5
"""A tracked rank and an average position that lie no further apart agree."""


def rate_at(rank: Floats) -> Floats:
    """Give the reference rate of whole places; 0 for NaN and beyond place 20. Shape as rank.

    >>> rate_at(np.array([1.0, 11.0, 21.0, np.nan])).round(5).tolist()
    [0.3, 0.01785, 0.0, 0.0]
    """
    seen = (rank >= 1) & (rank <= DEEPEST_SEEN)
    rates: Floats = _RATES[np.where(seen, rank, 0).astype(np.int64)]
    return rates


def visibility(rank: Floats, weight: Floats, volume: Floats | None = None, checked: Mask | None = None) -> float | None:
    """Give 100 · Σ w·v·ref(rank) / Σ w·v·ref(1) over the keywords that were checked; None where none was.

    rank, weight (1 to 5), volume (searches a month; 1 each without), checked: all of shape (keywords,).

    >>> round(visibility(np.array([1, 4, np.nan, 11.0]), np.array([3.0, 1, 2, 1])), 4)
    47.0405
    """
    counted = weight if volume is None else weight * volume
    counted = counted if checked is None else np.where(checked, counted, 0.0)
    whole = float(counted.sum()) * REFERENCE[0]
    return 100 * float((counted * rate_at(rank)).sum()) / whole if whole > 0 else None


def estimated_clicks(rank: Floats, volume: Floats) -> Floats:
    """Estimate clicks a month: volume times the reference rate at the rank; NaN where the volume is not known."""
    return np.asarray(volume * rate_at(rank), dtype=np.float64)


def movements(before: Floats, now: Floats, checked_before: Mask, checked_now: Mask) -> npt.NDArray[np.int8]:
    """Say how each keyword moved, as places in MOVEMENTS. All of shape (keywords,).

    A keyword not checked on either side is unknown, whatever its ranks say: a day without a check is no loss.

    >>> nan, yes = np.nan, np.ones(7, dtype=bool)
    >>> looked = np.array([True] * 6 + [False])
    >>> found = movements(np.array([5, 3, 2, nan, 4, nan, 1.0]), np.array([2, 3, 6, 9, nan, nan, nan]), yes, looked)
    >>> [MOVEMENTS[each] for each in found]
    ['up', 'same', 'down', 'entered', 'lost', 'absent', 'unknown']
    """
    was, is_ = np.isfinite(before), np.isfinite(now)
    cases = [
        ~(checked_before & checked_now),
        was & is_ & (now < before),
        was & is_ & (now == before),
        was & is_,
        is_,
        was,
    ]
    names: tuple[Movement, ...] = ("unknown", "up", "same", "down", "entered", "lost")
    return np.select(cases, [MOVEMENTS.index(name) for name in names], MOVEMENTS.index("absent")).astype(np.int8)


@dataclass(frozen=True)
class Checks:
    """Checks of keywords: whose, on which day (ordinals), at which rank (NaN not found); each of shape (checks,)."""

    keyword: Ints
    day: Ints
    rank: Floats

    def taken(self, rows: npt.NDArray[np.intp] | Mask) -> Checks:
        """Keep some of them."""
        return Checks(self.keyword[rows], self.day[rows], self.rank[rows])


def latest(checks: Checks, keywords: int, last: int, days: int = LATEST_DAYS) -> tuple[Floats, Mask]:
    """Give each keyword's rank at its latest check in the days that end with `last`, and whether there was one.

    Shapes (keywords,). Of several checks of one day the one that stands later counts.

    >>> checks = Checks(np.array([0, 0, 1]), np.array([10, 12, 3]), np.array([4.0, np.nan, 2.0]))
    >>> latest(checks, 3, 13)
    (array([nan, nan, nan]), array([ True, False, False]))
    """
    near = checks.taken((checks.day > last - days) & (checks.day <= last))
    order = np.argsort(near.day, kind="stable")
    rank, checked = np.full(keywords, np.nan), np.zeros(keywords, dtype=bool)
    rank[near.keyword[order]] = near.rank[order]
    checked[near.keyword] = True
    return rank, checked


def by_step(checks: Checks, keywords: int, ends: Ints, choice: Choice = "last") -> tuple[Floats, Mask]:
    """Lay checks out by steps: (rank, checked), both of shape (keywords, steps).

    ends: the last day of each step, rising; a step begins after the one before ends, the first has all days up to its
    end. choice: of several checks of a step the last, the best, or the average of those that found; a step without a
    check is no gap in the ranks but unknown.

    >>> week = Checks(np.array([0, 0, 0]), np.array([1, 2, 9]), np.array([3.0, 5.0, np.nan]))
    >>> by_step(week, 1, np.array([7, 14, 21]))[0].tolist(), by_step(week, 1, np.array([7, 14, 21]), "best")[0].tolist()
    ([[5.0, nan, nan]], [[3.0, nan, nan]])
    """
    shape = keywords, ends.size
    step = np.searchsorted(ends, checks.day)
    inside = checks.taken(step < ends.size)
    at = inside.keyword * ends.size + step[step < ends.size]
    checked = np.zeros(keywords * ends.size, dtype=bool)
    checked[at] = True
    rank = np.full(keywords * ends.size, np.nan)
    if choice == "last":
        order = np.argsort(inside.day, kind="stable")
        rank[at[order]] = inside.rank[order]
    elif choice == "best":
        np.fmin.at(rank, at, inside.rank)
    else:
        found = np.isfinite(inside.rank)
        times = np.bincount(at[found], minlength=rank.size)
        total = np.bincount(at[found], weights=inside.rank[found], minlength=rank.size)
        rank = np.where(times > 0, total / np.maximum(times, 1), np.nan)
    return rank.reshape(shape), checked.reshape(shape)


def share_of_voice(
    domain: Ints, keyword: Ints, rank: Floats, weight: Floats, volume: Floats | None = None
) -> tuple[Ints, Floats]:
    """Give each domain's share: Σ w·v·ref(its best rank a keyword) over that of all domains seen; they add up to 1.

    domain, keyword, rank: shape (results,); weight, volume: shape (keywords,). Returns (domains, shares), the largest
    share first, domains without any left out.

    >>> domains, shares = share_of_voice(*(np.array(x) for x in ([7, 9, 7], [0, 0, 0], [1.0, 2.0, 5.0])), np.ones(1))
    >>> domains.tolist(), shares.round(4).tolist()
    ([7, 9], [0.6522, 0.3478])
    """
    worth = weight if volume is None else weight * volume
    pairs, place = np.unique(np.stack([domain, keyword], axis=1), axis=0, return_inverse=True)
    best = np.full(len(pairs), np.inf)
    np.minimum.at(best, place.ravel(), np.where(np.isfinite(rank), rank, np.inf))
    names, at = np.unique(pairs[:, 0], return_inverse=True)
    earned = np.bincount(at.ravel(), weights=worth[pairs[:, 1]] * rate_at(best), minlength=names.size)
    order = np.argsort(-earned, kind="stable")
    order = order[earned[order] > 0]
    total = float(earned.sum())
    shares: Floats = earned[order] / total if total else np.zeros(0)
    return names[order], shares


@dataclass(frozen=True)
class GridSums:
    """What the points of a local grid say together. mean: with points that found nothing at depth + 1."""

    mean: float
    top3: float
    found: float
    points: int


def grid_sums(rank: Floats, depth: int) -> GridSums | None:
    """Sum up a local grid; rank: shape (points that were checked,), NaN not found. None where no point was checked.

    >>> grid_sums(np.array([1.0, 3.0, np.nan, 6.0]), 20)
    GridSums(mean=7.75, top3=0.5, found=0.75, points=4)
    """
    if not rank.size:
        return None
    found = np.isfinite(rank)
    placed = np.where(found, rank, depth + 1.0)
    return GridSums(float(placed.mean()), float((placed <= 3).mean()), float(found.mean()), int(rank.size))


Agreement = Literal["agree", "tracked is better", "average is better"]


def cross_check(tracked: float, average: float) -> Agreement:
    """Set a tracked rank beside the provider's average position of the same query, engine, device, country and day.

    >>> cross_check(3, 4.5), cross_check(3, 4.6), cross_check(9, 4.6)
    ('agree', 'tracked is better', 'average is better')
    """
    apart = tracked - average
    if abs(apart) <= AGREES + 1e-9:
        return "agree"
    return "tracked is better" if apart < 0 else "average is better"


FewOrEffect = Literal["lower", "higher", "no effect can be shown", "too few to tell"]
LEAST_STRATA, LEAST_CLICKS = 20, 200
DRAWS, SURE = 1000, 0.95


VisibilityVerdict = Literal["rose", "fell", "no change can be shown", "too few to tell"]


def visibility_verdict(before: Floats, now: Floats, weight: Floats, both: Mask, past: Floats) -> VisibilityVerdict:
    """Say whether visibility changed by more than chance and this site's own unrest allow (ours).

    before, now (NaN not found), weight, both (checked on both sides): of shape (keywords,). past: changes of visibility
    over as many days, earlier, of shape (any,); NaN where not known. Keywords are set beside themselves, so that one
    that is tracked since yesterday changes nothing. Were each as likely to gain as to lose what it did, the sum of what
    they gained would spread as √Σd², that of their ranks by size as Wilcoxon's (1945): one of both must lie three times
    beyond its spread, the second only where eight earlier changes are known. Those bound the verdict: it must also be
    three times what is usual here, 1.4826 × the median of their sizes, as a shake-up of all results moves keywords
    together.

    >>> rank, yes, none = np.arange(1.0, 21), np.ones(20, dtype=bool), np.zeros(0)
    >>> [visibility_verdict(rank, rank + by, np.ones(20), yes, np.full(9, 0.4)) for by in (4, 0)]
    ['fell', 'no change can be shown']
    """
    worth = np.where(both, weight, 0.0)
    moved = worth * (rate_at(now) - rate_at(before))
    if int(both.sum()) < LEAST_MOVED:
        return "too few to tell"
    if int((moved != 0).sum()) < LEAST_MOVED:
        return "no change can be shown"
    known = np.abs(past[np.isfinite(past)])
    change = float(moved.sum()) * 100 / (float(worth.sum()) * REFERENCE[0])
    sure = abs(float(moved.sum())) >= BEYOND_NOISE * float(np.sqrt((moved**2).sum()))
    if known.size >= LEAST_PAST:
        steps = np.nan_to_num(before, nan=DEEPEST_SEEN + 1.0) - np.nan_to_num(now, nan=DEEPEST_SEEN + 1.0)
        together = _signed_ranks(steps[both])
        sure |= abs(together) >= BEYOND_NOISE and together * change > 0
        sure &= abs(change) >= BEYOND_NOISE * 1.4826 * float(np.median(known))
    if not sure:
        return "no change can be shown"
    return "rose" if change > 0 else "fell"


def _signed_ranks(steps: Floats) -> float:
    """Give the signed-rank sum of changes over its spread (Wilcoxon 1945); those of none left out, ties shared."""
    moved = steps[steps != 0]
    sizes, at, many = np.unique(np.abs(moved), return_inverse=True, return_counts=True)
    if not sizes.size:
        return 0.0
    place = np.cumsum(many) - (many - 1) / 2
    signed = np.sign(moved) * place[at]
    return float(signed.sum() / np.sqrt((signed**2).sum()))


@dataclass(frozen=True)
class Strata:
    """Days alike but for a feature, each of shape (strata,): with it and without it. query: whose, to be drawn whole.

    A stratum is a query on one device at one nearest place, on weekdays or at weekends, with days of both kinds.
    """

    query: Ints
    clicks_with: Floats
    shown_with: Floats
    clicks_without: Floats
    shown_without: Floats


@dataclass(frozen=True)
class FeatureEffect:
    """The click-through with a feature over that without it, at equal places, and its 95% interval."""

    verdict: FewOrEffect
    ratio: float | None
    low: float | None
    high: float | None
    strata: int
    clicks: int


def feature_effect(strata: Strata, seed: int = 1) -> FeatureEffect:
    """Compare click-through with and without a feature over strata (Mantel and Haenszel 1959).

    Ratio = Σ c₁·n₀/(n₁ + n₀) / Σ c₀·n₁/(n₁ + n₀); its interval by drawing queries with all their strata, 1,000 times
    (Efron 1979, percentiles), so that what a query's days have in common is not counted as news. Under 20 strata or 200
    clicks nothing is said.
    """
    shown = strata.shown_with + strata.shown_without
    both = (strata.shown_with > 0) & (strata.shown_without > 0)
    clicks = int((strata.clicks_with + strata.clicks_without)[both].sum())
    if both.sum() < LEAST_STRATA or clicks < LEAST_CLICKS:
        return FeatureEffect("too few to tell", None, None, None, int(both.sum()), clicks)
    _, place = np.unique(strata.query[both], return_inverse=True)
    above = np.bincount(place, weights=(strata.clicks_with * strata.shown_without / np.maximum(shown, 1))[both])
    below = np.bincount(place, weights=(strata.clicks_without * strata.shown_with / np.maximum(shown, 1))[both])
    if below.sum() <= 0:
        return FeatureEffect("too few to tell", None, None, None, int(both.sum()), clicks)
    drawn = np.random.default_rng(seed).multinomial(above.size, np.full(above.size, 1 / above.size), size=DRAWS)
    lower = drawn @ below
    ratios = (drawn @ above)[lower > 0] / lower[lower > 0]
    low, high = np.quantile(ratios, [(1 - SURE) / 2, (1 + SURE) / 2])
    verdict: FewOrEffect = "lower" if high < 1 else "higher" if low > 1 else "no effect can be shown"
    return FeatureEffect(verdict, float(above.sum() / below.sum()), float(low), float(high), int(both.sum()), clicks)


def counted(movement: npt.NDArray[np.int8], names: Sequence[Movement] = MOVEMENTS) -> dict[Movement, int]:
    """Count keywords by how they moved."""
    return {name: int((movement == MOVEMENTS.index(name)).sum()) for name in names}
