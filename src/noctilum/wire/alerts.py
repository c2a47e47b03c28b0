"""Alerts as they cross HTTP: what called out, told once, until it is over or somebody has seen to it."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal

from pydantic import Field, model_validator

from noctilum.wire.base import Asked, Day, Kept, Line, Wire
from noctilum.wire.breaks import RuleName, Sure
from noctilum.wire.questions import Question

AlertState = Literal["open", "acknowledged", "snoozed", "muted", "closed"]


class AlertsQuery(Question):
    """Which alerts."""

    site: str | None = Field(default=None, max_length=300, description="Those of this site")
    client: str | None = Field(default=None, max_length=80, description="Those of this client's sites")
    state: Literal["calling", "open", "acknowledged", "snoozed", "muted", "closed", "all"] = Field(
        default="calling", description="calling: open and acknowledged"
    )
    language: Literal["en", "de", "fr", "es", "nb"] = Field(default="en", description="Of what they say")


class AlertOut(Kept):
    """Something that called out, as it was when it was last found."""

    id: int
    site: str
    client: str
    rule: RuleName | str
    key: str = Field(description="The page, keyword, domain or source; empty for the site")
    since: date | None
    sure: Sure
    look: str = Field(description="The reading that tells more")
    text: str = Field(description="What is so, since when and by how much, in the language asked for")
    state: AlertState
    until: date | None = Field(description="A snoozed one calls again from this day on, if it is still so")
    reason: str
    by: str | None = Field(description="Who saw to it")
    opened_at: datetime
    closed_at: datetime | None
    together: int = Field(description="So many sites call out by this rule since about the same day, with this one")


class AlertChange(Asked):
    """What somebody does about an alert. Muted ones never call again, whether it is over in between or not."""

    state: Literal["open", "acknowledged", "snoozed", "muted"]
    until: Day | None = Field(default=None, description="Of snoozing")
    reason: Line = Field(default="", max_length=500, description="Of muting")

    @model_validator(mode="after")
    def _fits(self) -> AlertChange:
        if (self.state == "snoozed") != (self.until is not None):
            raise ValueError("snoozing is until a day, and nothing else is")
        if self.state == "muted" and not self.reason.strip():
            raise ValueError("an alert is muted with a reason")
        return self


class FeedOut(Wire):
    """Where programs read somebody's alerts; whoever has the address may read them."""

    address: str


class LookedAt(Wire):
    """What looking through sites came to."""

    sites: int = Field(description="Looked through")
    opened: int = Field(description="Alerts that called out anew")
    closed: int = Field(description="Alerts that are over")
    failed: int = Field(description="Sites that could not be looked through")
