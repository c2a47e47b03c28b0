"""What is within reach: queries just below a better band, with the clicks to be gained there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from noctilum.core.curve import Curve, RowCurve

Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]

NEAREST, FIRST_PAGE, FARTHEST = 3.5, 10.5, 20.5
TARGET_NEAR, TARGET_FAR = 3.0, 8.0
APPEAL_WEIGHT = 200
APPEAL_RANGE = (0.5, 1.5)
"""Places in (3.5, 20.5] are within reach: of place 3 up to 10.5, of place 8 beyond (ours)."""


@dataclass(frozen=True)
class Gain:
    """Hold what each row could gain, of shape (rows,): target places, clicks, and clicks one place lower and higher."""

    target: Floats
    clicks: Floats
    low: Floats
    high: Floats


def within_reach(impressions: Ints, position: Floats, fewest: float) -> npt.NDArray[np.bool_]:
    """Say which rows lie just below a better band and are shown often enough; shape (rows,)."""
    return (position > NEAREST) & (position <= FARTHEST) & (impressions >= fewest)


def gain(clicks: Ints, impressions: Ints, position: Floats, curve: Curve | RowCurve) -> Gain:
    """Estimate the clicks to be gained at the target place: max(0, I·g(target)·appeal − clicks).

    appeal = (clicks + m·g(p)) / ((I + m)·g(p)) with m = 200, held to 0.5–1.5: the row's own click-through
    against the curve's, drawn to 1 where there is little evidence. low and high are for the target ± 1 place.
    """
    shown = impressions.astype(np.float64)
    appeal = _appeal(clicks, shown, curve.at(position))
    target = np.where(position <= FIRST_PAGE, TARGET_NEAR, TARGET_FAR)
    at = [np.maximum(0.0, shown * curve.at(target + shift) * appeal - clicks) for shift in (0, 1, -1)]
    return Gain(target, at[0], at[1], at[2])


def one_place_up(clicks: Ints, impressions: Ints, position: Floats, curve: Curve | RowCurve) -> Floats:
    """Estimate the clicks that one place more would bring: I·(g(p − 1) − g(p))·appeal; at place 1 none.

    >>> from noctilum.core.curve import reference_curve
    >>> one_place_up(np.array([70]), np.array([1000]), np.array([4.0]), reference_curve()).round(3).tolist()
    [30.0]
    """
    shown = impressions.astype(np.float64)
    rate = curve.at(np.maximum(position, 1.0))
    up = curve.at(np.maximum(position - 1.0, 1.0))
    return np.asarray(shown * np.maximum(0.0, up - rate) * _appeal(clicks, shown, rate), dtype=np.float64)


def _appeal(clicks: Ints, shown: Floats, rate: Floats) -> Floats:
    """Set a row's own click-through against the curve's, drawn to 1 where there is little evidence."""
    found = (clicks + APPEAL_WEIGHT * rate) / ((shown + APPEAL_WEIGHT) * rate)
    return np.asarray(np.clip(found, *APPEAL_RANGE), dtype=np.float64)
