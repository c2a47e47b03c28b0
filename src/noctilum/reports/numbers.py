"""How a report writes changes, and colours that can be read."""

from __future__ import annotations

import re
from typing import Any

from noctilum.wire.columns import Column
from noctilum.wire.readings import Change
from noctilum.words.lacking import NOT_TOLD
from noctilum.words.speech import Speech
from noctilum.words.teller import message
from noctilum.words.values import called, dimension_of


def places_text(speech: Speech, change: Change | None) -> str:
    """Write a change of place as people say it."""
    if change is None or change.position is None:
        return "–"
    if change.ways.position == "level":
        return speech.say("level")
    up, down = message("{places} up"), message("{places} down")
    rose = change.ways.position == "better"
    return speech.say(up if rose else down, places=speech.numbers.place(abs(change.position)))


def points_text(speech: Speech, difference: float | None) -> str:
    """Write a difference of click-through in points."""
    if difference is None:
        return "–"
    sign = "+" if difference > 0 else ""
    return speech.say("{points} points", points=f"{sign}{speech.numbers.decimal(difference * 100, 2)}")


def ratio_text(speech: Speech, ratio: float | None) -> str:
    """Write a relative change; one from nothing is new."""
    return speech.text(message("new")) if ratio is None else speech.numbers.signed_percent(ratio)


def written(column: Column, value: Any, speech: Speech, whole: Any = None) -> str:
    """Write a value of a column; an en dash where it is not known. whole: the answer, which may say what it holds."""
    if value is None:
        return "–"
    if value == "" and column.titled_by:
        return speech.text(NOT_TOLD)
    if column.titled_by and isinstance(value, str):
        return called(dimension_of(column, whole), value, speech)
    numbers = speech.numbers
    if column.kind == "count":
        return numbers.signed(value) if column.signed else numbers.count(value)
    if column.kind in ("rate", "share"):
        return numbers.signed_percent(value) if column.signed else numbers.percent(value)
    if column.kind == "points":
        return points_text(speech, value)
    if column.kind in ("place", "places"):
        return numbers.place(value)
    if column.kind == "money":
        return numbers.decimal(value, 2 if column.decimals is None else column.decimals)
    if column.kind == "number":
        return numbers.decimal(value, 3 if column.decimals is None else column.decimals)
    return _words(column, value, speech)


def verdict(told: str, speech: Speech) -> str:
    """Say a verdict, a state or a kind in a language; several have a comma between. What is none stays as it is.

    >>> verdict("few impressions, another page ranks", Speech("de"))
    'wenige Impressionen, eine andere Seite rangiert'
    """
    return ", ".join(speech.text(each) for each in told.split(", "))


def _words(column: Column, value: Any, speech: Speech) -> str:
    if column.kind == "day":
        return speech.numbers.day(value)
    if column.kind == "month":
        return speech.numbers.month(value)
    if column.kind == "weekday":
        return speech.numbers.weekday(value)
    if column.kind == "verdict":
        return verdict(str(value), speech)
    if column.kind == "flag":
        return "✓" if value else ""
    return "; ".join(map(str, value)) if column.kind == "texts" else str(value)


USUAL_COLOUR = "#0F5A66"


def readable(colour: str, least: float = 4.5) -> str:
    """Darken a colour until it stands out from white by least (WCAG 2.2 contrast ratio); what is none gives the usual.

    >>> readable("#000000"), readable("red;}") == readable(USUAL_COLOUR)
    ('#000000', True)
    """
    if not re.fullmatch(r"#[0-9A-Fa-f]{6}", colour):
        colour = USUAL_COLOUR
    red, green, blue = (int(colour[i : i + 2], 16) for i in (1, 3, 5))
    while _contrast(red, green, blue) < least:
        red, green, blue = (int(part * 0.93) for part in (red, green, blue))
    return f"#{red:02X}{green:02X}{blue:02X}"


def _contrast(*channels: int) -> float:
    linear = [(c / 255 / 12.92) if c / 255 <= 0.04045 else ((c / 255 + 0.055) / 1.055) ** 2.4 for c in channels]
    luminance = 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]
    return 1.05 / (luminance + 0.05)
