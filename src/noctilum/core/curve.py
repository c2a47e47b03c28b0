"""The click-through curve of a site: what share of impressions is clicked at each place."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]

REFERENCE = (0.300, 0.160, 0.100, 0.070, 0.053, 0.042, 0.034, 0.028, 0.024, 0.021)
"""Rates at places 1 to 10 that a site without evidence is given (ours)."""
TAIL_DECAY = 0.85
PRIOR_WEIGHT = 200
"""Impressions the reference weighs in each bin (ours)."""
DEEPEST = 20
FARTHEST = 1000


def reference_rates(deepest: int) -> Floats:
    """Give the reference rate at places 1 … deepest: REFERENCE, then .021 × .85^(b−10)."""
    places = np.arange(1, deepest + 1)
    head = np.asarray(REFERENCE)[:deepest]
    tail = REFERENCE[-1] * TAIL_DECAY ** (places[len(head) :] - 10.0)
    return np.concatenate([head, tail])


@dataclass(frozen=True)
class Curve:
    """Hold a curve: rates at places 1 … 20, falling or level, with the impressions behind each."""

    rates: tuple[float, ...]
    evidence: tuple[int, ...]

    def at(self, position: npt.ArrayLike) -> Floats:
        """Give the rate at average places, linear between integers.

        After place 20 the reference goes on, scaled to meet the curve. Before 1 the rate of 1 holds.

        >>> float(reference_curve().at(3.5).round(4))
        0.085
        """
        places = np.asarray(position, dtype=np.float64)
        known = np.asarray(self.rates)
        rates: Floats = np.asarray(np.interp(places, np.arange(1, DEEPEST + 1), known))
        deep = places > DEEPEST
        rates[deep] = known[-1] * TAIL_DECAY ** (np.minimum(places[deep], FARTHEST) - DEEPEST)
        return rates


@dataclass(frozen=True)
class RowCurve:
    """Hold the curve of each row: those of the devices it was shown on, weighed by its impressions there.

    shares: shape (curves, rows), each column adding up to 1; rows without impressions have the first curve alone.
    """

    curves: tuple[Curve, ...]
    shares: Floats

    def at(self, position: Floats) -> Floats:
        """Give each row's rate at an average place; position: shape (rows,)."""
        rates = np.stack([curve.at(position) for curve in self.curves])
        return np.asarray((self.shares * rates).sum(axis=0), dtype=np.float64)


def row_curve(curves: Sequence[Curve], impressions: Ints) -> RowCurve:
    """Mix curves by impressions, shape (curves, rows).

    >>> steep, flat = Curve((0.4,) + (0.1,) * 19, (0,) * 20), Curve((0.2,) * 20, (0,) * 20)
    >>> row_curve([steep, flat], np.array([[30], [10]])).at(np.array([1.0])).round(3).tolist()
    [0.35]
    """
    shown = impressions.astype(np.float64)
    none = shown.sum(axis=0) == 0
    shown[0, none] = 1.0
    return RowCurve(tuple(curves), shown / shown.sum(axis=0))


def reference_curve() -> Curve:
    """Give the curve of a site without any evidence."""
    return Curve(tuple(reference_rates(DEEPEST).tolist()), (0,) * DEEPEST)


def fit_curve(clicks: Ints, impressions: Ints, position: Floats) -> Curve:
    """Fit a curve to rows of (clicks, impressions, average place), all of shape (rows,).

    Rate at bin b: (clicks_b + m·ref(b)) / (impressions_b + m) with m = 200, where a row falls in the
    bin of its nearest integer; then pool-adjacent-violators (Ayer et al. 1955; weights
    impressions_b + m) so that the rate never rises with the place. Rows beyond 20 are left out.
    """
    bins = np.floor(position + 0.5).astype(np.int64)
    usable = (impressions > 0) & (bins >= 1) & (bins <= DEEPEST)
    at = bins[usable] - 1
    shown = np.bincount(at, weights=impressions[usable], minlength=DEEPEST)
    clicked = np.bincount(at, weights=clicks[usable], minlength=DEEPEST)
    weight = shown + PRIOR_WEIGHT
    rates = (clicked + PRIOR_WEIGHT * reference_rates(DEEPEST)) / weight
    pooled = pool_adjacent_violators(rates.tolist(), weight.tolist())
    return Curve(tuple(pooled), tuple(int(n) for n in shown))


def pool_adjacent_violators(rates: Sequence[float], weights: Sequence[float]) -> list[float]:
    """Make rates non-increasing by pooling neighbours that rise into their weighted mean.

    >>> pool_adjacent_violators([0.5, 0.125, 0.25], [1, 1, 1])
    [0.5, 0.1875, 0.1875]
    """
    pools: list[tuple[float, float, int]] = []
    for rate, weight in zip(rates, weights, strict=True):
        pools.append((rate, weight, 1))
        while len(pools) > 1 and pools[-1][0] > pools[-2][0]:
            (r1, w1, n1), (r0, w0, n0) = pools.pop(), pools.pop()
            pools.append(((r0 * w0 + r1 * w1) / (w0 + w1), w0 + w1, n0 + n1))
    return [rate for rate, _, size in pools for _ in range(size)]
