"""Windows of days, what they are compared with, and the buckets a timeline is drawn in."""

from __future__ import annotations

import re
from calendar import monthrange
from dataclasses import dataclass
from datetime import date, timedelta
from enum import StrEnum
from functools import cached_property

from noctilum.core.errors import Nonsense, worded

_DURATION = re.compile(r"P(?:(\d+)Y)?(?:(\d+)M)?(?:(\d+)W)?(?:(\d+)D)?")
_MONTH = re.compile(r"(\d{4})-(\d{2})")
_QUARTER = re.compile(r"(\d{4})-Q([1-4])")
_YEAR = re.compile(r"\d{4}")
YEAR_SHIFT = 364
"""Days back for a year's comparison: 52 whole weeks, so that weekdays line up (ours)."""
MOST_DAYS = 366 * 60
EARLIEST, LATEST = date(1970, 1, 1), date(2199, 12, 31)
"""No day outside these is asked of, kept or pulled: such years are slips, and sums overflow at the calendar's ends."""


class Bucket(StrEnum):
    """Name the width of a timeline's steps."""

    DAY = "day"
    WEEK = "week"
    MONTH = "month"
    QUARTER = "quarter"


@dataclass(frozen=True)
class Window:
    """Hold an inclusive run of days. Raises Nonsense when it ends before it begins.

    calendar says it was asked for as a calendar month or year, which is compared with the
    same month or year rather than with a shift of days.
    """

    first: date
    last: date
    calendar: bool = False

    def __post_init__(self) -> None:
        if self.last < self.first:
            raise Nonsense(
                "window-backwards",
                worded("The window ends on {last} before it begins on {first}.", last=self.last, first=self.first),
                remedy="write the earlier day first, like 2026-01-01/2026-03-31",
            )

    def __len__(self) -> int:
        return (self.last - self.first).days + 1

    def __contains__(self, day: object) -> bool:
        return isinstance(day, date) and self.first <= day <= self.last

    def days(self) -> tuple[date, ...]:
        """Give every day, oldest first."""
        return self._days

    @cached_property
    def _days(self) -> tuple[date, ...]:
        start = self.first.toordinal()
        return tuple(map(date.fromordinal, range(start, start + len(self))))

    @property
    def text(self) -> str:
        """The ISO 8601 interval, like 2026-01-01/2026-03-31."""
        return f"{self.first.isoformat()}/{self.last.isoformat()}"


def parse_window(text: str, *, ends_on: date, starts_on: date | None = None) -> Window:
    """Read a window as a person writes it.

    Durations (P28D, P12W, P3M, P1Y) end on ends_on, the last complete day; "month" runs from the first of its month
    to ends_on, "last-month" is the newest whole month, "last-week" the newest from Monday to Sunday. A month (2026-03),
    a quarter (2026-Q1), a year (2026) or an interval (2026-01-01/2026-03-31, either side may be a duration) stand for
    themselves. "all" runs from starts_on to ends_on. Raises Nonsense with an example otherwise.

    >>> parse_window("P28D", ends_on=date(2026, 3, 17)).text
    '2026-02-18/2026-03-17'
    >>> parse_window("2026-02", ends_on=date(2026, 3, 17)).text
    '2026-02-01/2026-02-28'
    >>> parse_window("2025-Q4", ends_on=date(2026, 3, 17)).text
    '2025-10-01/2025-12-31'
    >>> [parse_window(text, ends_on=date(2026, 3, 17)).text for text in ("last-month", "last-week")]
    ['2026-02-01/2026-02-28', '2026-03-09/2026-03-15']
    """
    asked = text.strip()
    if asked == "month":
        return Window(month_start(ends_on), ends_on)
    if asked == "last-month":
        first = month_start(ends_on + timedelta(1))
        return Window(month_start(first - timedelta(1)), first - timedelta(1), calendar=True)
    if asked == "last-week":
        last = ends_on - timedelta((ends_on.weekday() + 1) % 7)
        return Window(last - timedelta(6), last)
    if asked == "all":
        return Window(min(starts_on or ends_on, ends_on), ends_on)
    try:
        window = _parse(asked, ends_on)
    except (ValueError, OverflowError) as why:
        raise _not_a_window(text, str(why)) from why
    if window is None:
        raise _not_a_window(text)
    if len(window) > MOST_DAYS:
        raise _not_a_window(text, "it spans more than 60 years")
    if window.first < EARLIEST or window.last > LATEST:
        raise _not_a_window(text, f"its days are not all of the years {EARLIEST.year} to {LATEST.year}")
    return window


def _parse(asked: str, ends_on: date) -> Window | None:
    if "/" in asked:
        return _interval(asked)
    if asked.startswith("P"):
        return Window(_back(ends_on, asked) + timedelta(1), ends_on)
    if _YEAR.fullmatch(asked):
        return Window(date(int(asked), 1, 1), date(int(asked), 12, 31), calendar=True)
    if quarter := _QUARTER.fullmatch(asked):
        first = date(int(quarter[1]), 3 * int(quarter[2]) - 2, 1)
        return Window(first, month_end(shift_months(first, 2)), calendar=True)
    if month := _MONTH.fullmatch(asked):
        year, number = int(month[1]), int(month[2])
        return Window(date(year, number, 1), month_end(date(year, number, 1)), calendar=True)
    return None


