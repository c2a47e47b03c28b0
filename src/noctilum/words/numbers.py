"""Numbers and dates in a language's conventions."""

from __future__ import annotations

from datetime import date

from babel import Locale, UnknownLocaleError
from babel.dates import format_date, get_day_names
from babel.numbers import format_decimal, format_percent


class Numbers:
    """Write figures the way readers of a language expect; English where the language is not known."""

    def __init__(self, language: str) -> None:
        try:
            self.locale = Locale.parse(language, sep="-")
        except (ValueError, UnknownLocaleError):
            self.locale = Locale("en", "GB")
        if str(self.locale) == "en":
            self.locale = Locale("en", "GB")
        self._percent = self.locale.percent_formats[None].pattern

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
        return _minus(
            format_percent(ratio, format=self._percent.replace("#,##0", f"#,##0.{'0' * digits}"), locale=self.locale)
        )

    def signed_percent(self, ratio: float | None) -> str:
        """Write a relative change; "new" from nothing."""
        return "new" if ratio is None else f"{'+' if ratio > 0 else ''}{self.percent(ratio)}"

    def place(self, value: float | None) -> str:
        """Write an average place; an en dash where it is undefined."""
        return "–" if value is None else format_decimal(value, format="#,##0.0", locale=self.locale)

    def day(self, value: date) -> str:
        """Write a day in full."""
        return format_date(value, format="long", locale=self.locale)

    def weekday(self, number: int) -> str:
        """Write a day of the week; 0 is Monday."""
        return str(get_day_names("wide", context="stand-alone", locale=self.locale)[number])

    def month(self, value: date) -> str:
        """Write the month of a day."""
        return format_date(value, format="MMMM y", locale=self.locale)

    def decimal(self, value: float, digits: int) -> str:
        """Write a number with some digits after the point."""
        return _minus(format_decimal(value, format=f"#,##0.{'0' * digits}", locale=self.locale))

    def short_day(self, value: date) -> str:
        """Write a day without its year."""
        return format_date(value, format="d MMM", locale=self.locale)

    def span(self, first: date, last: date) -> str:
        """Write a run of days."""
        return f"{self.day(first)} – {self.day(last)}"


def _minus(text: str) -> str:
    return text.replace("-", "−")
