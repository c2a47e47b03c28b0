"""Readings that explain: verdicts, what is within reach, overlap, clusters, odd days."""

from __future__ import annotations

from datetime import date
from typing import Literal

from pydantic import Field

from noctilum.wire.base import Wire
from noctilum.wire.readings import Change, Figures, Reading

Verdict = Literal["fading", "slipping", "holding", "rising", "too few to tell"]
Item = Literal["query", "page"]


class Judgement(Wire):
    """One page or query, judged against its own noise."""

    key: str
    now: Figures
    before: Figures
    change: Change | None
    verdict: Verdict
    z: float | None = Field(description="(k1 − r·k0) / √(φ·(r²·k0 + k1)); null where there is too little to tell")
    p: float | None = Field(description="Two-sided, Student's t")
    q: float | None = Field(description="The share of false ones among the rows judged at least as sure")
    dispersion: float = Field(description="φ: how much more its weeks vary than chance alone would")
    beside_site: Literal["with the site", "more than the site", "less than the site"] | None
    beyond_site: float = Field(
        description="Change in clicks beyond what the site's own fall would have taken; rows come by it"
    )
    gone: bool = Field(description="It used to be shown, and was not on the last seven days of the window")
    last_shown: date | None
    heir: str | None = Field(description="The page that is now shown for most of its queries, where it is gone")
    months_down: int | None = Field(description="Months in a row of decline, up to the last whole one")
    slope: float | None = Field(description="Clicks a month, Theil–Sen over the last 12 whole months")
    reason: str = Field(default="", description="In a few words, in the language asked for")
    split: bool = Field(description="The change is split; not where over a tenth of a window's days is not held")
    demand: float
    rank: float
    appeal: float
    entered: float
    left: float
    unlisted: float
    weeks: list[int | None] = Field(description="Clicks of 26 weeks before the window and those in it; null: not held")


class VerdictSum(Wire):
    """How many rows have a verdict, and what they gained or lost."""

    verdict: Verdict
    rows: int
    change: float | None = Field(description="Clicks, over as many days as now; none where nothing can be compared")


class Mover(Wire):
    """One page or query that moved much, and whether that is more than its noise."""

    key: str
    now: Figures
    before: Figures
    change: Change | None
    verdict: Verdict


class Judgements(Reading):
    """Pages or queries by verdict, those first that lost most beyond the site's own fall."""

    item: Item
    rows: list[Judgement]
    offset: int
    matching: int
    verdicts: list[VerdictSum]
    lost: float | None = Field(description="All losses of rows that lost; none where nothing can be compared")
    gained: float | None = Field(description="All gains of rows that gained")
    net: float | None = Field(description="gained + lost, which may hide both")
    fallers: list[Mover] = Field(description="Those of any verdict that lost most clicks, most first; at most ten")
    risers: list[Mover] = Field(description="Those of any verdict that gained most clicks, most first; at most ten")


class ReachRow(Wire):
    """One query on one page, just below a better band."""

    query: str
    page: str
    figures: Figures
    band: str | None
    target: int
    gain: float
    gain_low: float
    gain_high: float


class ReachPage(Wire):
    """What a page's queries could gain together."""

    page: str
    queries: int
    gain: float
    gain_low: float
    gain_high: float


class CurvePoint(Wire):
    """The site's click-through at a place, and the impressions it is told from."""

    place: int
    rate: float
    reference: float
    evidence: int


class Reach(Reading):
    """What is within reach, most to be gained first."""

    rows: list[ReachRow]
    pages: list[ReachPage]
    offset: int
    matching: int
    fewest: float = Field(description="Impressions a row needs")
    gain: float
    gain_low: float
    gain_high: float
    curve: list[CurvePoint]


class SharingPage(Wire):
    """One of the pages that share a query."""

    page: str
    figures: Figures
    share: float = Field(description="Of the query's impressions")
    days_led: int


class OverlapRow(Wire):
    """One query that several pages share."""

    query: str
    figures: Figures
    pages: list[SharingPage]
    days_seen: int
    switches: int = Field(description="Days on which another page led than the day before")
    earns_more: str = Field(description="The page with the higher click-through of those that share")


class Overlap(Reading):
    """Queries that several pages share, those shown most first."""

    rows: list[OverlapRow]
    offset: int
    matching: int
    fewest: float


class ClusterRow(Wire):
    """Queries that say nearly the same, named by the one shown most."""

    head: str
    queries: list[str] = Field(description="Up to ten, those shown most first")
    size: int
    now: Figures
    before: Figures | None
    change: Change | None
    pages: int
    own_page: bool = Field(description="Shown often and placed low on a page whose main cluster is another")
    page: str | None = Field(description="The page that has most of its impressions")


class Clusters(Reading):
    """Clusters of queries, those shown most first."""

    rows: list[ClusterRow]
    offset: int
    matching: int
    queries: int


class OddDay(Wire):
    """One day far from what the same weekdays before let expect."""

    day: date
    measure: Literal["clicks", "impressions"]
    value: float
    expected: float
    low: float
    high: float
    score: float
    kind: Literal["high", "low", "shown, not clicked"]
    beside: list[str] = Field(default=[], description="Dated notes on or near the day")


class OddDays(Reading):
    """Odd days of a window, newest first."""

    rows: list[OddDay]


class CrossRow(Wire):
    """One row of a crossing; its cells are in the order of the columns and add up to it."""

    key: str
    total: Figures
    cells: list[Figures]


class Cross(Reading):
    """Figures by two dimensions at once, rows by impressions."""

    dimension: Literal["query", "page", "country", "device", "kind", "look", "set"]
    columns_by: Literal["query", "page", "country", "device", "kind", "band", "month"]
    columns: list[str]
    rows: list[CrossRow]
    total: list[Figures] = Field(
        description="Of all rows, also of those not on this page; with sets of everything read"
    )
    offset: int
    matching: int


class BandMonth(Wire):
    """How many queries or pages were in each band in one month."""

    start: date
    end: date
    partial: bool
    shown: int = Field(description="Queries or pages with at least one impression")
    counts: list[int] = Field(description="Of those by band, in the order of bands")
    clicks: list[int]
    new: int | None = Field(description="Not shown in the month before; null where either is not wholly held")
    lost: int | None


class BandCounts(Reading):
    """Queries or pages by band, month for month."""

    item: Item
    bands: list[str]
    months: list[BandMonth]
