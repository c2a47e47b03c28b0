"""Made-up facts of terms: searches in a month, what a click costs, and which terms are near a word."""

from __future__ import annotations

import zlib
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from functools import lru_cache

import numpy as np

from noctilum.standins.search_model import model_of

MONTHS = 25
"""So many months are known."""


@dataclass(frozen=True)
class FactWorld:
    """Describe what is known of one site's terms. words: those whose neighbours are known, and what these may be."""

    id: str
    label: str
    site: str
    world: str
    country: str
    words: Mapping[str, tuple[str, ...]]


FACT_WORLDS: Mapping[str, FactWorld] = {
    each.id: each
    for each in (
        FactWorld(
            "facts-hivewright", "Hivewright terms", "hivewright.example", "quillon-hivewright", "GB",
            {
                "hive": (
                    "hive stand", "hive tool", "hive strap", "long hive plans", "how to paint a hive",
                    "what is a nucleus hive", "hive insulation for winter", "hive scales", "polystyrene hive",
                    "can you keep a hive in a garden", "second hand hive", "hive moving straps heavy duty",
                ),
                "honey": (
                    "honey extractor", "honey jars wholesale", "why does honey set", "honey press",
                    "how to filter honey", "honey bucket with tap", "heather honey press", "honey labels",
                ),
            },
        ),
        FactWorld(
            "facts-hivewright-blog", "Hivewright blog", "blog.hivewright.example", "quillon-hivewright-blog", "GB",
            {"mead": ("mead kit", "what is mead", "mead or wine", "how long does mead keep in the bottle")},
        ),
        FactWorld(
            "facts-skerry", "Skerry Ferries terms", "skerryferries.example", "quillon-skerry", "NO",
            {
                "ferry": (
                    "ferry timetable", "ferry with dog", "is the ferry running today", "ferry to the islands",
                    "night ferry cabin", "ferry season ticket", "how long is the ferry to stenna",
                ),
            },
        ),
    )
}  # fmt: skip
KNOWN = 400
"""So many of a site's terms are known, the most wanted ones."""


@dataclass(frozen=True)
class Fact:
    """What is known of one term in one month; cpc in hundredths."""

    term: str
    volume: int
    cpc: int


@lru_cache(maxsize=8)
def _terms(number: str, anchor: date) -> Mapping[str, float]:
    """Give each known term's searches in a usual month."""
    model = model_of(FACT_WORLDS[number].world, anchor)
    wanted = model.usual_demand()
    order = np.argsort(-wanted, kind="stable")[:KNOWN]
    known = {model.queries[n]: float(wanted[n]) * 30 * 2.2 for n in order}
    more = {term: 40.0 + _chance(term) * 2600 for terms in FACT_WORLDS[number].words.values() for term in terms}
    return more | known


def facts_of(number: str, anchor: date, month: date) -> list[Fact]:
    """Give what is known of every term in a month."""
    return [_fact(term, usual, month) for term, usual in _terms(number, anchor).items()]


def related_of(number: str, anchor: date, month: date) -> dict[str, list[Fact]]:
    """Give the terms near each word in a month, the site's own that hold the word among them."""
    usual = _terms(number, anchor)
    return {
        word: [
            _fact(term, usual[term], month)
            for term in dict.fromkeys((*terms, *(each for each in usual if word in each.split())))
        ]
        for word, terms in FACT_WORLDS[number].words.items()
    }


def _fact(term: str, usual: float, month: date) -> Fact:
    chance = _chance(term)
    wave = 1 + 0.35 * np.cos(2 * np.pi * (month.month - 1 - 12 * chance) / 12)
    volume = max(10, round(usual * wave / 10) * 10)
    return Fact(term, int(volume), round(100 * (0.15 + 2.4 * _chance(f"cost {term}"))))


def _chance(text: str) -> float:
    """Give a number in [0, 1) that always is the same for a text."""
    return zlib.crc32(text.encode()) / 2**32
