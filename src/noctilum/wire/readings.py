"""Readings: the answers to questions about a site's history."""

from __future__ import annotations

from datetime import date
from typing import Literal

from pydantic import Field

from noctilum.wire.base import Wire

State = Literal["final", "provisional", "missing", "empty", "lost"]
Dimension = Literal["query", "page", "country", "device", "kind", "look"]
Grain = Literal["site", "query", "page", "pair", "look"]


class Figures(Wire):
    """Sums of some days, and the ratios formed from them."""

    clicks: int
    impressions: int
    position_sum: float = Field(description="Σ position × impressions, in places")
    ctr: float | None = Field(description="Clicks / impressions; null without impressions")
    position: float | None = Field(description="Impression-weighted average place; null without impressions")


class Change(Wire):
    """Now minus before. basis "scaled": the windows differ in length; before is taken for as many held days."""

    basis: Literal["total", "scaled"]
    clicks: float
    clicks_ratio: float | None = Field(description="Relative change; null from 0, which is new")
    impressions: float
    impressions_ratio: float | None
    ctr: float | None = Field(description="Difference of ratios; times 100 gives points")
    position: float | None = Field(description="Difference of places; below 0 is better")


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

    start: date
    end: date
    state: State
    days: int
    held: int
    partial: bool
    whole_month: bool = Field(default=False, description="The total of a month whose days are not held; in no sum")
    changed: bool = Field(default=False, description="A day of it came out differently after it was final")
    clicks: int | None
    impressions: int | None
    ctr: float | None
    position: float | None


class Timeline(Reading):
    """Figures by day, week or month, now and before."""

    bucket: Literal["day", "week", "month", "quarter"]
    points: list[Point]
    before_points: list[Point] = Field(description="Aligned step for step with points where the lengths agree")
    tail: list[Point] = Field(description="Days after the window that are still provisional; in no total")
    now: Figures
    before: Figures | None
    change: Change | None


class Row(Wire):
    """One row of a breakdown. verdict: whether the numbers can bear a statement."""

    key: str
    now: Figures
    before: Figures | None
    change: Change | None
    band: str | None
    verdict: Literal["too few to tell"] | None


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
    matching: int = Field(description="Rows that match, of which rows holds some")
    rest: RestRow | None = Field(description="Matching rows that are not on this page")
    outside: RestRow | None = Field(description="Listed rows outside the text looked for")
    unlisted: RestRow | None = Field(description="What the provider withheld; null where that is not known")
    total: RestRow


class Drivers(Reading):
    """The exact split of the change in clicks: six parts that add up to it, now.clicks − before.clicks × times."""

    now: Figures
    before: Figures
    change: Change
    times: float = Field(
        description="1 for windows of one length; else held days now over held days before: before is taken for as many"
    )
    demand: float
    rank: float
    appeal: float
    entered: float
    left: float
    unlisted: float
    movers: list[DriverRow]
    curve: list[CurveOf]


class DriverRow(Wire):
    """One query's share in the change."""

    query: str
    now: Figures
    before: Figures
    demand: float
    rank: float
    appeal: float
    entered: float
    left: float
    change: float


class CurveOf(Wire):
    """The click-through curve used, with the impressions behind each place."""

    device: str
    rates: list[float]
    evidence: list[int]


class BestWeek(Wire):
    """The week with the best average place."""

    start: date
    position: float


class Life(Wire):
    """One query's or page's whole life as far as it is held."""

    site: str
    item: Literal["query", "page"]
    key: str
    grain: str
    first_held: date
    complete_through: date
    first_seen: date
    last_seen: date
    days_held: int
    days_seen: int
    weeks_held: int
    weeks_in_top_ten: int
    best_week: BestWeek | None
    total: Figures
    weeks: list[Point]
    generation: int
    sentences: list[Sentence] = Field(default=[], description="The life in one to four sentences")


class LedgerDay(Wire):
    """One day of one grain."""

    day: date
    state: State
    revision: str | None
    taken_at: str | None
    origin: str | None
    rows: int
    clicks: int
    impressions: int
    position_sum: float
    digest: str | None
    lines: int = Field(description="Rows as they were read")
    repeats: int = Field(description="Of those, dropped as repeated")
    promised_rows: int | None = Field(description="What the provider says there are")
    promised_clicks: int | None
    promised_impressions: int | None
    flag: str | None = Field(description="A code when the day is doubted or lost")
    remark: str | None
    changes: int = Field(default=0, description="How often it changed after it was final")


class DaySide(Wire):
    """What a day was before, or is after, a change."""

    state: State
    revision: str | None
    rows: int
    clicks: int
    impressions: int
    position_sum: float


class DayChange(Wire):
    """One change of a day that was final."""

    id: int
    source: int
    grain: str
    day: date
    at: str
    kind: Literal["revised", "removed"]
    origin: str
    was: DaySide
    now: DaySide


class GrainDay(LedgerDay):
    """One day at one grain."""

    grain: str


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

    grain: str
    days: int = Field(description="Held days counted")
    rows: int
    clicks: int
    impressions: int


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


class PortfolioRow(Wire):
    """One site in the portfolio. why_empty says why there are no figures."""

    client: str
    client_name: str
    site: str
    host: str
    weeks: list[Point] = Field(description="Clicks by week, sixteen months")
    now: Figures | None
    before: Figures | None
    change: Change | None
    driver: str | None = Field(description="The driver that moved most")
    window: Days | None
    complete_through: date | None
    last_days: list[State]
    attention: Literal["look now", "keep an eye on", "quiet", "waiting"]
    why: str
    worst: str | None = Field(
        default=None, description="The page that fades most beyond the site's own fall, and was not moved"
    )
    worst_change: float | None = Field(default=None, description="Its change in clicks")


class Portfolio(Wire):
    """All sites at a glance."""

    today: date
    rows: list[PortfolioRow]
