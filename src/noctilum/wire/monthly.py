"""The monthly check as it crosses HTTP: the steps of a client's month, which were gone through, when and by whom."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal, get_args

from pydantic import Field

from noctilum.wire.base import Asked, Kept, Month, Wire
from noctilum.wire.questions import Question

StepName = Literal["change", "fading", "work", "keywords", "outcomes", "commentary", "report"]
STEPS: tuple[StepName, ...] = get_args(StepName)
"""In the order in which they are gone through."""
_MONTH = Field(default=None, description="As 2026-02; the last whole one without")


class MonthlyQuery(Question):
    """Which month."""

    month: Month | None = _MONTH


class MonthlyStep(Wire):
    """One step of a client's month. A step that the client has nothing for is passed over, with the reason."""

    step: StepName
    done: bool
    applies: bool
    why: str = Field(default="", description="Why it does not apply")
    by: str | None = Field(description="Who went through it, by e-mail address")
    at: datetime | None


class MonthlyEdition(Wire):
    """An edition of one of the client's reports that is of this month."""

    id: int
    report: int
    site: str
    name: str
    state: Literal["draft", "approved", "sent"]


class Monthly(Kept):
    """How far a client's month has been gone through."""

    client: str
    client_name: str
    month: str
    first: date
    last: date
    sites: list[str]
    steps: list[MonthlyStep]
    editions: list[MonthlyEdition]
    next: StepName | None = Field(description="The first step that is not done; none when all are")
    done: int
    of: int = Field(description="How many steps apply")
    through_at: datetime | None = Field(description="When the last step was done; none while one is not")


class MonthlyChange(Asked):
    """A step that was gone through, or not after all."""

    step: StepName
    done: bool = True


class MonthlyAtAGlance(Wire):
    """A client's month in one line."""

    client: str
    client_name: str
    site: str = Field(description="The first of its sites")
    month: str
    done: int
    of: int
    next: StepName | None
    by: list[str] = Field(description="Who went through steps of it")
    through_at: datetime | None
