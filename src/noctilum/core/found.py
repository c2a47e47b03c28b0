"""What a lookup found, and what it comes to: the site's own rank, whose results stood beside it, which features."""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from functools import lru_cache
from operator import add
from typing import NamedTuple
from urllib.parse import urlsplit

from noctilum.core.batch import DayBatch, batch_of
from noctilum.core.curve import reference_rates
from noctilum.core.pages import path_on
from noctilum.datasets.declaring import Dataset
from noctilum.datasets.lookups import LOOKUPS, WORTH_UNITS

FEATURES_AT_MOST = 30
LISTED = 20
"""So many of the first results are kept with their domains."""
_RANKS, _LISTINGS, _FEATURES, _CITATIONS = LOOKUPS
_WORTH = [round(float(rate) * WORTH_UNITS) for rate in reference_rates(LISTED)]


class Result(NamedTuple):
    """One plain result; rank counts from 1."""

    rank: int
    url: str
    title: str = ""
    kind: str = "page"


class Feature(NamedTuple):
    """Something besides plain results, right above the plain result of a rank, with the addresses it leads to."""

    kind: str
    above: int
    owners: tuple[str, ...] = ()
    text: str = ""


@dataclass(frozen=True)
class Found:
    """What one lookup found, results in order of their ranks."""

    results: tuple[Result, ...]
    features: tuple[Feature, ...] = ()


@dataclass(frozen=True)
class Placed:
    """Where a site stood. rank: None where it was not found; spot: its place with the features above it counted."""

    rank: int | None
    spot: int | None
    page: str
    pages: int


@lru_cache(maxsize=1 << 16)
def domain_of(url: str) -> str:
    """Give whose an address is: its host without www.

    >>> domain_of("https://www.Islehopper.example/ronsay")
    'islehopper.example'
    """
    host = (urlsplit(url).hostname or "").lower().rstrip(".")
    return host.removeprefix("www.")


def is_own(site: str, url: str) -> bool:
    """Say whether an address is of a site: on its host, with or without www., and below its path where it has one.

    >>> is_own("skerryferries.example", "https://www.skerryferries.example/fares")
    True
    >>> is_own("skerryferries.example/de", "https://skerryferries.example/fares")
    False
    """
    host, slash, path = site.partition("/")
    if domain_of(url) != host.removeprefix("www."):
        return False
    return not slash or f"{urlsplit(url).path}/".startswith(f"/{path}/")


def page_of(site: str, url: str) -> str:
    """Name an own page as the readings do, by its path."""
    host = site.partition("/")[0].removeprefix("www.")
    return path_on(host, url.replace(f"://www.{host}", f"://{host}", 1))


def placed(site: str, found: Found) -> Placed:
    """Find a site among results.

    >>> page = Found((Result(1, "https://a.example/"), Result(2, "https://b.example/x")), (Feature("snippet", 1),))
    >>> placed("b.example", page)
    Placed(rank=2, spot=3, page='/x', pages=1)
    """
    own = [result for result in found.results if is_own(site, result.url)]
    if not own:
        return Placed(None, None, "", 0)
    best = own[0]
    above = sum(feature.above <= best.rank for feature in found.features)
    return Placed(best.rank, best.rank + above, page_of(site, best.url), len({each.url for each in own}))


def pack_place(site: str, found: Found) -> int | None:
    """Give a site's place among those on the map above plain results: 0 where it is not on it, None without a map.

    >>> shops = ("https://a.example/", "https://b.example/shop")
    >>> pack_place("b.example", Found((), (Feature("map", 1, shops),)))
    2
    """
    packs = [feature.owners for feature in found.features if feature.kind == "map"]
    if not packs:
        return None
    shops: dict[str, bool] = {}
    for url in (url for owners in packs for url in owners):
        shops[domain_of(url)] = shops.get(domain_of(url), False) or is_own(site, url)
    return next((at for at, own in enumerate(shops.values(), 1) if own), 0)


def best_of_domains(found: Found) -> dict[str, Result]:
    """Give the best result of each domain among the first ones."""
    best: dict[str, Result] = {}
    for result in found.results:
        if result.rank <= LISTED:
            best.setdefault(domain_of(result.url), result)
    return best


Named = tuple[str, str, str, str, str]
"""Keyword, track, place, device, engine."""