def _interval(asked: str) -> Window:
    left, right = asked.split("/", 1)
    if left.startswith("P"):
        last = date.fromisoformat(right)
        return Window(_back(last, left) + timedelta(1), last)
    first = date.fromisoformat(left)
    if right.startswith("P"):
        return Window(first, _shift(first, right, +1) - timedelta(1))
    last = date.fromisoformat(right)
    whole = first.day == 1 and last == month_end(first)
    return Window(first, last, calendar=whole)


def _back(last: date, duration: str) -> date:
    return _shift(last, duration, -1)


def _shift(day: date, duration: str, sign: int) -> date:
    match = _DURATION.fullmatch(duration)
    if not match or not any(match.groups()):
        raise ValueError(f"{duration!r} is not a duration")
    years, months, weeks, days = (int(part or 0) for part in match.groups())
    if years + months + weeks + days == 0:
        raise ValueError("it has no days")
    moved = shift_months(day, sign * (12 * years + months))
    return moved + timedelta(sign * (7 * weeks + days))


def _not_a_window(text: str, why: str = "") -> Nonsense:
    because = f": {why}" if why else ""
    return Nonsense(
        "not-a-window",
        worded("{text!r} cannot be read as a window{because}.", text=text, because=because),
        where="window",
        remedy="write P28D, P12M, month, 2026-03, 2026-Q1, 2026, all, or 2026-01-01/2026-03-31",
    )


def shift_months(day: date, months: int) -> date:
    """Move a day by whole months, held to the last day of a shorter month.

    >>> shift_months(date(2026, 3, 31), -1)
    datetime.date(2026, 2, 28)
    """
    index = day.year * 12 + day.month - 1 + months
    year, month = divmod(index, 12)
    return date(year, month + 1, min(day.day, monthrange(year, month + 1)[1]))


def month_start(day: date) -> date:
    """Give the first day of the day's month."""
    return day.replace(day=1)


def month_end(day: date) -> date:
    """Give the last day of the day's month."""
    return day.replace(day=monthrange(day.year, day.month)[1])


def against_window(window: Window, against: str, *, ends_on: date) -> Window | None:
    """Find the window to compare with: "before", "year", "none", or any window.

    before: the same number of days just before (a calendar month: the month before). year: 364
    days earlier, so that weekdays line up (a calendar month or year: the same one a year earlier).

    >>> w = Window(date(2026, 2, 18), date(2026, 3, 17))
    >>> against_window(w, "before", ends_on=w.last).text, against_window(w, "year", ends_on=w.last).text
    ('2026-01-21/2026-02-17', '2025-02-19/2025-03-18')
    """
    if against == "none":
        return None
    if against == "before":
        return _just_before(window)
    if against == "year":
        if window.calendar:
            return Window(
                shift_months(window.first, -12),
                month_end(shift_months(window.last, -12)),
                calendar=True,
            )
        shift = timedelta(YEAR_SHIFT)
        return Window(window.first - shift, window.last - shift)
    return parse_window(against, ends_on=ends_on)


def _just_before(window: Window) -> Window:
    if window.calendar:
        months = (window.last.year - window.first.year) * 12 + window.last.month - window.first.month + 1
        first = shift_months(window.first, -months)
        return Window(first, window.first - timedelta(1), calendar=True)
    length = timedelta(len(window))
    return Window(window.first - length, window.last - length)


def bucket_start(day: date, bucket: Bucket, week_start: int = 0) -> date:
    """Give the first day of the bucket a day falls in; weeks start on week_start (0 = Monday)."""
    if bucket is Bucket.QUARTER:
        return date(day.year, (day.month - 1) // 3 * 3 + 1, 1)
    if bucket is Bucket.MONTH:
        return month_start(day)
    if bucket is Bucket.WEEK:
        return day - timedelta((day.weekday() - week_start) % 7)
    return day


def bucket_end(start: date, bucket: Bucket) -> date:
    """Give the last day of the bucket that starts on start."""
    if bucket is Bucket.QUARTER:
        return month_end(shift_months(start, 2))
    if bucket is Bucket.MONTH:
        return month_end(start)
    return start + timedelta(6 if bucket is Bucket.WEEK else 0)


def span_end(span: str, first: date) -> date | None:
    """Give the last day of the day, ISO week or month that begins on a day; None where none does.

    >>> span_end("week", date(2026, 3, 2)), span_end("month", date(2026, 3, 2)), span_end("day", date(2026, 3, 2))
    (datetime.date(2026, 3, 8), None, datetime.date(2026, 3, 2))
    """
    if span == "day":
        return first
    if span == "week":
        return first + timedelta(6) if first.weekday() == 0 else None
    return month_end(first) if first.day == 1 else None
