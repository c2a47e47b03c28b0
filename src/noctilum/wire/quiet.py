"""Quiet hours, as they are asked for: when nothing is sent, by the clock of a place."""

from __future__ import annotations

from typing import Self

from pydantic import Field, model_validator

from noctilum.wire.base import Asked, Hour, Line


class QuietHours(Asked):
    """When nothing is sent; they may reach over midnight."""

    time_zone: Line = Field(default="UTC", max_length=60, description="IANA name")
    quiet_from: Hour | None = Field(default=None, description="Quiet hours begin")
    quiet_to: Hour | None = Field(default=None, description="Quiet hours end")

    @model_validator(mode="after")
    def _both(self) -> Self:
        if (self.quiet_from is None) != (self.quiet_to is None):
            raise ValueError("quiet hours have a beginning and an end")
        return self
