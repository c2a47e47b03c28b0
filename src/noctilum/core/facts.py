"""Facts of terms: countries put together, and the share of a term's demand that a site gets."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Ints = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]
MONTH_DAYS = 365.25 / 12


@dataclass(frozen=True)
class Fact:
    """Searches of a term in a month, and what a click on it costs."""

    volume: int
    cpc: float


def joined_countries(at: npt.NDArray[np.intp], size: int, volume: Ints, cpc: Floats) -> tuple[Ints, Floats]:
    """Put the facts of terms in several countries together: volumes add up, costs are weighted by them.

    at: which of so many terms each row is of; at, volume, cpc: shape (rows,). A term without any volume has the mean
    cost of its rows.

    >>> joined_countries(np.array([0, 0]), 1, np.array([300, 100]), np.array([1.0, 2.0]))
    (array([400]), array([1.25]))
    """
    total = np.bincount(at, weights=volume, minlength=size)
    weighted = np.bincount(at, weights=volume * cpc, minlength=size)
    plain, rows = np.bincount(at, weights=cpc, minlength=size), np.bincount(at, minlength=size)
    mean = plain / np.maximum(rows, 1)
    return total.astype(np.int64), np.where(total > 0, weighted / np.maximum(total, 1), mean)


def share_of_demand(clicks: Ints, days: int, volume: Ints) -> Floats:
    """Say what share of a term's searches led to the site: clicks as of a month over the volume of a month.

    NaN without days or volume; it may exceed 1, where volumes are estimated too low. Shape (terms,).

    >>> share_of_demand(np.array([28]), 28, np.array([300])).round(4)
    array([0.1015])
    """
    if not days:
        return np.full(clicks.size, np.nan)
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(volume > 0, clicks / days * MONTH_DAYS / volume, np.nan)
