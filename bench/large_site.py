"""Make a large made-up site: pair rows over years, heavy tails, the same for the same seed."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from noctilum.core.batch import Coded, DayBatch

COUNTRIES = ("NO", "SE", "DK", "DE", "GB", "NL", "FR", "ES", "FI", "PL", "US", "IE", "IS", "EE", "AT", "CH", "BE", "IT")
DEVICES = ("mobile", "desktop", "tablet")


@dataclass(frozen=True)
class Shape:
    """Say how large the site is."""

    days: int = 1096
    rows_a_day: int = 4015
    queries: int = 60_000
    pages: int = 3_000
    first: date = date(2023, 1, 1)
    seed: int = 7


def _names(shape: Shape) -> tuple[list[str], list[str]]:
    rng = np.random.default_rng(shape.seed)
    words = ["".join(rng.choice(list("abdefghiklmnoprstuv"), size=n)) for n in rng.integers(3, 9, size=1200)]
    picks = rng.integers(0, len(words), size=(shape.queries, 4))
    lengths = rng.integers(1, 5, size=shape.queries)
    queries = [
        " ".join(words[w] for w in row[:n]) + f" {i:x}" for i, (row, n) in enumerate(zip(picks, lengths, strict=True))
    ]
    pages = [
        f"/{words[a]}/{words[b]}-{i:x}" for i, (a, b) in enumerate(rng.integers(0, len(words), size=(shape.pages, 2)))
    ]
    return queries, pages


def days(shape: Shape) -> Iterator[DayBatch]:
    """Give the site day by day, oldest first, at the grain pair."""
    rng = np.random.default_rng(shape.seed + 1)
    queries, pages = _names(shape)
    rank = np.arange(1, shape.queries + 1)
    weight = 1 / rank**0.85
    weight /= weight.sum()
    cumulative = np.cumsum(weight)
    main_page = rng.integers(0, shape.pages, size=shape.queries)
    place = np.clip(rng.gamma(2.0, 5.0, size=shape.queries), 1, 90)
    country_weight = np.cumsum(1 / np.arange(1, len(COUNTRIES) + 1) ** 1.3)
    country_weight /= country_weight[-1]
    for n in range(shape.days):
        size = int(shape.rows_a_day * 1.125 * (1 + 0.15 * np.sin(n / 58)))
        query = np.searchsorted(cumulative, rng.random(size))
        page = np.where(rng.random(size) < 0.85, main_page[query], (main_page[query] + 1) % shape.pages)
        country = np.searchsorted(country_weight, rng.random(size))
        device = np.searchsorted([0.6, 0.93, 1.0], rng.random(size))
        key = ((query * shape.pages + page) * len(COUNTRIES) + country) * 3 + device
        _, first = np.unique(key, return_index=True)
        query, page, country, device = query[first], page[first], country[first], device[first]
        shown = 1 + rng.poisson(np.clip(weight[query] * 40_000, 0.4, 400)).astype(np.int64)
        position = np.clip(place[query] + rng.normal(0, 1.2, size=query.size), 1, 100)
        clicks = rng.binomial(shown, np.clip(0.3 / position, 0, 1)).astype(np.int64)
        day = shape.first + timedelta(n)
        yield DayBatch(
            "pair",
            day,
            {
                "query": _coded(query, queries),
                "page": _coded(page, pages),
                "country": Coded(country.astype(np.int32), COUNTRIES),
                "device": Coded(device.astype(np.int32), DEVICES),
                "kind": Coded(np.zeros(query.size, dtype=np.int32), ("web",)),
            },
            clicks,
            shown,
            np.rint(position * shown).astype(np.int64),
        )


def _coded(ids: np.ndarray, texts: list[str]) -> Coded:
    distinct, codes = np.unique(ids, return_inverse=True)
    return Coded(codes.astype(np.int32), tuple(texts[i] for i in distinct.tolist()))
