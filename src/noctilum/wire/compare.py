"""Readings that set things side by side: days of the week, devices, what is shown and what is clicked."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from noctilum.wire.base import Wire
from noctilum.wire.readings import Figures, Reading


class Weekday(Wire):
    """One day of the week; 0 is Monday."""

    weekday: int
    days: int = Field(description="Held days of the window that count")
    now: Figures
    clicks_a_day: float | None
    impressions_a_day: float | None
    share: float | None = Field(description="Clicks a day over those of all days")
    clicks_a_day_before: float | None


class Weekdays(Reading):
    """The profile of a week."""

    rows: list[Weekday]
    clicks_a_day: float


class UnclickedRow(Wire):
    """One query on one page that is seen and passed over."""

    query: str
    page: str
    figures: Figures
    expected: float = Field(description="Clicks by the site's curve at its place")
    missing: float
    p: float = Field(description="How likely so few clicks would be")


class Unclicked(Reading):
    """Impressions without clicks, most missing first."""

    rows: list[UnclickedRow]
    offset: int
    matching: int
    missing: float = Field(description="Of all rows found")


class DeviceGapRow(Wire):
    """One query on mobile and on desktop."""

    query: str
    mobile: Figures
    desktop: Figures
    gap: float = Field(description="Mobile place less desktop place; above 0 mobile is worse")
    worse: Literal["mobile", "desktop"]
    gain: float = Field(description="Clicks if the worse device stood where the other does")


class DeviceGap(Reading):
    """Mobile against desktop by query, most to be gained first."""

    rows: list[DeviceGapRow]
    mobile: Figures
    desktop: Figures
    offset: int
    matching: int
    fewest: float
