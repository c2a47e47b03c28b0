"""Targets as they cross HTTP: a figure to be reached by a day, its path, and whether one is on course."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import ClassVar, Literal

from pydantic import Field, model_validator

from noctilum.wire.base import Asked, Day, Kept, Line, Wire
from noctilum.wire.columns import column
from noctilum.wire.common_columns import MATCHING
from noctilum.wire.questions import LARGEST, Language, Paged, Question, word
from noctilum.wire.readings import Caution, Sentence

Course = Literal["ahead", "on course", "behind", "reached", "missed", "not begun", "too few to tell"]
Metric = Literal["clicks", "impressions", "sessions", "conversions", "revenue", "top3", "top10", "top20"]
SEARCHED = ("clicks", "impressions")
STANDING: dict[str, int] = {"top3": 3, "top10": 10, "top20": 20}
"""Metrics that count tracked keywords which stand up to a place."""
Lacks = Literal["nothing held", "its start is not held", "its filter cannot be asked"]
LEAST_DAYS, MOST_DAYS = 7, 3 * 366


class TargetsQuery(Question):
    """Whose targets."""

    site: str | None = Field(default=None, max_length=300, description="Those of this site")


class NewTarget(Asked):
    """A figure to be reached by a day, of a site or of all sites of its client."""

    site: Line = Field(min_length=1, max_length=300)
    name: Line = Field(min_length=1, max_length=120)
    metric: Metric = Field(
        default="clicks",
        description="sessions, conversions, revenue: of organic visits unless the filter names a channel; "
        "top3, top10, top20: tracked keywords that stand so",
    )
    over: Literal["site", "client"] = Field(default="site", description="client: of all of its sites together")
    filter: str = Field(default="", max_length=2000, description='In the filter language, as set "Guides"')
    tagged: str = Field(default="", max_length=60, description="Only tracked keywords with this tag")
    value: float = Field(ge=1, le=1e12, description="In the 28 days up to the day; keywords: on the day")
    starts: Day = Field(description="The first day of the way; it begins from the 28 days before")
    by: Day = Field(description="The day by which it is to be reached")

    @model_validator(mode="after")
    def _fits(self) -> NewTarget:
        days = (self.by - self.starts).days + 1
        if not LEAST_DAYS <= days <= MOST_DAYS:
            raise ValueError(f"a target lies {LEAST_DAYS} to {MOST_DAYS} days ahead of its start, and this one {days}")
        if self.metric in STANDING and self.filter:
            raise ValueError("keywords are narrowed by a tag, not by a filter")
        if self.metric not in STANDING and self.tagged:
            raise ValueError("a tag narrows keywords; what is counted is narrowed by a filter")
        return self

    @property
    def last_before(self) -> date:
        """The day before its way."""
        return self.starts - timedelta(1)


class TargetOut(Kept):
    """A target."""

    id: int
    site: str
    client: str
    name: str
    metric: Metric
    over: Literal["site", "client"]
    filter: str
    tagged: str
    value: float
    starts: date
    by: date
    created_at: datetime


_LEVEL = "Of the 28 days to the last complete day, as if all were held; keywords as of that day."
_PATH = "Where the way stands on that day: from the start to the target, moved by what the year alone does."
_ENDS = "Where it ends when nothing changes but the year."


class TargetFigures(Wire):
    """How a target stands. course: none where it cannot be read, and lacks says why."""

    course: Course | None = column(
        "verdict",
        "course",
        "Ahead or behind where chance leaves the path so far in at most 5 of 100 cases; else on course.",
    )
    lacks: Lacks | None = column("verdict", "why not", "Why it cannot be read.")
    base: float | None = column("count", "at the start", "Of the 28 days before the start.")
    now: float | None = column("count", "now", _LEVEL)
    on: date | None = column("day", "as of", "The last complete day, or that of the target.")
    path: float | None = column("count", "path", _PATH)
    gap: float | None = column("share", "off the path", "Now over the path, less one.", signed=True)
    gain: float | None = column(
        "share", "to be gained", "What the target asks beyond what the year alone brings, over the whole way.",
        signed=True,
    )  # fmt: skip
    years: int = column("count", "years", "Earlier years that the season is told from; without one there is none.")
    ends: float | None = column("count", "ends at", _ENDS)
    ends_low: float | None = column("count", "at least", "The 95% interval of where it ends.")
    ends_high: float | None = column("count", "at most", "The 95% interval of where it ends.")


class TargetRow(TargetFigures):
    """One target of a list."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        *("number", "name", "metric", "value", "by", "course", "lacks", "now", "path", "gap", "gain", "ends"),
    )

    number: int = column("count", "number")
    name: str = column("text", "target")
    metric: Metric = column("verdict", "figure")
    narrowed: str = column("text", "of", "The filter or tag, or the client whose sites are taken together.")
    value: float = column("count", "to reach", "In the 28 days to the day; keywords on the day.")
    starts: date = column("day", "from")
    by: date = column("day", "by")
    days_to_go: int = column("count", "days to go", "To the day of the target.")


class CourseQuery(Paged):
    """Which targets."""

    only: Literal["all", "open", "behind", "over"] = Field(
        default="all", description="open: those whose day has not come; over: the others"
    )
    language: Language = Field(default="en", description="Of the sentences")


class CourseRead(Wire):
    """All targets of a site, as they stand."""

    site: str
    rows: list[TargetRow]
    offset: int
    matching: int = MATCHING
    behind: int
    reached: int
    cautions: list[Caution] = []
    sentences: list[Sentence] = Field(default=[], description="How they stand")


class TargetQuery(Question):
    """Which target."""

    number: int = word(ge=1, le=LARGEST, description="The target")
    language: Language = Field(default="en", description="Of the sentences")


class TargetPoint(Wire):
    """One day of the way, each seventh and the last."""

    SHOWN: ClassVar[tuple[str, ...]] = ("day", "now", "path", "low", "high", "alone")

    day: date = column("day", "day")
    now: float | None = column("count", "held", "Of the 28 days to the day; keywords as of the day.")
    path: float = column("count", "path", "From the start to the target, moved by what the year alone does.")
    low: float | None = column("count", "at least", "Less is behind: chance alone does that in 5 of 100 cases.")
    high: float | None = column("count", "at most", "More is ahead: chance alone does that in 5 of 100 cases.")
    alone: float | None = column("count", "the year alone", "The start, moved by what the year alone does.")


class TargetRead(TargetFigures):
    """A target with its whole way."""

    target: TargetOut
    site: str
    days_to_go: int = column("count", "days to go", "To the day of the target.")
    rows: list[TargetPoint]
    cautions: list[Caution] = []
    sentences: list[Sentence] = Field(default=[], description="How it stands")
