"""Rules of alerts as they cross HTTP: own ones, and what is changed of those that ship."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, model_validator

from noctilum.wire.base import Asked, Kept, Line
from noctilum.wire.breaks import SHIPPED, Sure
from noctilum.wire.questions import Question

LONGEST_LASTING = 14


class AlertRulesQuery(Question):
    """Which rules."""

    site: str | None = Field(default=None, max_length=300, description="Those that are asked of this site")


class NewAlertRule(Asked):
    """What calls out. Under the name of a shipped rule it stands in that one's place, as far as it says anything."""

    name: Line = Field(min_length=1, max_length=40)
    on: bool = Field(default=True, description="Whether it is asked at all")
    sites: list[Line] = Field(default=[], max_length=500, description="Only of these; of all without")
    lasting: int = Field(
        default=1, ge=1, le=LONGEST_LASTING, description="On so many complete days in a row it must hold"
    )
    reading: Line = Field(default="", max_length=40, description="Whose rows are looked through")
    condition: str = Field(default="", max_length=2000, description="On its columns, in the filter language")
    window: Line = Field(default="", max_length=40, description="Over which it is asked, up to the day, as P28D")
    asked: dict[str, str | int] = Field(default={}, max_length=20, description="What else the reading is asked")
    key: Line = Field(default="", max_length=60, description="The column that says what a row is about")
    since: Line = Field(default="", max_length=60, description="The column that says since when")
    sure: Sure = "likely"

    @model_validator(mode="after")
    def _fits(self) -> NewAlertRule:
        if self.name in SHIPPED and (self.reading or self.window or self.asked or self.key or self.since):
            raise ValueError("of a shipped rule only the condition, the sites, how long it lasts and on are changed")
        if self.name not in SHIPPED and not (self.reading and self.condition):
            raise ValueError("a rule of one's own has a reading and a condition")
        return self


class AlertRuleOut(Kept):
    """A rule that somebody keeps. shipped: it stands in the place of the shipped one of its name."""

    id: int
    name: str
    shipped: bool
    on: bool
    sites: list[str]
    lasting: int
    reading: str
    condition: str
    window: str
    asked: dict[str, str | int]
    key: str
    since: str
    sure: Literal["certain", "almost certain", "likely"]
