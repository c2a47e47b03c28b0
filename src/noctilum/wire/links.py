"""Links from elsewhere: who links to a site, to which pages, in which words; what came and went."""

from __future__ import annotations

from datetime import date
from typing import ClassVar, Literal

from pydantic import Field

from noctilum.wire.base import Wire
from noctilum.wire.columns import column
from noctilum.wire.common_columns import MATCHING
from noctilum.wire.questions import Paged, Question
from noctilum.wire.readings import Reading

Where = Literal["there", "not shown", "gone"]


class Standing(Question):
    """A window of what stands: gained and lost in it, and what stood at its ends."""

    window: str = Field(default="P13W", max_length=40, description="As of every reading; P13W, 2026-Q1, all")
    language: Literal["en", "de", "fr", "es", "nb"] = Field(default="en", description="Of the sentences")


class BacklinksQuery(Standing, Paged):
    """A window, what rows are by, and which of them."""

    by: Literal["domain", "page", "anchor", "address"] = Field(default="domain", description="What rows are by")
    domain: str | None = Field(default=None, max_length=253, description="Only links from this domain")
    page: str | None = Field(default=None, max_length=4000, description="Only links to this page")
    anchor: str | None = Field(default=None, max_length=2000, description="Only links with these words")
    only: Literal["all", "gained", "lost", "gone"] = Field(
        default="all", description="Rows that gained or lost links, or links to pages that are gone (by page)"
    )
    sort: Literal["links", "gained", "lost"] = Field(default="links", description="The most of it first")


class BacklinkRow(Wire):
    """The links from one domain, to one page, with some words, or on one page elsewhere."""

    SHOWN: ClassVar[tuple[str, ...]] = ("key", "links", "before", "gained", "lost", "first_seen", "state", "clicks")

    key: str = column("text", "what", titled_by="by", named_by="by")
    links: int = column("count", "links", "Links that stand at the end of the window.", better="higher")
    before: int = column("count", "links before", "Links that stood when the window began.", better="higher")
    gained: int = column("count", "gained", "Links first seen in the window.", better="higher")
    lost: int = column("count", "lost", "Links that were no longer there in the window.", better="lower")
    first_seen: date | None = column("day", "first seen", "The first day of its first link, of those held.")
    state: Where | None = column(
        "verdict",
        "page",
        "gone: in no sitemap, and not shown for two weeks; not shown: the same where no sitemap is read.",
    )
    clicks: int | None = column("count", "clicks", "Clicks of the page in the window, from search.", better="higher")


class LinkWeek(Wire):
    """What came and went in a week, and what stood at its end."""

    first: date = column("day", "week from")
    gained: int = column("count", "gained", "Links first seen.", better="higher")
    lost: int = column("count", "lost", "Links that were no longer there.", better="lower")
    links: int = column("count", "links", "Links that stand at its end.", better="higher")
    domains: int = column("count", "domains", "Domains any link of which stands at its end.", better="higher")


class Backlinks(Reading):
    """Who links to a site. weeks: the window by weeks, the last may be a part of one.

    gone: links at the end of the window to pages that are gone; none where neither searches nor sitemaps are held.
    unknown_days: days since the first held whose links are not held: what came and went on them is lacking.
    """

    by: str
    rows: list[BacklinkRow]
    weeks: list[LinkWeek]
    links: int = column("count", "links", "Links that stand at the end of the window.", better="higher")
    links_before: int
    domains: int = column("count", "domains", "Domains any link of which stands.", better="higher")
    domains_before: int
    gained: int = column("count", "gained", "Links first seen in the window.", better="higher")
    lost: int = column("count", "lost", "Links that were no longer there in the window.", better="lower")
    gone: int | None
    unknown_days: int
    offset: int
    matching: int = MATCHING
