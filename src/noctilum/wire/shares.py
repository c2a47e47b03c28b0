"""Shared pages as they cross HTTP."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field, SecretStr, model_validator

from noctilum.wire.base import Asked, Line, Wire
from noctilum.wire.questions import LARGEST, Question

Change = Literal["window", "against", "device", "country"]
MOST_DAYS = 3650


class SharesQuery(Question):
    """Which shared pages."""

    site: str | None = Field(default=None, max_length=300)
    client: str | None = Field(default=None, max_length=80)


class NewShare(Asked):
    """A page to share: one edition, or a report as it is today."""

    edition: int | None = Field(default=None, ge=1, le=LARGEST, description="One edition, as it was signed off")
    report: int | None = Field(default=None, ge=1, le=LARGEST, description="A report as it is today: a live page")
    label: Line = Field(default="", max_length=120, description="Whom it is for; only the agency sees it")
    days: int | None = Field(default=90, ge=1, le=MOST_DAYS, description="It ends after so many days; never without")
    password: SecretStr | None = Field(default=None, max_length=1000, description="Asked of its readers; none without")
    may_change: list[Change] = Field(default=["window", "against"], description="Of a live page, by its readers")
    sets: list[Annotated[str, Field(max_length=80)]] = Field(
        default=[], max_length=20, description="Saved sets that readers of a live page may choose from"
    )

    @model_validator(mode="after")
    def _one_of_both(self) -> NewShare:
        if (self.edition is None) == (self.report is None):
            raise ValueError("share either an edition or a report")
        return self


class ShareOut(Wire):
    """A shared page."""

    id: int
    address: str = Field(description="Whoever has it may look; send it to nobody else")
    report: int
    name: str
    site: str
    client: str
    edition: int | None
    live: bool
    label: str
    password: bool
    may_change: list[str]
    sets: list[str]
    until: datetime | None
    over: bool = Field(description="Revoked, or past its end")
    views: int
    seen_at: datetime | None
    created_at: datetime
    created_by: str


class ShareViewOut(Wire):
    """One look at a shared page."""

    at: datetime
    address: str = Field(description="The network it came from, not the machine")
    what: str
