"""What the readings are asked: their parameters over HTTP, in the client, on the command line, in exports and blocks.

Defaults, bounds and choices live here and nowhere else.
"""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal, get_args, get_origin

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, model_validator
from pydantic_core import PydanticCustomError

from noctilum.wire.declared import Grain, OneOf
from noctilum.wire.explain import Item, Verdict
from noctilum.wire.readings import Dimension

Weekday = Literal["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"]
Language = Literal["en", "de", "fr", "es", "nb"]
LARGEST = 2**63 - 1
"""Numbers above it belong to nothing."""
MOST_ROWS = 1000
"""On one page of an answer."""
FEWEST = 50
"""Impressions in 28 days that a row needs to be looked at."""
WORD = "x-word"
FILTERS = ("query", "page", "country", "device", "kind")
"""Dimensions that rows can be narrowed by to one exact text."""


def word(default: Any = ..., *, in_path: bool = True, **more: Any) -> Any:
    """Declare a parameter that is given by its place on the command line and in Python, and stands in the path."""
    return Field(default, json_schema_extra={WORD: in_path}, **more)


def choices(annotation: Any) -> list[str]:
    """Give the texts that a parameter may be; none where it may be any."""
    if get_origin(annotation) is Literal:
        return [str(each) for each in get_args(annotation)]
    if isinstance(annotation, OneOf):
        return list(annotation.names())
    return [found for part in get_args(annotation) for found in choices(part)]


def parted(value: Any) -> Any:
    """Take several texts with commas between them."""
    texts = [value] if isinstance(value, str) else value
    if isinstance(texts, list) and all(isinstance(text, str) for text in texts):
        return [part.strip() for text in texts for part in text.split(",") if part.strip()]
    return value


class Question(BaseModel):
    """Refuse parameters that are not known, so that a misspelt one is told."""

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)


class Windowed(Question):
    """What every reading over a window takes."""

    window: str = Field(
        default="P28D",
        max_length=40,
        description="ISO 8601: P28D, 2026-03, 2026-01-01/2026-03-31; also 2026-Q1, month (so far), all",
    )
    query: str | None = Field(default=None, max_length=2000, description="Only rows of this query")
    page: str | None = Field(default=None, max_length=4000, description="Only rows of this page")
    country: str | None = Field(default=None, max_length=10, description="Only rows of this ISO 3166 country")
    device: str | None = Field(default=None, max_length=20, description="Only rows of this device")
    kind: str | None = Field(default=None, max_length=20, description="Only rows of this kind of search")
    filter: str = Field(default="", max_length=4000, description='In the filter language: query has "x" and not brand')
    engine: str | None = Field(default=None, max_length=60, description="Only sources of this engine")
    source: int | None = Field(default=None, ge=1, le=LARGEST, description="Only this source, also one kept apart")
    language: Language = Field(default="en", description="Of the sentences and reasons")


class Compared(Windowed):
    """What every reading takes that compares two windows."""

    against: str = Field(default="before", max_length=40, description="before, year, none, or a window")


SEASON = Field(default=True, description="Net of what the year does, where a year is held; else as counted")


class Seasoned(Compared):
    """What every reading takes that knows what the year does."""

    season: bool = SEASON


class Paged(Question):
    """A page of rows."""

    limit: int = Field(default=50, ge=1, le=MOST_ROWS, description="How many rows")
    offset: int = Field(default=0, ge=0, le=10**9, description="How many rows to pass over")


class TimelineQuery(Seasoned):
    """A timeline's parameters."""

    by: Literal["day", "week", "month", "quarter"] = Field(default="day", description="How long a step is")
    week_starts: Weekday = Field(default="monday", description="The first day of a week, with by=week")


class BreakdownQuery(Compared, Paged):
    """A breakdown's parameters."""

    dimension: Dimension = word(description="What rows are by")
    find: str = Field(default="", max_length=200, description="Only rows whose key holds this text")
    sort: str = Field(
        default="clicks", description="clicks, impressions, ctr, position, change, before, key; - turns it round"
    )


