"""The questions put to every side, as plain values."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

LAST = date(2025, 12, 31)


@dataclass(frozen=True)
class Ask:
    """Ask for the top rows of a dimension, or for every group of a small one.

    by: query, page, country, device or day. days: how many, ending on LAST. query: only its rows.
    against: also the same number of days before, answered as change in clicks. where: dimension and the
    text its rows must have; "?" stands for a page that the bench picks. contains: a text in the query.
    """

    name: str
    by: str
    days: int
    top: int | None = None
    query: str | None = None
    against: bool = False
    where: tuple[tuple[str, str], ...] = ()
    contains: str | None = None

    @property
    def grain(self) -> str:
        """The rows that answer it, on every side: without a query it is asked of the totals a page."""
        words = {self.by, *(name for name, _ in self.where)}
        return "page" if "page" in words and "query" not in words else "pair"

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
        Ask("50 queries that lost most, 16 months", "query", 487, 50, against=True),
        Ask("top 50 queries of one page, 28 days", "query", 28, 50, where=(("page", "?"),)),
        Ask("top 50 queries of one page, 3 years", "query", Y3, 50, where=(("page", "?"),)),
        Ask("one page by day, 3 years", "day", Y3, where=(("page", "?"),)),
        Ask("top 50 queries in SE, 28 days", "query", 28, 50, where=(("country", "SE"),)),
        Ask(
            "top 50 queries in SE on mobile, 3 years", "query", Y3, 50, where=(("country", "SE"), ("device", "mobile"))
        ),
        Ask("top 50 pages on tablet, 16 months", "page", M16, 50, where=(("device", "tablet"),)),
        Ask("by day on mobile, 3 years", "day", Y3, where=(("device", "mobile"),)),
        Ask("queries that hold a text, 16 months", "query", M16, 50, contains="abe"),
    )
}
Answer = list[tuple[str, int, int, int]]
"""Key, clicks (or change in clicks), impressions, position sum; best first, ties by key."""
