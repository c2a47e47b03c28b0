"""Numbers and dates in a language's conventions."""

from __future__ import annotations

from datetime import date
from typing import Literal

from babel import Locale, UnknownLocaleError
from babel.dates import format_date
from babel.numbers import format_decimal, format_percent

Direction = Literal["better", "worse", "level"]


class Numbers:
    """Write figures the way readers of a language expect; English where the language is not known."""

    def __init__(self, language: str) -> None:
        try:
            self.locale = Locale.parse(language, sep="-")
        except (ValueError, UnknownLocaleError):
            self.locale = Locale("en")

    def count(self, value: float) -> str:
        """Write a whole count."""
        return _minus(format_decimal(round(value), locale=self.locale))

    def signed(self, value: float) -> str:
        """Write a whole count with its sign."""
        return f"{'+' if round(value) > 0 else ''}{self.count(value)}"

    def percent(self, ratio: float | None, digits: int = 1) -> str:
        """Write a ratio as percent; an en dash where it is undefined."""
        if ratio is None:
            return "–"
        return _minus(format_percent(ratio, format=f"#,##0.{'0' * digits}%", locale=self.locale))

    def signed_percent(self, ratio: float | None) -> str:
        """Write a relative change; "new" from nothing."""
        return "new" if ratio is None else f"{'+' if ratio > 0 else ''}{self.percent(ratio)}"

    def points(self, difference: float | None) -> str:
        """Write a difference of click-through in points."""
        if difference is None:
            return "–"
        sign = "+" if difference > 0 else ""
        return f"{sign}{_minus(format_decimal(difference * 100, format='#,##0.00', locale=self.locale))} points"

    def place(self, value: float | None) -> str:
        """Write an average place; an en dash where it is undefined."""
        return "–" if value is None else format_decimal(value, format="#,##0.0", locale=self.locale)

    def day(self, value: date) -> str:
        """Write a day in full."""
        return format_date(value, format="d MMMM y", locale=self.locale)

    def short_day(self, value: date) -> str:
        """Write a day without its year."""
        return format_date(value, format="d MMM", locale=self.locale)

    def span(self, first: date, last: date) -> str:
        """Write a run of days."""
        return f"{self.day(first)} – {self.day(last)}"


def _minus(text: str) -> str:
    return text.replace("-", "−")


LEVEL_PLACES = 0.25
LEVEL_POINTS = 0.0015


def direction(measure: str, difference: float | None) -> Direction:
    """Say whether a change is better or worse; places within 0.25 and click-through within 0.15 points are level."""
    if difference is None:
        return "level"
    if measure == "position":
        return "level" if abs(difference) < LEVEL_PLACES else ("better" if difference < 0 else "worse")
    if measure == "ctr" and abs(difference) < LEVEL_POINTS:
        return "level"
    return "level" if difference == 0 else ("better" if difference > 0 else "worse")


def places_text(numbers: Numbers, difference: float | None) -> str:
    """Write a change of place as people say it."""
    if difference is None:
        return "–"
    if abs(difference) < LEVEL_PLACES:
        return "level"
    return f"{numbers.place(abs(difference))} {'up' if difference < 0 else 'down'}"


def readable(colour: str, least: float = 4.5) -> str:
    """Darken a colour until it stands out from white by least (WCAG 2.2 contrast ratio).

    >>> readable("#000000")
    '#000000'
    """
    red, green, blue = (int(colour[i : i + 2], 16) for i in (1, 3, 5))
    while _contrast(red, green, blue) < least:
        red, green, blue = (int(part * 0.93) for part in (red, green, blue))
    return f"#{red:02X}{green:02X}{blue:02X}"


def _contrast(*channels: int) -> float:
    linear = [(c / 255 / 12.92) if c / 255 <= 0.04045 else ((c / 255 + 0.055) / 1.055) ** 2.4 for c in channels]
    luminance = 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]
    return 1.05 / (luminance + 0.05)
