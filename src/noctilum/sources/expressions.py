"""Expressions over what a feed sends: JMESPath with a few functions for numbers, texts and days.

JMESPath is an open language for picking from JSON; https is not needed to use it. Added here: divide,
multiply, round_to, number, percent, upper, lower, replace, path_of, host_of, day_of.
"""

from __future__ import annotations

import datetime as dt
import math
from functools import lru_cache
from typing import Any
from urllib.parse import urlsplit

import jmespath
from jmespath import functions


class _More(functions.Functions):  # type: ignore[misc]
    @functions.signature({"types": ["number"]}, {"types": ["number"]})
    def _func_divide(self, one: float, other: float) -> float | None:
        return one / other if other else None

    @functions.signature({"types": ["number"]}, {"types": ["number"]})
    def _func_multiply(self, one: float, other: float) -> float:
        return one * other

    @functions.signature({"types": ["number"]})
    def _func_round_to(self, value: float) -> int:
        return round(value)

    @functions.signature({"types": ["string", "number"]})
    def _func_number(self, value: str | float) -> float | int | None:
        return _number(value)

    @functions.signature({"types": ["string", "number"]})
    def _func_percent(self, value: str | float) -> float | None:
        found = _number(value.rstrip("% ") if isinstance(value, str) else value)
        return None if found is None else found / 100

    @functions.signature({"types": ["string"]})
    def _func_upper(self, text: str) -> str:
        return text.upper()

    @functions.signature({"types": ["string"]})
    def _func_lower(self, text: str) -> str:
        return text.lower()

    @functions.signature({"types": ["string"]}, {"types": ["string"]}, {"types": ["string"]})
    def _func_replace(self, text: str, old: str, new: str) -> str:
        return text.replace(old, new)

    @functions.signature({"types": ["string"]})
    def _func_path_of(self, url: str) -> str:
        parts = urlsplit(url)
        return (parts.path or "/") + (f"?{parts.query}" if parts.query else "")

    @functions.signature({"types": ["string"]})
    def _func_host_of(self, url: str) -> str:
        return urlsplit(url).netloc.lower()

    @functions.signature({"types": ["string"]}, {"types": ["string"]})
    def _func_day_of(self, text: str, form: str) -> str | None:
        try:
            return dt.datetime.strptime(text, form).date().isoformat()
        except ValueError:
            return None


def _number(value: str | float) -> float | int | None:
    if not isinstance(value, str):
        return value
    try:
        found = float(value.replace(",", ".").strip())
    except ValueError:
        return None
    if not math.isfinite(found):
        return None
    return int(found) if found == int(found) else found


_OPTIONS = jmespath.Options(custom_functions=_More())


@lru_cache(maxsize=512)
def compiled(expression: str) -> Any:
    """Compile an expression; raises JMESPathError when it is none."""
    return jmespath.compile(expression)


def value_of(expression: str, found: Any) -> Any:
    """Pick a value; None where there is none. Raises JMESPathError when it cannot be worked out, as for wrong types."""
    try:
        return compiled(expression).search(found, options=_OPTIONS)
    except (ValueError, TypeError, ArithmeticError, LookupError, AttributeError, RecursionError) as why:
        if isinstance(why, jmespath.exceptions.JMESPathError):
            raise
        raise jmespath.exceptions.JMESPathError(f"{type(why).__name__}: {why}") from why