class CrossQuery(Windowed, Paged):
    """What is crossed with what."""

    rows: Literal["query", "page", "country", "device", "kind", "look", "set"] = word(
        "query", in_path=False, description="A dimension, or the saved sets"
    )
    columns: Literal["query", "page", "country", "device", "kind", "band", "month"] = word(
        "device", in_path=False, description="Another dimension, bands of places, or months"
    )

    @model_validator(mode="after")
    def _differ(self) -> CrossQuery:
        if self.rows == self.columns:
            code = "crossed-with-itself"
            raise PydanticCustomError(code, "Rows by {what} cannot have columns by {what}.", {"what": self.rows})
        return self


class BandsQuery(Windowed):
    """What is counted by band."""

    window: str = Field(default="P12M", max_length=40, description="As of every reading; months are counted")
    of: Literal["query", "page"] = Field(default="query", description="What is counted")


class WeekdaysQuery(Compared):
    """A profile wants whole weeks, and some of them."""

    window: str = Field(default="P84D", max_length=40, description="As of every reading; best in whole weeks")


class DriversQuery(Seasoned):
    """Parameters of drivers."""

    driver: Literal["demand", "rank", "appeal", "entered", "left"] | None = Field(
        default=None, description="Name the queries that make this part of the change, not the whole"
    )
    most: int = Field(default=20, ge=1, le=MOST_ROWS, description="How many queries to name")
    offset: int = Field(default=0, ge=0, le=10**9, description="How many queries to pass over")


class FadingQuery(Seasoned, Paged):
    """What is judged, and which verdicts are wanted."""

    item: Item = word("page", description="What is judged")
    verdict: Annotated[list[Verdict], BeforeValidator(parted)] = Field(
        default=[], description="fading, slipping, holding, rising, too few to tell; fading and slipping without"
    )


class ReachQuery(Windowed, Paged):
    """How often a row has to be shown."""

    fewest: int = Field(
        default=FEWEST, ge=1, le=1_000_000, description="Impressions in 28 days that a row needs, scaled to the window"
    )


class ClustersQuery(Compared, Paged):
    """The language also says how queries are cut into stems."""


class UnclickedQuery(Windowed, Paged):
    """A window and a page of rows."""


class OddDaysQuery(Windowed):
    """A window whose days are looked at one by one."""


class LifeQuery(Question):
    """What a life is asked of."""

    item: Item = word(description="What has the life")
    key: str = word(in_path=False, max_length=4000, description="The query or page, exactly")
    language: Language = Field(default="en", description="Of the sentences")
    engine: str | None = Field(default=None, max_length=60, description="Only sources of this engine")
    source: int | None = Field(default=None, ge=1, le=LARGEST, description="Only this source, also one kept apart")


class EffectQuery(Question):
    """Which dated note, and how many days on either side."""

    number: int = word(ge=1, le=LARGEST, description="The note")
    days: int = Field(default=28, ge=7, le=364, description="Cut to whole weeks that are held")
    language: Language = Field(default="en", description="Of the sentences")


class LedgerQuery(Question):
    """A ledger's parameters."""

    source: int | None = Field(
        default=None, ge=0, le=LARGEST, description="Which source of the site; its first without"
    )
    grain: Grain | None = Field(default=None, description="The coarsest that is held where none is named")
    first: date | None = Field(default=None, description="The first day")
    last: date | None = Field(default=None, description="The last day")


class DayQuery(Question):
    """Which day is shown, and of which source."""

    day: date = word(description="Which day")
    source: int | None = Field(
        default=None, ge=0, le=LARGEST, description="Which source of the site; its first without"
    )


class ChangesQuery(Question):
    """Parameters of the change log."""

    source: int | None = Field(
        default=None, ge=0, le=LARGEST, description="Only this source; all that are read without"
    )
    grain: Grain | None = Field(default=None, description="Only this grain")
    first: date | None = Field(default=None, description="The first day")
    last: date | None = Field(default=None, description="The last day")


class ReconcileQuery(Question):
    """A window and nothing else."""

    window: str = Field(default="P28D", max_length=40, description="P28D, 2026-03, 2026-01-01/2026-03-31, all")
