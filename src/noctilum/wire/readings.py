"""Readings: the answers to questions about a site's history."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from typing import ClassVar, Literal

from pydantic import Field, RootModel

from noctilum.wire.base import Wire
from noctilum.wire.columns import column, group
from noctilum.wire.common_columns import (
    APPEAL,
    BAND,
    BEFORE,
    CLICKS,
    CLICKS_HELD,
    CTR,
    DAYS_SEEN,
    DEMAND,
    ENTERED,
    GRAIN,
    IMPRESSIONS,
    IMPRESSIONS_HELD,
    KEY,
    LEFT,
    MATCHING,
    ORIGIN,
    POSITION,
    POSITION_SUM,
    RANK,
    REVISION,
    STATE,
    TERM_CPC,
    TERM_VOLUME,
    UNLISTED,
)

State = Literal["final", "provisional", "missing", "empty", "lost"]
Dimension = Literal["query", "page", "country", "device", "kind", "look"]


class Figures(Wire):
    """Sums of some days, and the ratios formed from them."""

    clicks: int = CLICKS
    impressions: int = IMPRESSIONS
    position_sum: float = Field(description="Σ position × impressions, in places")
    ctr: float | None = CTR
    position: float | None = POSITION


Way = Literal["better", "worse", "level"]


class Ways(Wire):
    """Which way each measure went; a change too small to be told is level."""

    clicks: Way
    impressions: Way
    ctr: Way
    position: Way


class Change(Wire):
    """Now minus before. basis "scaled": the windows differ in length; before is taken for as many held days."""

    basis: Literal["total", "scaled"]
    clicks: float = column("count", "clicks", "Clicks now less clicks before.", better="higher", signed=True)
    clicks_ratio: float | None = column(
        "share",
        "relative",
        "The change in clicks over the clicks before; none where there were none before.",
        better="higher",
        signed=True,
    )
    impressions: float = column(
        "count", "impressions", "Impressions now less impressions before.", better="higher", signed=True
    )
    impressions_ratio: float | None
    ctr: float | None = column(
        "points", "click-through", "Click-through now less before, in hundredths.", better="higher", signed=True
    )
    position: float | None = column(
        "places", "position", "Average place now less before; below 0 is better.", better="lower", signed=True
    )
    ways: Ways


class Days(Wire):
    """A window of days and how completely it is held."""

    first: date
    last: date
    days: int
    held: int
    provisional: int
    missing: int
    counted: int = Field(description="Days that are in the sums")


class Caution(Wire):
    """Something to know before believing a figure."""

    code: str
    text: str = Field(default="", description="In the language asked for")
    facts: dict[str, int | str | date | list[str]] = Field(default={}, description="What the text speaks of, by name")


class Backed(Wire):
    """A figure in a sentence, and where it stands in the reading."""

    text: str = Field(description="As the sentence writes it")
    field: str = Field(description="A JSON pointer (RFC 6901) into the reading")
    value: float | int | str | None = Field(description="Exactly; the number of entries where the field is a list")


class Sentence(Wire):
    """One sentence that a reading says of itself."""

    text: str
    figures: list[Backed]


class Reading(Wire):
    """What every reading says of itself."""

    site: str
    grain: str = Field(description="The level at which the provider counted these figures")
    window: Days
    against: Days | None
    asked_window: str
    asked_against: str
    filter: dict[str, str]
    filter_text: str = Field(default="", description="The filter in its canonical text")
    complete_through: date
    first_held: date
    generation: int
    cautions: list[Caution]
    sentences: list[Sentence] = Field(default=[], description="The reading in one to four sentences")


class Point(Wire):
    """One step of a timeline. clicks and the rest are null for a step not held: a gap, not a zero."""

    SHOWN: ClassVar[tuple[str, ...]] = ("start", "state", "clicks", "impressions", "ctr", "position")

    start: date = column("day", "from", "The first day of the step.")
    end: date = column("day", "to", "The last day of the step that lies in the window.")
    state: State = STATE
    days: int = column("count", "days", "Days of the step that lie in the window.")
    held: int = column("count", "held", "Days whose figures are held.")
    partial: bool = column(
        "flag",
        "partial",
        "Not every day of the week, month or quarter is held or lies in the window: its sums are too low.",
    )
    whole_month: bool = column(
        "flag", "whole month", "The total of a month whose days are not held; in no sum.", default=False
    )
    changed: bool = column("flag", "changed", "A day of it came out differently after it was final.", default=False)
    clicks: int | None = CLICKS
    impressions: int | None = IMPRESSIONS
    ctr: float | None = CTR
    position: float | None = POSITION


class Season(Wire):
    """What the year alone would have done to the whole of what is read, and what it did beyond that."""

    basis: Literal["years", "site", "counted"] = Field(
        description="From earlier years; from what the site itself did, as no year is held; or nothing taken out"
    )
    years: int = Field(description="How many earlier years it is told from")
    change: float | None = Field(description="What it changed by a held day, relative")
    expected: float | None = Field(description="What it changed by at the same time of earlier years, relative")
    beyond: float | None = Field(description="What is left of the change, relative")
    verdict: Literal["fell", "rose", "as every year", "too few to tell"] | None = Field(
        description="Of the whole, beyond its season"
    )
    by: str | None = Field(
        default=None,
        description="The moving holiday by whose days earlier years are laid beside this one; else by date",
    )


class Expectation(Wire):
    """What earlier years let expect of one step’s clicks, with a band of two deviations; nulls where none tells."""

    start: date
    low: float | None
    middle: float | None
    high: float | None


class Timeline(Reading):
    """Figures by day, week or month, now and before."""

    bucket: Literal["day", "week", "month", "quarter"]
    points: list[Point]
    before_points: list[Point] = Field(description="Aligned step for step with points where the lengths agree")
    tail: list[Point] = Field(description="Days after the window that are still provisional; in no total")
    now: Figures = group(ending="")
    before: Figures | None = BEFORE
    change: Change | None = group("change")
    season: Season
    expected: list[Expectation] = Field(
        description="Step for step with points: what earlier years let expect of the clicks, where one is held",
    )


class Row(Wire):
    """One row of a breakdown. verdict: whether the numbers can bear a statement."""

    TERM: ClassVar[tuple[str, ...]] = ("key", "dimension", "query")
    SHOWN: ClassVar[tuple[str, ...]] = (
        "key",
        "clicks",
        "clicks_before",
        "clicks_change",
        "impressions",
        "ctr",
        "position",
        "band",
        *("volume", "cpc"),
    )

    key: str = KEY
    now: Figures = group(ending="")
    before: Figures | None = BEFORE
    change: Change | None = group("change")
    band: str | None = BAND
    verdict: Literal["too few to tell"] | None = column(
        "verdict", "verdict", "Whether the numbers can bear a statement at all."
    )
    volume: int | None = TERM_VOLUME
    cpc: float | None = TERM_CPC


class RestRow(Wire):
    """Several rows in one, so that the table adds up."""

    rows: int | None
    now: Figures
    before: Figures | None
    change: Change | None


class Breakdown(Reading):
    """Figures by one dimension. rows + rest + outside + unlisted = total."""

    dimension: Dimension
    rows: list[Row]
    sort: str
    offset: int
    matching: int = MATCHING
    rest: RestRow | None = Field(description="Matching rows that are not on this page")
    outside: RestRow | None = Field(description="Listed rows outside the text looked for")
    unlisted: RestRow | None = Field(description="What the provider withheld; null where that is not known")
    total: RestRow
    largest_fall: Row | None = Field(
        default=None,
        description="Of the rows given the one that lost most clicks, where its numbers can bear a statement and it "
        "is a hundredth of the total",
    )


class DriverRow(Wire):
    """One query's share in the change."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        "query",
        "clicks_before",
        "clicks",
        "change",
        "demand",
        "rank",
        "appeal",
        "entered",
        "left",
    )

    query: str = column("text", "query")
    now: Figures = group(ending="")
    before: Figures = BEFORE
    demand: float = DEMAND
    rank: float = RANK
    appeal: float = APPEAL
    entered: float = ENTERED
    left: float = LEFT
    change: float = column("count", "change", "Clicks now less clicks before.", better="higher", signed=True)


