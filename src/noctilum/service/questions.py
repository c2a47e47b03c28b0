"""Query strings of the readings."""

from __future__ import annotations

from datetime import date
from typing import Literal, get_args

from pydantic import BaseModel, ConfigDict, Field

from noctilum.readings.breakdown import MOST_ROWS
from noctilum.readings.frame import FILTERS, Asked
from noctilum.wire.readings import Grain

Weekday = Literal["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"]


Language = Literal["en", "de", "fr", "es", "nb"]


LARGEST = 2**63 - 1
"""Numbers above it belong to nothing."""


class Query(BaseModel):
    """Refuse parameters that are not known, so that a misspelt one is told."""

    model_config = ConfigDict(extra="forbid", frozen=True)


class Framed(Query):
    """What every reading over a window takes."""

    window: str = Field(
        default="P28D",
        max_length=40,
        description="ISO 8601: P28D, 2026-03, 2026-01-01/2026-03-31; also 2026-Q1, month (so far), all",
    )
    against: str = Field(default="before", max_length=40, description="before, year, none, or a window")
    query: str | None = Field(default=None, max_length=2000, description="Only rows of this query")
    page: str | None = Field(default=None, max_length=4000, description="Only rows of this page")
    country: str | None = Field(default=None, max_length=10, description="Only rows of this ISO 3166 country")
    device: str | None = Field(default=None, max_length=20, description="Only rows of this device")
    kind: str | None = Field(default=None, max_length=20, description="Only rows of this kind of search")
    filter: str = Field(default="", max_length=4000, description='In the filter language: query has "x" and not brand')
    engine: str | None = Field(default=None, max_length=60, description="Only sources of this engine")
    source: int | None = Field(default=None, ge=1, le=LARGEST, description="Only this source, also one kept apart")
    language: Language = Field(default="en", description="Of the sentences and reasons")

    def asked(self, site: str) -> Asked:
        """Give the question these parameters ask of a site."""
        where = {name: getattr(self, name) for name in FILTERS if getattr(self, name) is not None}
        return Asked(site, self.window, self.against, where, self.filter, self.language)


class TimelineQuery(Framed):
    """A timeline's parameters."""

    by: Literal["day", "week", "month", "quarter"] = "day"
    week_starts: Weekday = Field(default="monday", description="The first day of a week, with by=week")


def week_start(asked: TimelineQuery) -> int:
    """Number the first day of a week; 0 is Monday."""
    return get_args(Weekday).index(asked.week_starts)


class BreakdownQuery(Framed):
    """A breakdown's parameters."""

    find: str = Field(default="", max_length=200, description="Only rows whose key holds this text")
    sort: str = Field(
        default="clicks", description="clicks, impressions, ctr, position, change, before, key; - turns it round"
    )
    limit: int = Field(default=50, ge=1, le=MOST_ROWS)
    offset: int = Field(default=0, ge=0, le=10**9)


class Listed(Framed):
    """A page of rows."""

    limit: int = Field(default=50, ge=1, le=MOST_ROWS)
    offset: int = Field(default=0, ge=0, le=10**9)


class FadingQuery(Listed):
    """Which verdicts are wanted."""

    verdict: str = Field(default="", max_length=100, description="fading, slipping, holding, … joined by commas")

    @property
    def verdicts(self) -> tuple[str, ...]:
        """The verdicts by name; none means fading and slipping."""
        return tuple(part.strip() for part in self.verdict.split(",") if part.strip())


class ReachQuery(Listed):
    """How often a row has to be shown."""

    fewest: int = Field(default=50, ge=1, le=1_000_000, description="Impressions in 28 days, scaled to the window")


class CrossQuery(Listed):
    """What is crossed with what."""

    rows: Literal["query", "page", "country", "device", "kind", "look", "set"] = Field(
        default="query", description="A dimension, or the saved sets"
    )
    columns: Literal["query", "page", "country", "device", "kind", "band", "month"] = "device"


class BandsQuery(Framed):
    """What is counted."""

    of: Literal["query", "page"] = "query"


class ClustersQuery(Listed):
    """The language also says how queries are cut into stems."""


class DriversQuery(Framed):
    """Parameters of drivers."""

    driver: Literal["demand", "rank", "appeal", "entered", "left"] | None = Field(
        default=None, description="Name the queries that make this part of the change, not the whole"
    )

    most: int = Field(default=20, ge=1, le=200, description="How many queries to name")


class LifeQuery(Query):
    """What a life is asked of."""

    key: str = Field(max_length=4000, description="The query or page, exactly")
    language: Language = Field(default="en", description="Of the sentences")
    engine: str | None = Field(default=None, max_length=60, description="Only sources of this engine")
    source: int | None = Field(default=None, ge=1, le=LARGEST, description="Only this source, also one kept apart")


class DayQuery(Query):
    """Which source a day is shown of."""

    source: int | None = Field(default=None, ge=0, le=LARGEST)


class ChangesQuery(Query):
    """Parameters of the change log."""

    source: int | None = Field(default=None, ge=0, le=LARGEST)
    grain: Grain | None = None
    first: date | None = None
    last: date | None = None


class WindowQuery(Query):
    """A window and nothing else."""

    window: str = Field(default="P28D", max_length=40)


class LedgerQuery(Query):
    """A ledger's parameters."""

    source: int | None = Field(default=None, ge=0, le=LARGEST)
    grain: Grain | None = Field(default=None, description="The coarsest that is held where none is named")
    first: date | None = None
    last: date | None = None


class ReportQuery(Query):
    """A report's parameters."""

    window: str = Field(default="P28D", max_length=40)
    against: str = Field(default="before", max_length=40)
    filter: str = Field(default="", max_length=4000, description="Only what passes, in every block; also a set")

    def asked(self, site: str) -> Asked:
        """Give the question that every block asks."""
        return Asked(site, self.window, self.against, filter=self.filter)
