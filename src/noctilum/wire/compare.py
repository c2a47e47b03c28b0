"""Readings that set things side by side: days of the week, devices, what is shown and what is clicked."""

from __future__ import annotations

from typing import ClassVar, Literal

from noctilum.wire.base import Wire
from noctilum.wire.columns import column, group
from noctilum.wire.common_columns import MATCHING, TERM_CPC, TERM_VOLUME
from noctilum.wire.readings import Figures, Reading


class Weekday(Wire):
    """One day of the week; 0 is Monday."""

    SHOWN: ClassVar[tuple[str, ...]] = (
        *("weekday", "clicks_a_day", "clicks_a_day_before", "share", "impressions_a_day", "ctr", "position", "days"),
    )

    weekday: int = column("weekday", "day")
    days: int = column("count", "days", "Held days of the window that count.")
    now: Figures = group(ending="")
    clicks_a_day: float | None = column(
        "count", "clicks a day", "Clicks of these weekdays over how many of them are held.", better="higher"
    )
    impressions_a_day: float | None = column(
        "count", "impressions a day", "Impressions of these weekdays over how many of them are held.", better="higher"
    )
    share: float | None = column("share", "of the mean", "Clicks a day on this weekday over those of all days.")
    clicks_a_day_before: float | None = column(
        "count", "clicks a day before", "The same over the days of the window compared with."
    )


class Weekdays(Reading):
    """The profile of a week."""

    rows: list[Weekday]
    clicks_a_day: float = column("count", "clicks a day", "Clicks of the window over its held days.")


class UnclickedRow(Wire):
    """One query on one page that goes unclicked: seen, with far fewer clicks than its place lets expect."""

    TERM: ClassVar[tuple[str, ...]] = ("query",)
    SHOWN: ClassVar[tuple[str, ...]] = (
        "query",
        "page",
        "impressions",
        "position",
        "ctr",
        "clicks",
        "expected",
        "missing",
        *("volume", "cpc"),
    )

    query: str = column("text", "query")
    page: str = column("text", "page")
    figures: Figures = group(ending="")
    expected: float = column(
        "count", "expected", "Impressions × click-through of the place, by the curve of the site without brand queries."
    )
    missing: float = column(
        "count",
        "missing",
        "Clicks to be expected less those that came; listed where at most half came and so few would come by chance "
        "in at most one case of a hundred.",
    )
    p: float = column("number", "p", "How likely so few clicks would be by chance.")
    volume: int | None = TERM_VOLUME
    cpc: float | None = TERM_CPC


class Unclicked(Reading):
    """Impressions without clicks, most missing first."""

    rows: list[UnclickedRow]
    offset: int
    matching: int = MATCHING
    missing: float = column("count", "missing", "Of all rows found, added up.")


class DeviceGapRow(Wire):
    """One query on mobile and on desktop."""

    TERM: ClassVar[tuple[str, ...]] = ("query",)
    SHOWN: ClassVar[tuple[str, ...]] = (
        "query",
        *("impressions_mobile", "position_mobile", "ctr_mobile"),
        *("impressions_desktop", "position_desktop", "ctr_desktop"),
        *("gap", "worse", "gain", "volume", "cpc"),
    )

    query: str = column("text", "query")
    mobile: Figures = group("mobile")
    desktop: Figures = group("desktop")
    gap: float = column(
        "places", "apart", "Place on mobile less place on desktop; above 0 mobile is worse.", signed=True
    )
    worse: Literal["mobile", "desktop"] = column("verdict", "worse on", "The device with the lower place.")
    gain: float = column(
        "count",
        "gain",
        "Impressions on the worse device × (its click-through at the better place − at its own), by its own curve.",
        better="higher",
        signed=True,
    )
    volume: int | None = TERM_VOLUME
    cpc: float | None = TERM_CPC


class DeviceGap(Reading):
    """Mobile against desktop by query, most to be gained first."""

    rows: list[DeviceGapRow]
    mobile: Figures = group("mobile")
    desktop: Figures = group("desktop")
    offset: int
    matching: int = MATCHING
    fewest: float
