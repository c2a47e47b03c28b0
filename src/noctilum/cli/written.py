"""How the terminal writes the values of each kind of column."""

from __future__ import annotations

from typing import Any

from rich.text import Text

from noctilum.cli.output import count, percent, place, sparkline
from noctilum.wire.columns import Column
from noctilum.words.lacking import NOT_TOLD
from noctilum.words.speech import Speech

UNKNOWN = "–"


def written(column: Column, value: Any, speech: Speech) -> str | Text:
    """Write a value of a column; an en dash where it is not known. Differences have their sign, and colour if told."""
    if value is None:
        return UNKNOWN
    if value == "" and column.titled_by:
        return speech.text(NOT_TOLD)
    plain = _plain(column, value, speech)
    if not column.signed or not isinstance(value, int | float):
        return plain
    if not any(digit in plain for digit in "123456789"):
        return plain.removeprefix("−")
    text = f"+{plain}" if value > 0 else plain
    return Text(text, style=_colour(column, value) if text[0] in "+−" else "")


def _colour(column: Column, value: float) -> str:
    """Blue for better, rust for worse; a column that does not say which way is better is blue upwards."""
    better = value < 0 if column.better == "lower" else value > 0
    return "blue" if better else "red"


def _plain(column: Column, value: Any, speech: Speech) -> str:
    match column.kind:
        case "count":
            return count(value)
        case "rate":
            return percent(value, 2)
        case "share":
            return percent(value, 1 if column.signed else 0)
        case "points":
            return f"{value * 100:.2f}".replace("-", "−")
        case "place" | "places":
            return place(value).replace("-", "−")
        case "money":
            return f"{value:,.{2 if column.decimals is None else column.decimals}f}".replace("-", "−")
        case "number":
            return f"{value:,.{3 if column.decimals is None else column.decimals}f}".replace("-", "−")
        case "series":
            return sparkline(value)
        case "flag":
            return "yes" if value else ""
        case "texts":
            return "; ".join(map(str, value))
        case "weekday":
            return speech.numbers.weekday(value)
        case "month":
            return f"{value:%Y-%m}"
        case _:
            return str(value)
