"""What the values of dimensions are called: countries by their names, devices and the like by their words."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from typing import Any

from babel import Locale

from noctilum.datasets import DATASETS
from noctilum.wire.columns import Column
from noctilum.words.speech import Speech

CODE = 2
"""Letters of an ISO 3166 code."""


def called(dimension: str, value: str, speech: Speech) -> str:
    """Say what a value of a dimension is called; what is none, or as somebody wrote it, stays as it is.

    >>> called("device", "mobile", Speech("es")), called("country", "NO", Speech("de"))
    ('móvil', 'Norwegen (NO)')
    >>> called("query", "mobile", Speech("es")), called("country", "XX", Speech("de"))
    ('mobile', 'XX')
    """
    every = (each for kept in DATASETS.values() for each in kept.dimensions)
    if any(each.name == dimension and value in each.values for each in every):
        return speech.text(value)
    if dimension == "country" and len(value) == CODE and (name := _countries(speech.language).get(value)):
        return f"{name} ({value})"
    return value


@cache
def _countries(language: str) -> Mapping[str, str]:
    return Locale(language).territories


def dimension_of(column: Column, whole: Any) -> str:
    """Say which dimension a column holds, where the whole answer tells it; empty where it does not."""
    return str(getattr(whole, column.titled_by)) if column.titled_by and whole is not None else ""
