"""Bands: ranges of positions."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence

EDGES = (1.5, 3.5, 10.5, 20.5, 50.5, 100.5)
NAMES = ("1", "2–3", "4–10", "11–20", "21–50", "51–100")


def band(position: float | None, edges: Sequence[float] = EDGES, names: Sequence[str] = NAMES) -> str | None:
    """Name the band of an average position; an edge lies in the worse band; None stays None.

    >>> band(3.4), band(3.5), band(250.0), band(None)
    ('2–3', '4–10', '51–100', None)
    """
    if position is None:
        return None
    return names[min(bisect_right(edges, position), len(names) - 1)]
