"""The questions put to every side, as plain values."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

LAST = date(2025, 12, 31)


@dataclass(frozen=True)
class Ask:
    """Ask for the top rows of a dimension, or for every group of a small one.

    by: query, page, country, device or day. days: how many, ending on LAST. query: only its rows.
    against: also the same number of days before, answered as change in clicks.
    """

    name: str
    by: str
    days: int
    top: int | None = None
    query: str | None = None
    against: bool = False

    @property
    def first(self) -> date:
        """The first day asked about."""
        return LAST - timedelta(self.days - 1)


M16, Y3 = 487, 1096
QUESTIONS = {
    a.name: a
    for a in (
        Ask("top 50 queries, 28 days", "query", 28, 50),
        Ask("top 50 queries, 16 months", "query", M16, 50),
        Ask("top 50 queries, 3 years", "query", Y3, 50),
        Ask("top 50 pages, 28 days", "page", 28, 50),
        Ask("top 50 pages, 16 months", "page", M16, 50),
        Ask("top 50 pages, 3 years", "page", Y3, 50),
        Ask("one query by day, 3 years", "day", Y3, query="?"),
        Ask("clicks by day, 3 years", "day", Y3),
        Ask("by country, 16 months", "country", M16),
        Ask("by device, 3 years", "device", Y3),
        Ask("50 queries that lost most, 28 days", "query", 28, 50, against=True),
    )
}
Answer = list[tuple[str, int, int, int]]
"""Key, clicks (or change in clicks), impressions, position sum; best first, ties by key."""