class CurveOf(Wire):
    """The click-through curve used, with the impressions behind each place."""

    device: str
    rates: list[float]
    evidence: list[int]


class Drivers(Reading):
    """The exact split of the change in clicks: six parts that add up to it, now.clicks − before.clicks × times."""

    now: Figures = group(ending="")
    before: Figures = BEFORE
    change: Change = group("change")
    times: float = Field(
        description="1 for windows of one length; else held days now over held days before: before is taken for as many"
    )
    season: float | None = column(
        "count",
        "season",
        "Of demand, what the year alone would have brought: clicks before of queries listed in both windows × (the "
        "site’s change in earlier years). None where no year is held.",
        signed=True,
    )
    demand_beyond: float | None = column(
        "count", "demand beyond season", "Demand less the season: the two add up to it exactly.", signed=True
    )
    demand: float = DEMAND
    rank: float = RANK
    appeal: float = APPEAL
    entered: float = ENTERED
    left: float = LEFT
    unlisted: float = UNLISTED
    movers: list[DriverRow]
    offset: int = Field(default=0, description="How many movers stand before those named")
    matching: int = column("count", "rows found", "How many rows were found, on all pages of the list.", default=0)
    curve: list[CurveOf]

    @property
    def ladder(self) -> dict[str, float]:
        """Give the parts in order, from before to now; with an earlier year, demand as season and what is beyond it."""
        of_demand = ("demand",) if self.demand_beyond is None else ("season", "demand_beyond")
        names = (*of_demand, "rank", "appeal", "entered", "left", "unlisted")
        return {name: float(getattr(self, name)) for name in names}


