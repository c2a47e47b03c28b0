"""Readings that explain: verdicts, what is within reach, overlap, clusters, odd days."""

from __future__ import annotations

from datetime import date
from typing import ClassVar, Literal

from pydantic import Field

from noctilum.wire.base import Wire
from noctilum.wire.columns import column, group
from noctilum.wire.common_columns import (
    APPEAL,
    BAND,
    BEFORE,
    DAYS_SEEN,
    DEMAND,
    ENTERED,
    GAIN,
    GAIN_HIGH,
    GAIN_LOW,
    KEY,
    LEFT,
    MATCHING,
    RANK,
    TERM_CPC,
    TERM_VOLUME,
    UNLISTED,
    VERDICT,
)
from noctilum.wire.readings import Change, CurveOf, Figures, Reading, Season

Verdict = Literal["fading", "slipping", "holding", "rising", "too few to tell"]
Item = Literal["query", "page"]


class Judgement(Wire):
    """One page or query, judged against its own noise."""

    TERM: ClassVar[tuple[str, ...]] = ("key", "item", "query")
    SHOWN: ClassVar[tuple[str, ...]] = (
        *(
            "key",
            "verdict",
            "clicks_before",
            "clicks",
            "clicks_change",
            "change.clicks_ratio",
            "expected",
            "beyond_season",
        ),
        *("months_down", "weeks", "reason", "volume", "cpc"),
    )

    key: str = column("text", "what", titled_by="item")
    now: Figures = group(ending="")
    before: Figures = BEFORE
    change: Change | None = group("change")
    verdict: Verdict = VERDICT
    z: float | None = column(
        "number",
        "z",
        "The change over its spread: (k1 − r·k0) / √(φ·(r²·k0 + k1)); none where there is too little to tell.",
    )
    p: float | None = column("number", "p", "How likely such a change would be by chance, two-sided, Student’s t.")
    q: float | None = column("number", "q", "The share of false ones among the rows judged at least as sure.")
    dispersion: float = column("number", "scatter", "How much more its weeks vary than chance alone would.")
    beside_site: Literal["with the site", "more than the site", "less than the site"] | None = column(
        "verdict", "beside the site", "Whether it moved as the whole site did."
    )
    beyond_site: float | None = column(
        "count",
        "beyond the site",
        "Change in clicks beyond what the site’s own fall would have taken; rows come by it. None where nothing can be "
        "compared.",
        better="higher",
        signed=True,
    )
    expected: float | None = column(
        "share",
        "as every year",
        "What the year alone would have done to it: its change at the same time of earlier years, drawn to the site’s. "
        "Where no year is held, what the site’s own fall would have.",
        signed=True,
    )
    beyond_season: float | None = column(
        "count",
        "beyond season",
        "Clicks now less those that the year alone would have left; rows come by it.",
        better="higher",
        signed=True,
    )
    gone: bool = column("flag", "gone", "It used to be shown, and was not on the last seven days of the window.")
    last_shown: date | None = column("day", "last shown", "The last day with an impression.")
    heir: str | None = column(
        "text", "its place taken by", "The page that is now shown for most of its queries, where it is gone."
    )
    months_down: int | None = column(
        "count",
        "months down",
        "Months in a row, up to the last whole one, each with fewer clicks a held day than the one before.",
    )
    slope: float | None = column(
        "number",
        "slope",
        "How clicks a held day move from month to month: the median of the slopes between any two of the last 12 "
        "months (Theil–Sen).",
        better="higher",
        decimals=2,
        signed=True,
    )
    reason: str = column("text", "why", "The largest part of the change, or what else is known of the row.", default="")
    split: bool = column("flag", "split", "The change is split; not where over a tenth of a window’s days is not held.")
    demand: float = DEMAND
    rank: float = RANK
    appeal: float = APPEAL
    entered: float = ENTERED
    left: float = LEFT
    unlisted: float = UNLISTED
    weeks: list[int | None] = column(
        "series", "by week", "Clicks of 26 weeks before the window and of those in it; a week not wholly held is a gap."
    )
    volume: int | None = TERM_VOLUME
    cpc: float | None = TERM_CPC


