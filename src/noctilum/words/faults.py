"""Saying in the asker's language what went wrong, where, and what to do; the code itself says it in English."""

from __future__ import annotations

import re
from collections.abc import Mapping
from string import Formatter
from typing import Any

from noctilum.core.errors import Worded
from noctilum.words.numbers import Numbers
from noctilum.words.speech import Speech
from noctilum.words.teller import message

AT = message("At {where}.")
INPUTS = {
    r"Field required": message("it is needed"),
    r"Extra inputs are not permitted": message("there is no such field"),
    r"Input should be a valid integer(?:, .*)?": message("a whole number is wanted"),
    r"Input should be a valid number(?:, .*)?": message("a number is wanted"),
    r"Input should be a valid string": message("a text is wanted"),
    r"Input should be a valid boolean(?:, .*)?": message("yes or no is wanted"),
    r"Input should be a valid list": message("a list is wanted"),
    r"Input should be a valid dictionary(?: .*)?": message("an object is wanted"),
    r"Input should be a valid date(?:time)?(?:, .*| in .*)?": message("a date is wanted"),
    r"Input should be a finite number": message("a finite number is wanted"),
    r"Input should be greater than or equal to (?P<least>\S+)": message("at least {least}"),
    r"Input should be less than or equal to (?P<most>\S+)": message("at most {most}"),
    r"Input should be greater than (?P<least>\S+)": message("more than {least}"),
    r"Input should be less than (?P<most>\S+)": message("less than {most}"),
    r"String should have at least (?P<least>\d+) characters?": message("at least {least} characters"),
    r"String should have at most (?P<most>\d+) characters?": message("at most {most} characters"),
    r"String should match pattern '(?P<pattern>.*)'": message("it does not have the form {pattern}"),
    r"List should have at most (?P<most>\d+) items? after validation, not (?P<many>.+)": message(
        "at most {most} of them, not {many}"
    ),
    r"List should have at least (?P<least>\d+) items? after validation, not (?P<many>.+)": message(
        "at least {least} of them, not {many}"
    ),
    r"Input should be (?P<known>'.*)": message("one of {known}"),
}
"""What the library of models says of an input → what is said of it in other languages."""


class _Filling(Formatter):
    """Fill places as str.format does, with figures as the language writes them and words of the code in it."""

    def __init__(self, speech: Speech) -> None:
        self._speech = speech

    def format_field(self, value: Any, format_spec: str) -> str:
        """Write one value."""
        if format_spec == "," and isinstance(value, int):
            return self._speech.numbers.count(value)
        return said(value, self._speech) if isinstance(value, Worded) else str(super().format_field(value, format_spec))


def said(text: str, speech: Speech) -> str:
    """Say what a fault says in a language; what no catalog holds stays as it is."""
    if speech.language == "en" or not text:
        return text
    if isinstance(text, Worded):
        return _Filling(speech).vformat(speech.text(text.message), (), text.filled)
    return speech.text(text)


def said_of_input(why: str, speech: Speech) -> str:
    """Say in a language what is wrong with an input; English, and what is not known, stays as it is."""
    if speech.language == "en":
        return why
    plain = why.removeprefix("Value error, ")
    for pattern, wanted in INPUTS.items():
        if found := re.fullmatch(pattern, plain):
            filled = {name: text.replace("' or '", "', '") for name, text in found.groupdict().items()}
            return speech.say(wanted, **_figured(filled, speech.numbers))
    return speech.text(plain)


def _figured(filled: Mapping[str, str], numbers: Numbers) -> dict[str, str]:
    return {
        name: numbers.count(int(text)) if re.fullmatch(r"\d{1,15}", text) else text for name, text in filled.items()
    }
