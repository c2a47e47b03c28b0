"""Whether the last days of a site, or of what a filter leaves of it, lie under what is usual."""

from __future__ import annotations

from datetime import timedelta

import numpy as np

from noctilum.core.days import HELD
from noctilum.core.slump import HISTORY, Slump, slump
from noctilum.core.windows import Window
from noctilum.readings.frame import Frame, frame, grain_of
from noctilum.readings.header import header
from noctilum.readings.rows_of import Floats
from noctilum.readings.site_access import SiteAccess
from noctilum.wire import breaks as wire

FELL, CHANGE = -3.3, -0.15
"""So many scatters, and such a share, under what was to be expected: simulated in tests/core/test_breaks.py."""
LEAST = 20
"""Expected over the span: of fewer nothing is told."""


def answer(site: SiteAccess, asked: wire.SlumpQuery) -> wire.Slumped:
    """Judge the days up to the last of the window. Raises Nonsense for filters on results."""
    of = frame(site.holding, site.asked(asked))
    of.refuse_results("A slump")
    rows = []
    for name in ("clicks", "impressions"):
        found = slump(daily(of, name))
        rows.append(_row(of, name, found))
    return wire.Slumped(**header(of, grain_of(of.dims)), rows=rows)


def daily(of: Frame, name: str, back: int = HISTORY) -> Floats:
    """Give each day's sum, NaN where it is not held, up to the last of the window and from so many days before it."""
    last = min(of.window.last, of.held.complete_through)
    if last < of.held.first_held:
        return np.zeros(0)
    span = Window(max(of.held.first_held, last - timedelta(back)), last)
    found = of.read_days(grain_of(of.dims), ("day",), span, measures=(name,))
    values = np.zeros(len(span))
    np.add.at(values, found.keys[0] - span.first.toordinal(), found.figures[name])
    held = np.array([of.held.states.get(day) in HELD for day in span.days()])
    return np.where(held, values, np.nan)


def _row(of: Frame, name: str, found: Slump | None) -> wire.SlumpRow:
    if found is None or found.expected < LEAST:
        return wire.SlumpRow.model_validate(
            {
                "measure": name,
                "verdict": "too few to tell",
                **dict.fromkeys(("since", "days", "now", "expected", "change", "score")),
            }
        )
    fell = found.score <= FELL and found.change <= CHANGE
    last = min(of.window.last, of.held.complete_through)
    return wire.SlumpRow.model_validate(
        {
            "measure": name,
            "verdict": "fell" if fell else "as expected",
            "since": last - timedelta(found.days - 1),
            "days": found.days,
            "now": round(found.now),
            "expected": round(found.expected, 3),
            "change": round(found.change, 6),
            "score": round(found.score, 3),
        }
    )
