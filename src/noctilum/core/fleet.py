"""Fleet: days on which far more sites of an agency moved at once than their own scatter and common weather allow."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.special import betainc, gammainc

from noctilum.core.slump import spans

Floats = npt.NDArray[np.float64]
Mask = npt.NDArray[np.bool_]

SPAN = 5
MOVED = 2.5
"""A site moved where its last five days lie so many of its own scatters off what was to be expected (ours)."""
LEAST_SITES, LEAST_MOVED, LEAST_SHARE = 8, 4, 0.1
LEAST_DAYS = 90
RARE = 1e-4
"""The most likely by chance that so many move on a day: less than one day in thirty years (ours)."""
LEAST_KEYWORDS, LOOKED_WITHIN = 10, 7
APART = 14
"""What happens within two weeks is one event."""


@dataclass(frozen=True)
class FleetDay:
    """One event. first: the place of the first of its days. sites: who moved, by their places; scores: how far each.

    known: how many could have moved; usual: how many move on a usual day; chance: how likely so many are by chance.
    """

    first: int
    sites: tuple[int, ...]
    scores: tuple[float, ...]
    known: int
    usual: float
    chance: float


def scores(values: Floats) -> Floats:
    """Say of a site's five days that end on each day how far they lie off, in its own scatters; NaN unknown. (days,).

    Scatter: 1.4826 · the median distance of ln(now / expected) from its middle over all days known, and no less than
    the noise of counting. values: as of slump.
    """
    sums, expected, logs = spans(values, SPAN)
    known = np.isfinite(logs)
    if int(known.sum()) < LEAST_DAYS:
        return np.full(values.size, np.nan)
    middle = float(np.median(logs[known]))
    scatter = 1.4826 * float(np.median(np.abs(logs[known] - middle)))
    with np.errstate(invalid="ignore"):
        noise = np.sqrt(1 / (sums + 0.5) + 1 / (expected + 0.5))
    return np.asarray((logs - middle) / np.maximum(scatter, noise), dtype=np.float64)


def rank_scores(ranks: Floats) -> Floats:
    """Say of the ranks of a site's keywords how far their five days lie off the five before, in scatters; (days,).

    ranks: (keywords, days), NaN where not looked up, one place beyond the deepest where not found; a rank stands until
    the next look, for a week at most. The mean change of their logarithms over all keywords known on both sides, better
    counted up, over the greater of 1.4826 · its median distance from its middle over all days, and √Σd² / n: so few
    keywords alone move no site (as for visibility). NaN under ten keywords, and where under 90 days are known.
    """
    logs = np.log(_stood(ranks))
    means = _means(logs, SPAN)
    changes = np.full_like(means, np.nan)
    changes[:, SPAN:] = means[:, :-SPAN] - means[:, SPAN:]
    known = np.isfinite(changes)
    many = known.sum(axis=0)
    enough = many >= LEAST_KEYWORDS
    if int(enough.sum()) < LEAST_DAYS:
        return np.full(ranks.shape[1], np.nan)
    summed = np.where(known, changes, 0.0)
    mean = np.where(enough, summed.sum(axis=0) / np.maximum(many, 1), np.nan)
    middle = float(np.median(mean[enough]))
    scatter = 1.4826 * float(np.median(np.abs(mean[enough] - middle)))
    alone = np.sqrt((summed**2).sum(axis=0)) / np.maximum(many, 1)
    widest = np.maximum(scatter, alone)
    return np.asarray(np.where(widest > 0, (mean - middle) / np.where(widest > 0, widest, 1.0), mean * 0))


def _stood(ranks: Floats) -> Floats:
    """Let every rank stand until the next look, for a week at most."""
    days = np.arange(ranks.shape[1])
    seen = np.maximum.accumulate(np.where(np.isfinite(ranks), days, -1), axis=1)
    lasting = (seen >= 0) & (days - seen < LOOKED_WITHIN)
    return np.where(lasting, np.take_along_axis(ranks, np.maximum(seen, 0), axis=1), np.nan)


def _means(values: Floats, days: int) -> Floats:
    """Give the mean of so many days that end on each, NaN where one of them is not known; (rows, days)."""
    known = np.isfinite(values)
    totals = np.cumsum(np.where(known, values, 0.0), axis=1)
    counts = np.cumsum(known, axis=1)
    found = np.full_like(values, np.nan)
    span = totals[:, days - 1 :] - np.pad(totals, ((0, 0), (1, 0)))[:, : totals.shape[1] - days + 1]
    whole = counts[:, days - 1 :] - np.pad(counts, ((0, 0), (1, 0)))[:, : counts.shape[1] - days + 1] == days
    found[:, days - 1 :] = np.where(whole, span / days, np.nan)
    return found


def events(found: Floats) -> list[FleetDay]:
    """Find the days on which far more sites moved than on others, the newest first. found: scores, (sites, days).

    How many move on a day has, over all days, the mean m and the variance φ·m with φ ≥ 1 (its tenth of days with the
    most left out, as events are among them): a negative binomial count. An event has at most the chance RARE, a tenth
    of the sites and four of them; of days within two weeks the one on which they moved farthest counts.
    """
    known = np.isfinite(found)
    many = known.sum(axis=0)
    moved = np.nan_to_num(np.abs(found)) >= MOVED
    counts = moved.sum(axis=0)
    days = np.flatnonzero(many >= LEAST_SITES)
    if days.size < LEAST_DAYS:
        return []
    quiet = np.sort(counts[days])[: int(days.size * 0.9)]
    usual = max(float(quiet.mean()), 0.25)
    phi = max(float(quiet.var()) / usual, 1.0)
    chance = _as_many(counts, usual, phi)
    wanted = (chance <= RARE) & (counts >= np.maximum(LEAST_MOVED, LEAST_SHARE * many)) & (many >= LEAST_SITES)
    kept: list[int] = []
    far = np.where(moved, np.abs(np.nan_to_num(found)), 0.0).sum(axis=0)
    for day in sorted(np.flatnonzero(wanted).tolist(), key=lambda at: (-float(far[at]), at)):
        if all(abs(day - other) > APART for other in kept):
            kept.append(day)
    return [_told(found, moved, day, int(many[day]), usual, float(chance[day])) for day in sorted(kept, reverse=True)]


def _as_many(counts: npt.NDArray[np.int64], usual: float, phi: float) -> Floats:
    """Give the chance of at least so many, of a count with this mean and variance phi times it."""
    if phi <= 1.0 + 1e-9:
        return np.asarray(gammainc(counts, usual), dtype=np.float64)
    return np.asarray(betainc(counts, usual / (phi - 1), 1 - 1 / phi), dtype=np.float64)


def _told(found: Floats, moved: Mask, day: int, known: int, usual: float, chance: float) -> FleetDay:
    sites: Sequence[int] = np.flatnonzero(moved[:, day]).tolist()
    ordered = sorted(sites, key=lambda site: float(found[site, day]))
    return FleetDay(
        day - SPAN + 1, tuple(ordered), tuple(float(found[site, day]) for site in ordered), known, usual, chance
    )
