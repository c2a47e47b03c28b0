"""Tracked keywords as they cross HTTP: kept one by one, taken many at once, suggested."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from noctilum.wire.base import Asked, Kept, Line, Wire
from noctilum.wire.questions import Question

Device = Literal["desktop", "mobile", "map"]
Interval = Literal["hourly", "daily", "weekly"]
CHECKS_A_MONTH: dict[str, int] = {"hourly": 24 * 31, "daily": 31, "weekly": 5}
"""The most lookups one keyword may need in a month."""
MOST_AT_ONCE = 10_000
MOST_TAGS = 20
Term = Annotated[Line, Field(min_length=1, max_length=200)]
Tag = Annotated[Line, Field(min_length=1, max_length=60, pattern=r"^[^,]+$")]
Place = Annotated[Line, Field(max_length=120)]
LANGUAGE, COUNTRY = r"^[a-z]{2,3}$", r"^[A-Z]{2}$"


def _once(tags: list[str]) -> list[str]:
    return sorted({tag.strip() for tag in tags if tag.strip()})


Tags = Annotated[list[Tag], Field(max_length=MOST_TAGS), AfterValidator(_once)]


class Followed(Asked):
    """How keywords are followed, alike for one and for many."""

    site: Line = Field(min_length=1, max_length=300, description="Whose ranks are looked for")
    engine: Line = Field(default="Quillon", min_length=1, max_length=60)
    language: Line = Field(default="en", pattern=LANGUAGE, description="ISO 639 language that is looked in")
    country: Line = Field(default="GB", pattern=COUNTRY, description="ISO 3166 country that is looked from")
    place: Place = Field(default="", description="A town or `latitude, longitude`; the whole country without")
    page: Line = Field(default="", max_length=4000, description="The page that ought to be found")
    weight: int = Field(default=3, ge=1, le=5, description="How much it counts, 1 to 5")
    tags: Tags = []
    pinned: bool = Field(default=False, description="Followed closely: first in lists, every change is told")
    note: Line = Field(default="", max_length=500)
    interval: Interval = Field(default="daily", description="How often it is looked up")


class NewKeyword(Followed):
    """A keyword to track."""

    term: Term
    device: Device = "desktop"
    volume: int | None = Field(default=None, ge=0, le=10**9, description="Searches a month")
    cpc: float | None = Field(
        default=None, ge=0, le=100_000, description="What a click would cost, in the client's currency"
    )


class KeywordOut(Kept):
    """A tracked keyword."""

    id: int
    site: str
    term: str
    engine: str
    language: str
    country: str
    place: str
    device: Device
    page: str
    weight: int
    tags: list[str]
    pinned: bool
    note: str
    volume: int | None
    cpc: float | None
    interval: Interval
    checked_at: str | None = Field(description="When it was last looked up; none before the first time")

    @property
    def track(self) -> str:
        """The language and country that it is looked for in."""
        return f"{self.language}-{self.country}"


class KeywordsQuery(Question):
    """Which keywords."""

    site: str | None = Field(default=None, max_length=300, description="Those of this site")
    tag: str | None = Field(default=None, max_length=60, description="Those with this tag")
    find: str = Field(default="", max_length=200, description="Those whose term holds this text")


class AskKeywords(Followed):
    """Many keywords at once: each term from each place on each device."""

    terms: list[Term] = Field(min_length=1, max_length=MOST_AT_ONCE)
    devices: list[Device] = Field(default=["desktop"], min_length=1, max_length=3)
    places: list[Place] = Field(default=[""], min_length=1, max_length=200)
    dry_run: bool = Field(default=False, description="Only say what would be added, and what it costs")


class Cost(Wire):
    """What keywords need in lookups."""

    keywords: int
    a_month: int = Field(description="Lookups in a month of 31 days, at their intervals")
    limit: int | None = Field(description="Lookups a month that the source of lookups may use; none without limit")
    used: int = Field(description="Lookups used this month")
    left: int | None = Field(description="Of the limit, after those used this month")


class KeywordsTaken(Wire):
    """What came of many keywords."""

    added: list[KeywordOut] = []
    adding: int = Field(description="How many are added, or would be")
    repeated: list[str] = Field(description="Tracked already in the same place, on the same device: the first hundred")
    repeats: int
    cost: Cost = Field(description="What all keywords of the site need with these")


class ChangeKeywords(Asked):
    """The same change of many keywords."""

    site: Line = Field(min_length=1, max_length=300)
    numbers: list[int] = Field(min_length=1, max_length=MOST_AT_ONCE)
    weight: int | None = Field(default=None, ge=1, le=5)
    pinned: bool | None = None
    interval: Interval | None = None
    page: Line | None = Field(default=None, max_length=4000)
    add_tags: Tags = []
    drop_tags: Tags = []
    drop: bool = Field(default=False, description="Track them no more; what was found stays in the history")


class KeywordsChanged(Wire):
    """What came of it."""

    changed: int
    cost: Cost


class Suggestion(Wire):
    """A query the site is shown for and does not track."""

    query: str
    clicks: int
    impressions: int
    position: float | None
    page: str = Field(description="Its page with the most clicks, else impressions")
    country: str = Field(description="The country that most of its impressions are from")
    use: float = Field(description="Clicks, and what impressions below the third place might still bring")


class AskChecks(Asked):
    """What to look up now."""

    numbers: list[int] | None = Field(
        default=None, min_length=1, max_length=MOST_AT_ONCE, description="These keywords; all that are due without"
    )


ColumnRole = Literal[
    "term",
    "device",
    "place",
    "country",
    "language",
    "engine",
    "page",
    "weight",
    "tags",
    "pinned",
    "note",
    "volume",
    "cpc",
    "interval",
    "ignore",
]


class AskKeywordFile(Followed):
    """Keywords as a file's text: CSV whose first line names its columns. What a line does not say is as asked here."""

    text: str = Field(min_length=1, max_length=5_000_000)
    devices: list[Device] = Field(default=["desktop"], min_length=1, max_length=3)
    columns: dict[str, ColumnRole] = Field(
        default={}, max_length=20, description="Column of the file → what it is, where its name does not tell"
    )
    dry_run: bool = False


class KeywordFileTaken(Wire):
    """What came of a file of keywords."""

    columns: dict[str, str] = Field(description="Column of the file → what it was read as")
    ignored: list[str] = Field(description="Columns that were not read")
    adding: int
    repeats: int
    refused: list[str] = Field(description="Which lines could not be used, and why: the first hundred")
    cost: Cost
