"""What one place more would bring queries, in clicks and in what clicks bring, by the site's own curve."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from noctilum.core.curve import row_curve
from noctilum.core.reach import one_place_up
from noctilum.readings.both import Both
from noctilum.readings.drivers import curve_of, curves_of
from noctilum.readings.rows_of import Ints


@dataclass(frozen=True)
class Ahead:
    """What one place more would bring a query: its average place now, and the clicks to be gained."""

    position: float
    gain: float


def ahead_of(both: Both, queries: Ints) -> list[Ahead | None]:
    """Estimate what one place more would bring each of some queries; None where it was not shown on those days."""
    history, curves = both.of.held.history, curves_of(both.of.held)
    grain = "pair" if "page" in both.of.dims else "query"
    found = both.read(grain, ("query", "device"), ("clicks", "impressions", "position"), query=_ids(queries))
    numbers = {name: n for n, name in enumerate(history.all_texts("device"))}
    names, place = np.unique(found.keys[0], return_inverse=True)
    clicks, shown, milli = (
        np.bincount(place, weights=part, minlength=names.size).astype(np.int64)
        for part in (found.clicks, found.impressions, found.position_milli)
    )
    by_device = np.zeros((max(1, len(curves)), names.size), dtype=np.int64)
    for n, device in enumerate(curves):
        mine = found.keys[1] == numbers[device]
        by_device[n] = np.bincount(place[mine], weights=found.impressions[mine], minlength=names.size)
    position = milli / 1000 / np.maximum(shown, 1)
    curve = row_curve(tuple(curves.values()) or (curve_of(both.of.held),), by_device)
    gain = one_place_up(clicks, shown, position, curve)
    told = {int(name): Ahead(float(position[n]), float(gain[n])) for n, name in enumerate(names) if shown[n]}
    return [told.get(int(query)) for query in queries]


def _ids(terms: Ints) -> tuple[int, ...]:
    return tuple(int(term) for term in np.unique(terms))


def gained(
    ahead: Ahead | None, clicks: int, conversions: float | None, earned: float | None
) -> dict[str, float | None]:
    """Say what one place more would bring: the clicks, and what each click brings now; unknown where none was made."""
    if ahead is None:
        return {"position": None, "gain": None, "gain_conversions": None, "gain_value": None}

    def of_them(brought: float | None) -> float | None:
        return None if brought is None or not clicks else round(ahead.gain * brought / clicks, 6)

    return {
        "position": round(ahead.position, 6),
        "gain": round(ahead.gain, 6),
        "gain_conversions": of_them(conversions),
        "gain_value": of_them(earned),
    }
