"""Suggesting keywords: queries that a site is shown for and does not track."""

from __future__ import annotations

from typing import Any

from noctilum.actions.install import Install
from noctilum.actions.keywords import keywords_of
from noctilum.actions.read import open_for, read
from noctilum.wire import keywords as wire
from noctilum.wire.questions import BreakdownQuery

LOOKED_THROUGH = 1000
"""Queries with the most clicks that suggestions are picked from."""


def suggestions(install: Install, site: str, window: str = "P84D", most: int = 50) -> list[wire.Suggestion]:
    """Suggest queries the site is shown for and does not track, the most useful first; brand queries are left out.

    Use = clicks, and a tenth of the impressions below the third place: what a better place might still bring.
    """
    tracked = {keyword.term for keyword in keywords_of(install, site)}
    asked = BreakdownQuery(dimension="query", window=window, against="none", filter="not brand", limit=LOOKED_THROUGH)
    access = open_for(install, site, asked)
    rows = [row for row in read(access, "breakdown", asked).rows if row.key not in tracked]
    ranked = sorted(rows, key=lambda row: (-_use(row.now), row.key))[:most]
    return [_suggested(access, row, window) for row in ranked]


def _use(figures: Any) -> float:
    lower = figures.position is not None and figures.position > 3
    return float(figures.clicks + (0.1 * figures.impressions if lower else 0.0))


def _suggested(access: Any, row: Any, window: str) -> wire.Suggestion:
    def first(dimension: str) -> str:
        found = read(access, "breakdown", dimension=dimension, window=window, against="none", query=row.key, limit=1)
        return found.rows[0].key if found.rows else ""

    return wire.Suggestion(
        query=row.key,
        clicks=row.now.clicks,
        impressions=row.now.impressions,
        position=row.now.position,
        page=first("page"),
        country=first("country"),
        use=round(_use(row.now), 1),
    )