def day_of(site: str, day: date, lookups: Sequence[tuple[Named, Found]]) -> dict[str, DayBatch]:
    """Turn a day's lookups into the rows of each dataset; several lookups of one keyword add up.

    The rank of a day with several lookups is their average; its page is that of each.
    """
    ranks: dict[tuple[str, ...], list[int]] = defaultdict(lambda: [0] * 5)
    listings: dict[tuple[str, ...], list[int]] = defaultdict(lambda: [0] * 3)
    features: dict[tuple[str, ...], list[int]] = defaultdict(lambda: [0] * 2)
    citations: dict[tuple[str, ...], list[int]] = defaultdict(lambda: [0])
    for named, found in lookups:
        own = placed(site, found)
        _add(ranks[(*named, own.page)], (1, own.rank is not None, own.rank or 0, own.spot or 0, own.pages))
        for domain, result in best_of_domains(found).items():
            _add(listings[(domain, *named, _address(result.url))], (1, result.rank, _WORTH[result.rank - 1]))
        for kind, owned in _kinds(site, found).items():
            _add(features[(*named, kind)], (1, owned))
        for (kind, domain), url in _led_to(found).items():
            _add(citations[(domain, *named, kind, _address(url))], (1,))
    return {
        "ranks": _batch(_RANKS, day, ranks, _told_ranks),
        "listings": _batch(_LISTINGS, day, listings, _told_listings),
        "features": _batch(_FEATURES, day, features, lambda sums: sums),
        "citations": _batch(_CITATIONS, day, citations, lambda sums: sums),
    }


def _add(sums: list[int], more: Iterable[int]) -> None:
    sums[:] = map(add, sums, more)


def _address(url: str) -> str:
    """Name another's page: host and path without the scheme, cut where it is very long."""
    return url.partition("://")[2][:300]


def _kinds(site: str, found: Found) -> dict[str, bool]:
    kinds: dict[str, bool] = {}
    for feature in found.features:
        owned = any(is_own(site, url) for url in feature.owners)
        kinds[feature.kind] = kinds.get(feature.kind, False) or owned
    return kinds


def _led_to(found: Found) -> dict[tuple[str, str], str]:
    """Give the first page of each domain that each kind of feature led to."""
    pages: dict[tuple[str, str], str] = {}
    for feature in found.features:
        for url in feature.owners:
            pages.setdefault((feature.kind, domain_of(url)), url)
    return pages


def _told_ranks(sums: Sequence[int]) -> Sequence[float]:
    checks, found, rank, spot, pages = sums
    return checks, found, rank / max(found, 1), spot / max(found, 1), pages


def _told_listings(sums: Sequence[int]) -> Sequence[float]:
    seen, rank, worth = sums
    return seen, rank / seen, worth / WORTH_UNITS


def _batch(kept: Dataset, day: date, rows: Mapping[tuple[str, ...], list[int]], told: object) -> DayBatch:
    figures = [told(sums) for sums in rows.values()]  # type: ignore[operator]
    dims = {name: [key[at] for key in rows] for at, name in enumerate(kept.dims)}
    values = {measure.name: [row[at] for row in figures] for at, measure in enumerate(kept.measures)}
    return batch_of(kept, day, dims, values)


@dataclass(frozen=True)
class Kept:
    """A kept answer, opened. doubts: what of the answer was left out, and why."""

    named: Named
    found: Found
    doubts: tuple[str, ...] = ()


def written(named: Named, found: Found, doubts: Sequence[str] = ()) -> bytes:
    """Write an answer down as JSON, to be kept."""
    told = {
        "n": list(named),
        "r": [[each.rank, each.url, each.title, each.kind] for each in found.results],
        "f": [[each.kind, each.above, list(each.owners), each.text] for each in found.features],
        "d": list(doubts),
    }
    return json.dumps(told, ensure_ascii=False, separators=(",", ":")).encode()


def opened(body: bytes) -> Kept:
    """Read an answer that was written down; raises ValueError for anything else."""
    try:
        told = json.loads(body)
        term, track, place, device, engine = map(str, told["n"])
        results = tuple(Result(int(rank), str(url), str(title), str(kind)) for rank, url, title, kind in told["r"])
        features = tuple(
            Feature(str(kind), int(above), tuple(map(str, owners)), str(text))
            for kind, above, owners, text in told["f"]
        )
        return Kept((term, track, place, device, engine), Found(results, features), tuple(map(str, told["d"])))
    except (KeyError, TypeError, ValueError) as why:
        raise ValueError(f"this is no kept answer: {why!r}") from why


def own_part(site: str, found: Found) -> str:
    """Tell what of a result page is the site's: where it stands, with which page, and what features lead to it."""
    own = placed(site, found)
    owned = sorted(kind for kind, is_owned in _kinds(site, found).items() if is_owned)
    return f"{own.rank} {own.page} {' '.join(owned)}"
