"""Counting: where visits no longer follow clicks, and which feed lacks a page."""

from __future__ import annotations

from datetime import date
from typing import ClassVar, Literal

from noctilum.wire.base import Wire
from noctilum.wire.columns import column
from noctilum.wire.common_columns import MATCHING
from noctilum.wire.questions import Paged, Windowed
from noctilum.wire.readings import Reading


class CountingQuery(Windowed, Paged):
    """A window and a page of rows."""


class CountingRow(Wire):
    """A site, a part of it or a page whose visits left their ratio to clicks."""

    SHOWN: ClassVar[tuple[str, ...]] = ("key", "verdict", "since", "sessions", "expected", "clicks", "before", "after")

    level: Literal["site", "section", "page"]
    key: str = column("text", "where", "The site, all pages that begin so, or one page.")
    verdict: Literal["stopped", "doubled"] = column(
        "verdict", "counting", "Sessions are at most half of those to be expected, or at least 1.6 times as many."
    )
    since: date = column("day", "since", "The day from which on it is surest.")
    sessions: int = column("count", "sessions", "Organic sessions since then.", better="higher")
    expected: float = column("number", "expected", "Clicks since then × sessions per click before.", decimals=1)
    clicks: int = column("count", "clicks", "Clicks since then.", better="higher")
    before: float = column("number", "per click before", "Organic sessions per click before the window.", decimals=2)
    after: float | None = column("number", "per click since", "Organic sessions per click since then.", decimals=2)


class LackingRow(Wire):
    """A page that only one of the two feeds has."""

    page: str = column("text", "page")
    lacking: Literal["no clicks held", "no visits held"] = column(
        "verdict", "what is lacking", "Which feed has nothing."
    )
    clicks: int = column("count", "clicks", "In the window.", better="higher")
    sessions: int = column("count", "sessions", "Organic ones in the window.", better="higher")


class Counting(Reading):
    """Where counting broke, the whole before its parts, and pages that one feed lacks.

    looked_at: parts and pages with enough of both to tell; days_before: those that the ratio is from.
    """

    rows: list[CountingRow]
    lacking: list[LackingRow]
    looked_at: int
    days: int = column("count", "days", "Days of the window whose searches and visits are both held.")
    days_before: int
    offset: int
    matching: int = MATCHING