class VerdictSum(Wire):
    """How many rows have a verdict, and what they gained or lost."""

    verdict: Verdict = column("verdict", "verdict")
    rows: int = column("count", "rows", "How many rows have this verdict.")
    change: float | None = column(
        "count",
        "change",
        "Clicks now less clicks before, over as many days; none where nothing can be compared.",
        better="higher",
        signed=True,
    )


class Mover(Wire):
    """One page or query that moved much, and whether that is more than its noise."""

    SHOWN: ClassVar[tuple[str, ...]] = ("key", "verdict", "clicks_before", "clicks", "clicks_change")

    key: str = column("text", "what", titled_by="item")
    now: Figures = group(ending="")
    before: Figures = BEFORE
    change: Change | None = group("change")
    verdict: Verdict = VERDICT


class Judgements(Reading):
    """Pages or queries by verdict, those first that lost most beyond the site's own fall."""

    item: Item
    season: Season
    rows: list[Judgement]
    offset: int
    matching: int = MATCHING
    verdicts: list[VerdictSum]
    lost: float | None = column("count", "lost", "The losses of all rows that lost, added up.", signed=True)
    gained: float | None = column("count", "gained", "The gains of all rows that gained, added up.", signed=True)
    net: float | None = column(
        "count", "net", "All gains and all losses of rows together, which may hide both.", signed=True
    )
    fallers: list[Mover] = Field(description="Those of any verdict that lost most clicks, most first; at most ten")
    risers: list[Mover] = Field(description="Those of any verdict that gained most clicks, most first; at most ten")


class ReachRow(Wire):
    """One query on one page, just below a better band."""

    TERM: ClassVar[tuple[str, ...]] = ("query",)
    SHOWN: ClassVar[tuple[str, ...]] = (
        *("query", "page", "clicks", "impressions", "ctr", "position", "target"),
        *("gain", "gain_low", "gain_high", "volume", "cpc"),
    )

    query: str = column("text", "query")
    page: str = column("text", "page")
    figures: Figures = group(ending="")
    band: str | None = BAND
    target: int = column(
        "count", "target", "The place aimed at: 3 for rows at 3.6 to 10.5, 8 for those at 10.6 to 20.5."
    )
    gain: float = GAIN
    gain_low: float = GAIN_LOW
    gain_high: float = GAIN_HIGH
    volume: int | None = TERM_VOLUME
    cpc: float | None = TERM_CPC


class ReachPage(Wire):
    """What a page's queries could gain together."""

    page: str = column("text", "page")
    queries: int = column("count", "queries", "Queries of the page that are within reach.")
    gain: float = GAIN
    gain_low: float = GAIN_LOW
    gain_high: float = GAIN_HIGH


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
    matching: int = MATCHING
    fewest: float = Field(description="Impressions a row needs")
    gain: float = column("count", "gain", "Of all rows found, added up.", signed=True)
    gain_low: float = column("count", "gain, at least", "Of all rows found, added up.", signed=True)
    gain_high: float = column("count", "gain, at most", "Of all rows found, added up.", signed=True)
    curve: list[CurvePoint] = Field(description="Over all devices together")
    curves: list[CurveOf] = Field(
        default=[], description="By device; a row's gain goes by them, weighed by its impressions on each"
    )


class SharingPage(Wire):
    """One of the pages that share a query."""

    page: str = column("text", "page")
    figures: Figures = group(ending="")
    share: float = column("share", "share", "Of the impressions of the query.")
    days_led: int = column(
        "count", "days led", "Days on which the page had more impressions than the others for this query."
    )


