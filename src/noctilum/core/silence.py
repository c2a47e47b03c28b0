"""Silence: rows that used to be shown day by day and of late are not, and how little chance explains that."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]

BASE_DAYS = 28
MOST_DAYS = 28
LEAST_SHOWN = 0.9
"""A row has to have been shown on such a share of the days before: what comes and goes is never missed (ours)."""
QUIET_SITE = 0.2
"""Days on which the whole had less than this share of its usual impressions tell of the source, not of rows (ours)."""


@dataclass(frozen=True)
class Silence:
    """What is known of rows, each of shape (rows,).

    days: how many days they have been silent up to the last one, 0 for those that are not. usual: impressions of a day
    before. steady: they were shown on most of the days before. chance: how likely such a silence is by chance, 1 where
    nothing can be told.
    """

    days: Ints
    usual: Floats
    steady: npt.NDArray[np.bool_]
    chance: Floats


def counted_days(whole: Ints) -> npt.NDArray[np.bool_]:
    """Say which days tell anything of rows: those on which the whole was about as usual. whole: (days,)."""
    usual = float(np.median(whole)) if whole.size else 0.0
    return whole >= QUIET_SITE * usual


def silences(shown: Ints) -> Silence:
    """Judge rows by their impressions of each day, (rows, days), the last column the last day that is counted.

    The days before a silence have mean m and, by their scatter, variance φ·m with φ ≥ 1. A day without any then has the
    chance φ^(−m / (φ − 1)), e^(−m) for φ = 1 (a negative binomial count), and r days in a row that to the power of r.
    """
    rows, days = shown.shape
    quiet = np.zeros(rows, dtype=np.int64)
    for back in range(1, min(MOST_DAYS, days) + 1):
        quiet += (quiet == back - 1) & (shown[:, days - back] == 0)
    usual, chance, steady = np.zeros(rows), np.ones(rows), np.zeros(rows, dtype=bool)
    for run in np.unique(quiet).tolist():
        mine = np.flatnonzero(quiet == run)
        base = shown[mine, max(0, days - run - BASE_DAYS) : days - run].astype(np.float64)
        if base.shape[1] < BASE_DAYS:
            continue
        mean = base.mean(axis=1)
        usual[mine] = np.median(base, axis=1)
        steady[mine] = (base > 0).mean(axis=1) >= LEAST_SHOWN
        chance[mine] = np.where(steady[mine], _none_in(mean, base.var(axis=1, ddof=1)) ** run, 1.0)
    return Silence(quiet, usual, steady, chance)


def told(found: Silence, most: float) -> Ints:
    """Give the rows whose silence is one: chances, times the rows that could have fallen silent, of at most so much."""
    return np.flatnonzero(found.chance * max(1, int(found.steady.sum())) <= most).astype(np.int64)


def _none_in(mean: Floats, variance: Floats) -> Floats:
    """Give the chance of a day without any, of a count of this mean and variance.

    >>> _none_in(np.array([30.0]), np.array([90.0])).round(10).tolist()
    [6.97e-08]
    """
    phi = np.maximum(variance / np.maximum(mean, 1e-9), 1.0 + 1e-9)
    return np.asarray(np.exp(-mean * np.log(phi) / (phi - 1)), dtype=np.float64)
