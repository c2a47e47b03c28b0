"""The machine's own clock, asked here and nowhere else; what day it is for people is told by service/clock.py."""

from __future__ import annotations

from datetime import UTC, datetime


def moment() -> datetime:
    """Give the moment by the machine's clock, in UTC."""
    return datetime.now(UTC)


def age(written: float) -> float:
    """Give the seconds since a file's time, which is of the machine's clock too."""
    return moment().timestamp() - written
