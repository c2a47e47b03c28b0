"""Where pages stand: in the sitemaps, in the index, among what was shown; and how new ones get there."""

from __future__ import annotations

from datetime import date
from typing import ClassVar, Literal

from pydantic import Field

from noctilum.wire.base import Wire
from noctilum.wire.columns import column
from noctilum.wire.common_columns import MATCHING
from noctilum.wire.links import Standing
from noctilum.wire.questions import Paged
from noctilum.wire.readings import Reading

Where = Literal[
    "gone", "listed, not indexed", "listed, not shown", "shown, not listed", "only indexed", "as it should be"
]


class PresenceQuery(Standing, Paged):
    """A window in which pages may have been shown, and which pages are wanted."""

    window: str = Field(default="P90D", max_length=40, description="In which pages may have been shown")
    only: Literal["amiss", "gone", "not-indexed", "not-shown", "not-listed", "only-indexed", "all"] = Field(
        default="amiss", description="Which pages; amiss: all that are not as they should be"
    )


class PresenceRow(Wire):
    """One page, and where it stands. listed, indexed, impressions: none where nothing of the kind is held."""

    SHOWN: ClassVar[tuple[str, ...]] = ("page", "standing", "listed", "indexed", "impressions", "clicks", "since")

    page: str = column("text", "page")
    standing: Where = column(
        "verdict",
        "where it stands",
        "By what is held of sitemaps, index and searches. gone: shown in the window, now neither listed nor indexed.",
    )
    listed: bool | None = column("flag", "in the sitemap", "On the last day on which sitemaps were read.")
    indexed: bool | None = column("flag", "indexed", "On the last held day of the index.")
    impressions: int | None = column("count", "impressions", "In the window.", better="higher")
    clicks: int | None = column("count", "clicks", "In the window.", better="higher")
    since: date | None = column("day", "listed since", "The first day on which a sitemap listed it, of those read.")


class StandingCount(Wire):
    """How many pages stand so."""

    standing: Where = column("verdict", "where pages stand")
    pages: int = column("count", "pages", "Pages that stand so.")


class Presence(Reading):
    """Which pages are listed, indexed and shown, and where the three differ.

    listed, indexed, shown: how many pages; none where nothing of the kind is held. indexed_before: at the beginning of
    the window.
    """

    rows: list[PresenceRow]
    counts: list[StandingCount]
    listed: int | None = column("count", "listed", "Pages that a sitemap lists.")
    indexed: int | None = column("count", "indexed", "Pages that stand in the index.", better="higher")
    indexed_before: int | None = column("count", "indexed before", "When the window began.", better="higher")
    shown: int | None = column("count", "shown", "Pages with an impression in the window.", better="higher")
    listed_on: date | None
    indexed_on: date | None
    offset: int
    matching: int = MATCHING


class ArrivalsQuery(Standing, Paged):
    """A window in which pages were new."""


class ArrivalRow(Wire):
    """A new page, and when it got where. Days are counted from the day it was first listed, or else indexed."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        "page",
        "listed",
        "indexed",
        "shown",
        "days_to_index",
        "days_to_show",
        "waiting",
    )

    page: str = column("text", "page")
    listed: date | None = column("day", "listed", "The first day on which a sitemap listed it.")
    indexed: date | None = column("day", "indexed", "The first day on which it stood in the index.")
    shown: date | None = column("day", "first shown", "The first day with an impression.")
    days_to_index: int | None = column("count", "days to the index", "Below nothing: it was there before.")
    days_to_show: int | None = column("count", "days until shown", "Below nothing: it was shown before.")
    waiting: int | None = column("count", "days waiting", "Since it was listed, for what is not there.")


class Arrivals(Reading):
    """Pages that were new in the window. typical_*: the middle one of those that got there (median)."""

    rows: list[ArrivalRow]
    typical_index: float | None = column("number", "days to the index, typically", "The median.", decimals=1)
    typical_show: float | None = column("number", "days until shown, typically", "The median.", decimals=1)
    not_indexed: int | None = column("count", "not indexed yet", "New pages that do not stand in the index.")
    not_shown: int | None = column("count", "not shown yet", "New pages that were never shown.")
    offset: int
    matching: int = MATCHING
