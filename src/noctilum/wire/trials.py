"""Trials as they cross HTTP: planned, running, ended early, read."""

from __future__ import annotations

from datetime import date
from typing import Annotated, ClassVar, Literal

from pydantic import BeforeValidator, Field, model_validator

from noctilum.wire.base import Asked, Day, Kept, Line, Wire
from noctilum.wire.columns import column
from noctilum.wire.questions import LARGEST, Language, Question, parted, word
from noctilum.wire.readings import Caution, Sentence

Kind = Literal["page", "query"]
State = Literal["planned", "running", "ended early", "read"]
Verdict = Literal["better", "worse", "no effect can be shown", "too few to tell", "waits"]
MOST = 2_000
Names = Annotated[list[Annotated[Line, Field(min_length=1, max_length=4000)]], Field(max_length=MOST)]


class TrialsQuery(Question):
    """Whose trials."""

    site: str | None = Field(default=None, max_length=300, description="Those of this site")


class LogLine(Asked):
    """What was changed, and when."""

    day: Day
    text: Line = Field(min_length=1, max_length=1000)


class LogOut(Wire):
    """What was changed, and when."""

    day: date
    text: str


class NewTrial(Asked):
    """A planned test: pages or queries that are changed, and a control that is not."""

    site: Line = Field(min_length=1, max_length=300)
    name: Line = Field(min_length=1, max_length=120)
    what: str = Field(default="", max_length=2000, description="What is changed")
    of: Kind = Field(default="page", description="What is treated")
    treated: Names = Field(min_length=1, description="What is changed")
    control: Names = Field(default=[], description="What is left as it is; the rest of the site without any")
    starts: Day = Field(description="The first day with the change")
    weeks: int = Field(default=4, ge=1, le=26, description="Whole weeks from that day on that are read")
    ended_on: Day | None = Field(default=None, description="The day on which it was ended before its time")
    log: list[LogLine] = Field(default=[], max_length=200, description="What was changed, and when")

    @model_validator(mode="after")
    def _fits(self) -> NewTrial:
        if shared := set(self.treated) & set(self.control):
            raise ValueError(f"{sorted(shared)[0]} is treated and control at once")
        if self.ended_on is not None and self.ended_on < self.starts:
            raise ValueError("a trial ends on or after its first day")
        return self


class TrialOut(Kept):
    """A trial."""

    id: int
    site: str
    name: str
    what: str
    of: Kind
    treated: list[str]
    control: list[str]
    starts: date
    weeks: int
    ended_on: date | None
    log: list[LogOut]


class TrialQuery(Question):
    """Which trial."""

    number: int = word(ge=1, le=LARGEST, description="The trial")
    language: Language = Field(default="en", description="Of the sentences")


class TrialWeek(Wire):
    """One week of a trial; figures of weeks after its start are none until it may be read."""

    SHOWN: ClassVar[tuple[str, ...]] = ("first", "part", "treated", "control", "expected", "low", "high")

    first: date = column("day", "week", "Its first day; weeks are counted from the start of the trial.")
    part: Literal["before", "after"] = column("verdict", "part")
    treated: int | None = column("count", "treated", "Clicks of what is changed; none where a day is not held.")
    control: int | None = column("count", "control", "Clicks of what is left as it is.")
    expected: float | None = column(
        "count", "expected", "Control × the usual ratio of treated to control in the 12 weeks before."
    )
    low: float | None = column("count", "at least", "What the treated may have by chance, 95 of 100 weeks.")
    high: float | None = column("count", "at most", "What the treated may have by chance, 95 of 100 weeks.")


class SecondaryRow(Wire):
    """Other figures of the treated or the control, before or after: they tell no verdict."""

    SHOWN: ClassVar[tuple[str, ...]] = ("group", "part", "impressions", "ctr", "position", "sessions", "conversions")

    group: Literal["treated", "control"] = column("verdict", "group")
    part: Literal["before", "after"] = column("verdict", "part")
    impressions: float = column(
        "number", "impressions a week", "Over the 12 weeks before, or the weeks after.", decimals=1
    )
    ctr: float | None = column("rate", "click-through", "Over the 12 weeks before, or the weeks after.")
    position: float | None = column("place", "position", "Over the 12 weeks before, or the weeks after.")
    sessions: float | None = column(
        "number",
        "sessions a week",
        "Organic sessions on treated or control pages, where all the days are held.",
        decimals=1,
    )
    conversions: float | None = column(
        "number", "conversions a week", "Of these sessions; none before any was counted.", decimals=1
    )


class TrialRead(Wire):
    """A trial as it stands. Nothing of its effect is told before its weeks are complete, or it was ended."""

    trial: TrialOut
    site: str
    state: State
    verdict: Verdict
    effect: float | None = column(
        "share", "effect", "Treated against control, after against the 12 weeks before.", signed=True
    )
    low: float | None = column("share", "at least", "The 95% interval of the effect.", signed=True)
    high: float | None = column("share", "at most", "The 95% interval of the effect.", signed=True)
    ready: date = Field(description="The last day of its weeks, after which it is read")
    days_to_go: int = column("count", "days to go", "Until its last week is complete.")
    weeks_before: int = column("count", "weeks before", "Of the 12 before its start, those wholly held.")
    weeks_after: int = column("count", "weeks after", "Of its weeks, those wholly held.")
    smallest: float | None = column(
        "share", "smallest effect", "The smallest rise that it shows in four of five cases.", signed=True
    )
    weeks_for_tenth: int | None = column(
        "count", "weeks for 10%", "How many weeks it takes to show a rise of a tenth; none where a year would not do."
    )
    rows: list[TrialWeek]
    secondary: list[SecondaryRow]
    held_through: date
    cautions: list[Caution]
    sentences: list[Sentence] = Field(default=[], description="What it came to")


class PlanQuery(Question):
    """What a trial is to treat."""

    treated: Annotated[Names, BeforeValidator(parted)] = word(
        min_length=1, description="Pages or queries that would be changed, commas between them", in_path=False
    )
    of: Kind = Field(default="page", description="What they are")
    weeks: int = Field(default=4, ge=1, le=26, description="How long it would run")
    limit: int = Field(default=12, ge=1, le=200, description="How many controls to suggest")
    language: Language = Field(default="en", description="Of the sentences")


class ControlRow(Wire):
    """One page or query whose past moves as the treated does."""

    key: str = column("text", "what", titled_by="of", named_by="of")
    likeness: float = column("number", "likeness", "Correlation of week-to-week changes, 26 weeks.", decimals=2)
    clicks: int = column("count", "clicks", "Of the 26 weeks.")


class TrialPlan(Wire):
    """What a trial could show before it starts, against the controls that are suggested, or the rest of the site."""

    site: str
    of: Kind
    rows: list[ControlRow]
    smallest: float | None = column(
        "share", "smallest effect", "The smallest rise that it would show in four of five cases.", signed=True
    )
    smallest_beside_rest: float | None = column(
        "share", "beside the rest", "The same without a control, beside the rest of the site.", signed=True
    )
    weeks_for_tenth: int | None = column("count", "weeks for 10%", "How long it would take to show a rise of a tenth.")
    weeks: int
    clicks: int = column("count", "clicks", "Of the treated in the 26 weeks before.")
    weeks_before: int = column("count", "weeks before", "Of the 26 before, those wholly held.")
    held_through: date
    cautions: list[Caution] = []
    sentences: list[Sentence] = []
