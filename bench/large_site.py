"""Make a large made-up site: pair rows over years, heavy tails, the same for the same seed."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from noctilum.core.batch import Coded, DayBatch
from noctilum.testing.batches import search_day

COUNTRIES = ("NO", "SE", "DK", "DE", "GB", "NL", "FR", "ES", "FI", "PL", "US", "IE", "IS", "EE", "AT", "CH", "BE", "IT")
DEVICES = ("mobile", "desktop", "tablet")
KINDS = ("web",)


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
    month: list[Columns] = []
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
        if month and month[0].day.month != day.month:
            yield from _batches(month, queries, pages)
            month = []
        month.append(
            Columns(day, query, page, country, device, clicks, shown, np.rint(position * shown).astype(np.int64))
        )
    yield from _batches(month, queries, pages)


def by_page(pairs: DayBatch) -> DayBatch:
    """Sum a day's rows by page, country and device: the provider's other count of the same day."""
    names = ("page", "country", "device")
    sizes = [len(pairs.dims[name].texts) for name in names]
    key = np.ravel_multi_index([pairs.dims[name].codes for name in names], sizes)
    distinct, places = np.unique(key, return_inverse=True)
    codes = np.unravel_index(distinct, sizes)
    dims = {n: Coded(c.astype(np.int32), pairs.dims[n].texts) for n, c in zip(names, codes, strict=True)}
    dims["kind"] = Coded(np.zeros(distinct.size, dtype=np.int32), KINDS)
    sums = (np.bincount(places, m).astype(np.int64) for m in pairs.values.values())
    return search_day("page", pairs.day, dims, *sums)


@dataclass(frozen=True)
class Columns:
    """Hold one day as numbers."""

    day: date
    query: np.ndarray
    page: np.ndarray
    country: np.ndarray
    device: np.ndarray
    clicks: np.ndarray
    impressions: np.ndarray
    position_sum: np.ndarray


def _batches(month: list[Columns], queries: list[str], pages: list[str]) -> Iterator[DayBatch]:
    """Give a month's days; they share their dictionaries of texts, as the days of one file do."""
    coded = {
        name: _coded([getattr(day, name) for day in month], texts)
        for name, texts in (("query", queries), ("page", pages))
    }
    for n, day in enumerate(month):
        dims = {
            "query": coded["query"][n],
            "page": coded["page"][n],
            "country": Coded(day.country.astype(np.int32), COUNTRIES),
            "device": Coded(day.device.astype(np.int32), DEVICES),
            "kind": Coded(np.zeros(day.query.size, dtype=np.int32), KINDS),
        }
        yield search_day("pair", day.day, dims, day.clicks, day.impressions, day.position_sum)


def _coded(days_ids: list[np.ndarray], texts: list[str]) -> list[Coded]:
    distinct, codes = np.unique(np.concatenate(days_ids), return_inverse=True)
    shared = tuple(texts[i] for i in distinct.tolist())
    ends = np.cumsum([ids.size for ids in days_ids])[:-1]
    return [Coded(part.astype(np.int32), shared) for part in np.split(codes, ends)]
