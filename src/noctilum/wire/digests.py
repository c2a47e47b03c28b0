"""The digest as it crosses HTTP: how often somebody is mailed what calls out, and when never."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import Field, model_validator

from noctilum.wire.base import Asked, Hour, Line, Wire

Every = Literal["off", "day", "week"]
Weekday = Literal["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"]


class DigestChange(Asked):
    """How one is told by mail."""

    every: Every = Field(description="off: not at all")
    weekday: Weekday = Field(default="monday", description="Of a weekly one")
    at: Hour = Field(default="07:00", description="The hour, in the time zone, as 07:30")
    time_zone: Line = Field(default="UTC", max_length=60, description="IANA name")
    quiet_from: Hour | None = Field(default=None, description="Quiet hours begin")
    quiet_to: Hour | None = Field(default=None, description="Quiet hours end")

    @model_validator(mode="after")
    def _fits(self) -> DigestChange:
        if (self.quiet_from is None) != (self.quiet_to is None):
            raise ValueError("quiet hours have a beginning and an end")
        return self


class DigestOut(Wire):
    """How one is told by mail, and when next."""

    every: Every
    weekday: Weekday
    at: str
    time_zone: str
    quiet_from: str | None
    quiet_to: str | None
    next_at: datetime | None
    mail: bool = Field(description="Whether this install can send mail at all")


class DigestsMade(Wire):
    """What telling by mail came to."""

    mails: int = Field(description="Written, on their way")
    quiet: int = Field(description="Of those due, such as had nothing to tell")