class OverlapRow(Wire):
    """One query that several pages share."""

    TERM: ClassVar[tuple[str, ...]] = ("query",)
    SHOWN: ClassVar[tuple[str, ...]] = (
        *("query", "clicks", "impressions", "ctr", "position", "switches", "days_seen", "earns_more"),
        *("volume", "cpc"),
    )

    query: str = column("text", "query")
    figures: Figures = group(ending="")
    pages: list[SharingPage]
    days_seen: int = DAYS_SEEN
    switches: int = column("count", "turns", "Days on which another page had most impressions than on the day before.")
    earns_more: str | None = column(
        "text",
        "clicked more",
        "The page with the higher click-through of those that share; none where none has a click.",
    )
    volume: int | None = TERM_VOLUME
    cpc: float | None = TERM_CPC


class Overlap(Reading):
    """Queries that several pages share, those shown most first."""

    rows: list[OverlapRow]
    offset: int
    matching: int = MATCHING
    fewest: float


class ClusterRow(Wire):
    """Queries that say nearly the same, named by the one shown most."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        "head",
        "size",
        "clicks",
        "clicks_change",
        "impressions",
        "position",
        "page",
        "own_page",
    )

    head: str = column("text", "cluster", "The query of it that is shown most.")
    queries: list[str] = column("texts", "its queries", "Up to ten, those shown most first.")
    size: int = column(
        "count", "queries", "Queries in the cluster: each shares at least half of its stems with the one shown most."
    )
    now: Figures = group(ending="")
    before: Figures | None = BEFORE
    change: Change | None = group("change")
    pages: int = column("count", "pages", "Pages shown for its queries.")
    own_page: bool = column(
        "flag", "deserves a page of its own", "Shown often and placed low on a page whose main cluster is another."
    )
    page: str | None = column("text", "page", "The page that has most of its impressions.")


class Clusters(Reading):
    """Clusters of queries, those shown most first."""

    rows: list[ClusterRow]
    offset: int
    matching: int = MATCHING
    queries: int = column("count", "queries", "Listed queries with at least one impression.")


class OddDay(Wire):
    """One day far from what the same weekdays before let expect."""

    day: date = column("day", "day")
    measure: Literal["clicks", "impressions"] = column("verdict", "measure", "What stands out.")
    value: float = column("count", "counted", "As the provider counted it on that day.")
    expected: float = column(
        "count",
        "expected",
        "From the same weekdays before, drawn along with the level of the last weeks.",
    )
    low: float = column("count", "at least", "The least that would not stand out.")
    high: float = column("count", "at most", "The most that would not stand out.")
    score: float = column(
        "number",
        "how far",
        "How many times its usual scatter the day is from what was expected.",
        decimals=1,
        signed=True,
    )
    kind: Literal["high", "low", "shown, not clicked"] = column("verdict", "what", "In which way the day stands out.")
    beside: list[str] = column("texts", "noted", "Dated notes on or near the day.", default=[])


class OddDays(Reading):
    """Odd days of a window, newest first."""

    rows: list[OddDay]


class CrossRow(Wire):
    """One row of a crossing; its cells are in the order of the columns and add up to it."""

    key: str = KEY
    total: Figures = group(ending="")
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
    matching: int = MATCHING


class BandMonth(Wire):
    """How many queries or pages were in each band in one month."""

    start: date = column("month", "month")
    end: date
    partial: bool = column("flag", "partial", "Not every day of the month is held or lies in the window.")
    shown: int = column("count", "shown", "Queries or pages with at least one impression in the month.")
    counts: list[int] = Field(description="Of those by band, in the order of bands")
    clicks: list[int]
    new: int | None = column(
        "count", "new", "Shown in this month and not in the month before; none where either is not wholly held."
    )
    lost: int | None = column(
        "count", "lost", "Shown in the month before and not in this one; none where either is not wholly held."
    )


class BandCounts(Reading):
    """Queries or pages by band, month for month."""

    item: Item
    bands: list[str]
    months: list[BandMonth]
