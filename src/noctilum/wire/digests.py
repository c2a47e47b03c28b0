"""The digest as it crosses HTTP: how often somebody is mailed what calls out, and when never."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import Field

from noctilum.wire.base import Hour, Wire
from noctilum.wire.quiet import QuietHours

Every = Literal["off", "day", "week"]
Weekday = Literal["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"]


class DigestChange(QuietHours):
    """How one is told by mail."""

    every: Every = Field(description="off: not at all")
    weekday: Weekday = Field(default="monday", description="Of a weekly one")
    at: Hour = Field(default="07:00", description="The hour, in the time zone, as 07:30")


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
