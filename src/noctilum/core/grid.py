"""A local grid: points around a place, so many kilometres apart, and what they are called."""

from __future__ import annotations

import math
from dataclasses import dataclass

KILOMETRES_A_DEGREE = 111.2
"""Along a meridian; 40,030 km over 360 (mean radius of 6,371 km)."""


@dataclass(frozen=True)
class Point:
    """One point; row 0 is the northernmost, column 0 the westernmost."""

    row: int
    column: int
    latitude: float
    longitude: float

    @property
    def place(self) -> str:
        """Name it as lookups do."""
        return f"{self.latitude:.4f}, {self.longitude:.4f}"


def points(latitude: float, longitude: float, spacing: float, size: int) -> list[Point]:
    """Lay size × size points around a place, row by row from the north-west.

    spacing: kilometres; degrees of longitude shrink with the cosine of the latitude. Longitudes go round at 180.

    >>> [each.place for each in points(60.0, 10.0, 1.112, 3)][:2]
    ['60.0100, 9.9800', '60.0100, 10.0000']
    """
    north = spacing / KILOMETRES_A_DEGREE
    east = north / max(math.cos(math.radians(latitude)), 0.01)
    middle = (size - 1) / 2
    return [
        Point(row, column, latitude + (middle - row) * north, _round_the_world(longitude + (column - middle) * east))
        for row in range(size)
        for column in range(size)
    ]


def _round_the_world(longitude: float) -> float:
    return (longitude + 180) % 360 - 180