class BestWeek(Wire):
    """The week with the best average place."""

    start: date = column("day", "from", "The first day of the step.")
    position: float = POSITION


class Life(Wire):
    """One query's or page's whole life as far as it is held."""

    site: str
    item: Literal["query", "page"]
    key: str
    grain: str
    first_held: date
    complete_through: date
    first_seen: date = column("day", "first seen", "The first held day with an impression.")
    last_seen: date = column("day", "last seen", "The last held day with an impression.")
    days_held: int = column("count", "days held", "Days whose figures are held.")
    days_seen: int = DAYS_SEEN
    weeks_held: int = column("count", "weeks held", "Weeks of which every day is held.")
    weeks_in_top_ten: int = column(
        "count", "weeks in the top ten", "Weeks with an average place better than 10.5.", better="higher"
    )
    best_week: BestWeek | None = group("best week", "Of the weeks with ten impressions or more.")
    total: Figures = group(ending="")
    weeks: list[Point]
    generation: int
    sentences: list[Sentence] = Field(default=[], description="The life in one to four sentences")


class LedgerDay(Wire):
    """One day of one grain."""

    SHOWN: ClassVar[tuple[str, ...]] = ("day", "state", "revision", "origin", "rows", "clicks", "impressions")

    day: date = column("day", "day")
    state: State = STATE
    revision: str | None = REVISION
    taken_at: str | None = column("text", "taken", "When it was fetched or imported.")
    origin: str | None = ORIGIN
    rows: int = column("count", "rows", "Rows held of the day.")
    clicks: int = CLICKS_HELD
    impressions: int = IMPRESSIONS_HELD
    position_sum: float = POSITION_SUM
    figures: dict[str, float] = Field(default={}, description="Every measure of the grain, added up, by name")
    digest: str | None = column("text", "digest", "Stands for the day’s rows: the same rows have the same digest.")
    lines: int = column("count", "lines", "Rows as they were read.")
    repeats: int = column("count", "repeats", "Rows that were dropped as repeated.")
    promised_rows: int | None = column("count", "rows promised", "What the provider says there are.")
    promised_clicks: int | None = column("count", "clicks promised", "What the provider says there are.")
    promised_impressions: int | None = column("count", "impressions promised", "What the provider says there are.")
    promised: dict[str, float] = Field(default={}, description="What the provider says of them, where it does, by name")
    flag: str | None = column("text", "doubt", "A code where the day is doubted or lost.")
    remark: str | None = column("text", "remark", "What is doubted, in words.")
    changes: int = column("count", "changes", "How often it changed after it was final.", default=0)


