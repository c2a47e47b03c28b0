"""Putting sentences together so that every figure in them is one of the reading's own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from pydantic import BaseModel

from noctilum.wire.readings import Backed, Sentence
from noctilum.words.speech import Speech
from noctilum.words.values import called

LONGEST = 80
"""A query or page of more letters is cut short in a sentence; the reading has it whole."""


def message(text: str) -> str:
    """Mark a text that is said later, so that it is found for the catalogs."""
    return text


def at(reading: Any, pointer: str) -> Any:
    """Follow a JSON pointer (RFC 6901) into a reading.

    >>> at({"rows": [{"key": "a"}]}, "/rows/0/key")
    'a'
    """
    found = reading
    for part in pointer.split("/")[1:]:
        name = part.replace("~1", "/").replace("~0", "~")
        if isinstance(found, BaseModel):
            found = getattr(found, name)
        elif isinstance(found, Mapping):
            found = found[name]
        else:
            found = found[int(name)]
    return found


class Teller:
    """Tell a reading; figures are named by where they stand in it: "count:/now/clicks".

    Before the colon stands how a figure is written: in a form of numbers, as a "word", as a value "of country" or
    of another dimension, or as the "text" that it is.
    """

    def __init__(self, reading: Any, speech: Speech) -> None:
        self.reading, self.speech = reading, speech

    def tell(self, message: str, /, **figures: str) -> Sentence:
        """Say a message whose places are filled with figures of the reading."""
        written = {name: self._backed(figure) for name, figure in figures.items()}
        text = self.speech.say(message, **{name: each.text for name, each in written.items()})
        return Sentence(text=text, figures=[each for each in written.values() if each.field])

    def tell_many(self, one: str, more: str, counted: str, /, **figures: str) -> Sentence:
        """Say a message in the plural form of a figure; that figure fills the place {n}."""
        written = {name: self._backed(figure) for name, figure in {"n": counted, **figures}.items()}
        amount = self.value(counted)
        size = len(amount) if isinstance(amount, Sequence) and not isinstance(amount, str) else abs(int(amount))
        text = self.speech.many(one, more, size, **{name: each.text for name, each in written.items()})
        return Sentence(text=text, figures=list(written.values()))

    def value(self, figure: str) -> Any:
        """Look a figure up."""
        return at(self.reading, figure.split(":", 1)[1])

    def _backed(self, figure: str) -> Backed:
        form, _, pointer = figure.partition(":")
        if form == "said":
            return Backed(text=pointer, field="", value=None)
        found = at(self.reading, pointer)
        plain = len(found) if form == "length" else found
        value = plain.isoformat() if isinstance(plain, date) else plain
        return Backed(text=self._written(form, plain), field=pointer, value=value)

    def _written(self, form: str, value: Any) -> str:
        numbers = self.speech.numbers
        match form:
            case "count" | "length":
                return numbers.count(value)
            case "size":
                return numbers.count(abs(value))
            case "signed":
                return numbers.signed(value)
            case "percent":
                return numbers.percent(abs(value))
            case "signed_percent":
                return numbers.signed_percent(value)
            case "place":
                return numbers.place(value)
            case "day":
                return numbers.day(value)
            case "figure":
                return numbers.count(value) if value == int(value) else numbers.decimal(value, 2)
            case "weekday":
                return numbers.weekday(value)
            case "year_month":
                return numbers.month(date.fromisoformat(f"{value}-01"))
            case "month":
                return numbers.month(value)
            case "word":
                return self.speech.text(str(value))
            case _:
                text = called(form.removeprefix("of "), str(value), self.speech)
                return text if len(text) <= LONGEST else text[: LONGEST - 1] + "…"
