"""Shown, and passed over: rows with far fewer clicks than their places let expect."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from scipy.special import pdtr

from noctilum.core.curve import Curve, RowCurve

Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]

LEAST_EXPECTED = 5.0
"""Clicks to be expected that a row needs before too few can be told (ours)."""
MOST_SHARE = 0.5
MOST_P = 0.01
DISPERSION = 2.0
"""How much more than chance clicks of a query vary, typically (ours)."""


@dataclass(frozen=True)
class PassedOver:
    """Hold for each row, of shape (rows,): clicks to be expected, how likely so few would be, and whether it counts."""

    expected: Floats
    p: Floats
    found: npt.NDArray[np.bool_]


def may_be_passed_over(
    clicks: Ints, impressions: Ints, position: Floats, curves: Sequence[Curve]
) -> npt.NDArray[np.bool_]:
    """Say which rows could be passed over by any of some curves; a mix of them finds none besides. Shape (rows,)."""
    most = impressions * np.max([curve.at(position) for curve in curves], axis=0)
    return np.asarray((most >= LEAST_EXPECTED) & (clicks <= MOST_SHARE * most))


def passed_over(clicks: Ints, impressions: Ints, position: Floats, curve: Curve | RowCurve) -> PassedOver:
    """Find rows with at most half the clicks that the site's curve expects at their places, beyond chance.

    p = P(X ≤ clicks/φ), X ~ Poisson(expected/φ), φ = 2: a quasi-Poisson tail (Wedderburn 1974).
    """
    expected: Floats = impressions * curve.at(position)
    p: Floats = pdtr(np.floor(clicks / DISPERSION), np.maximum(expected / DISPERSION, 1e-12))
    found = (expected >= LEAST_EXPECTED) & (clicks <= MOST_SHARE * expected) & (p <= MOST_P)
    return PassedOver(expected, p, found)