class DaySide(Wire):
    """What a day was before, or is after, a change."""

    state: State = STATE
    revision: str | None = REVISION
    rows: int = column("count", "rows", "Rows held of the day.")
    clicks: int = CLICKS_HELD
    impressions: int = IMPRESSIONS_HELD
    position_sum: float = POSITION_SUM
    figures: dict[str, float] = Field(default={}, description="Every measure of the grain, added up, by name")


class DayChange(Wire):
    """One change of a day that was final."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        *("day", "grain", "source", "kind", "at", "origin"),
        *("clicks_was", "clicks", "impressions_was", "impressions"),
    )

    id: int
    source: int = column("count", "source", "The number of the source.")
    grain: str = GRAIN
    day: date = column("day", "day")
    at: str = column("text", "noticed", "When it was noticed.")
    kind: Literal["revised", "removed"] = column("verdict", "what", "Whether the day was revised or removed.")
    origin: str = ORIGIN
    was: DaySide = group("before")
    now: DaySide = group(ending="")


class Changes(RootModel[list[DayChange]]):
    """Changes of days that were final, newest first."""

    def __iter__(self) -> Iterator[DayChange]:  # type: ignore[override]
        """Go through the changes."""
        return iter(self.root)

    def __len__(self) -> int:
        """Count the changes."""
        return len(self.root)

    def __getitem__(self, at: int) -> DayChange:
        """Give one."""
        return self.root[at]


class GrainDay(LedgerDay):
    """One day at one grain."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        *("grain", "state", "revision", "origin", "taken_at"),
        *("lines", "repeats", "rows", "clicks", "impressions"),
    )

    grain: str = GRAIN


class DayMaking(Wire):
    """What one day of a source was made from, at every grain, and how it changed since."""

    site: str
    source: int
    label: str
    day: date
    grains: list[GrainDay]
    changes: list[DayChange]


class GrainTotal(Wire):
    """What one grain adds up to over a window."""

    grain: str = GRAIN
    days: int = column("count", "days", "Held days that are counted.")
    rows: int = column("count", "rows", "Rows held of these days.")
    clicks: int = CLICKS_HELD
    impressions: int = IMPRESSIONS_HELD
    figures: dict[str, float] = Field(default={}, description="Every measure of the grain, added up, by name")


class Step(Wire):
    """One reason why two totals differ, with how much it makes."""

    code: str
    text: str
    clicks: int | None
    impressions: int | None


class Share(Wire):
    """How much of a month's total is in no listed query."""

    month: date
    clicks: float | None
    impressions: float | None


class SourceTotals(Wire):
    """One source's totals at every grain, side by side, with the reasons why they differ."""

    source: int
    label: str
    engine: str
    time_zone: str
    counted: bool
    grains: list[GrainTotal]
    steps: list[Step]
    unlisted: list[Share]
    flagged: list[GrainDay]


class Reconciliation(Wire):
    """Why two numbers for the same thing differ."""

    site: str
    first: date
    last: date
    sources: list[SourceTotals]
    generation: int


class Ledger(Wire):
    """The day ledger of a source at one grain."""

    site: str
    source: int
    grain: str
    first: date
    last: date
    held: int
    provisional: int
    missing: int
    lost: int
    flagged: int
    changed: int
    complete_through: date | None
    days: list[LedgerDay]
    generation: int
