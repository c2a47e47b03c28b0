"""What a neutral lookup finds: seeded result pages that agree with the search model's own sites.

The same anchor, term, place, device and day give the same page, in whatever order they are asked for.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date
from functools import lru_cache
from hashlib import blake2b
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from noctilum.standins.search_model import SearchModel, model_of
from noctilum.standins.worlds import NEWEST, OLDEST, WORLDS, World, phrases

DEEPEST = 100
_LANDS = ("Field", "Harbour", "Mill", "North", "Copper", "Lantern", "Orchard", "Granite", "Willow", "Anchor")
_TRADES = ("post", "guide", "notes", "house", "desk", "works", "almanac", "review", "yard", "bureau")
STRANGERS = tuple(f"{land.lower()}{trade}.example" for land in _LANDS for trade in _TRADES)
"""Domains that stand on any result page."""
RIVALS: dict[str, tuple[str, ...]] = {
    "skerryferries.example": ("islehopper.example", "soundcrossings.example", "hallowickboats.example"),
    "hivewright.example": ("combandframe.example", "apiarystores.example", "waxwingbees.example"),
    "blog.hivewright.example": ("combandframe.example", "waxwingbees.example"),
    "umbrapoint.example": ("skyatlas.example", "tidalplanetarium.example", "starsforall.example"),
    "fretsawfern.example": ("aldermerejoinery.example", "thecaneworkshop.example"),
    "northloft.example": ("ropewalkmuseum.example", "lanternhall.example", "seachartgallery.example"),
    "brinepot.example": ("tangandjar.example", "saltcellarshop.example", "fermentry.example"),
    "cobblecrane.example": ("liftwell.example", "tallhook.example", "heavybough.example"),
}
"""Domains that stand on the pages of one site's terms, and take what it loses."""


class Result(NamedTuple):
    """One result; rank counts from 1 among plain results."""

    rank: int
    url: str
    title: str
    kind: str = "page"


class Feature(NamedTuple):
    """Something besides plain results. above: the plain rank that it stands right above."""

    kind: str
    above: int
    owners: tuple[str, ...] = ()
    text: str = ""


@dataclass(frozen=True)
class ResultPage:
    """What one lookup found."""

    results: tuple[Result, ...]
    features: tuple[Feature, ...] = ()


@dataclass(frozen=True)
class Shop:
    """A place where a client has a shop. north: how much weaker it is seen with every kilometre to the north."""

    town: str
    latitude: float
    longitude: float
    north: float = 0.0


@dataclass(frozen=True)
class Looked:
    """What is looked up, from where, on what."""

    term: str
    engine: str = "Quillon"
    language: str = "en"
    country: str = "GB"
    place: str = ""
    device: str = "desktop"
    depth: int = 20
    point: tuple[float, float] | None = field(default=None, compare=False)


SHOPS: dict[str, tuple[Shop, ...]] = {
    "brinepot.example": (
        Shop("Aldermere", 52.214, -1.482, north=1.6),
        Shop("Crowle Quay", 52.611, -1.130),
        Shop("Haddow", 51.902, -2.078),
        Shop("Thistleby", 53.012, -1.624),
    ),
    "fretsawfern.example": (Shop("Aldermere", 52.209, -1.476),),
}
TOWNS: dict[str, tuple[float, float]] = {
    shop.town: (shop.latitude, shop.longitude) for shops in SHOPS.values() for shop in shops
} | {"Ronsay Pier": (59.11, 5.02), "Hallowick": (58.90, 5.41), "Umbra Point": (50.31, -5.02)}


def number_of(*texts: object) -> int:
    """Make a lasting number of some texts."""
    return int.from_bytes(blake2b("\x1f".join(map(str, texts)).encode(), digest_size=8).digest(), "big")


def chance_of(*texts: object) -> float:
    """Make a lasting chance of some texts, 0 to 1."""
    return number_of(*texts) / 2**64


def point_of(place: str) -> tuple[float, float] | None:
    """Read a place: a town that is known, or latitude and longitude."""
    if place in TOWNS:
        return TOWNS[place]
    parts = place.split(",")
    try:
        latitude, longitude = (float(part) for part in parts)
    except ValueError:
        return None
    return (latitude, longitude) if abs(latitude) <= 90 and abs(longitude) <= 180 else None


def kilometres(a: tuple[float, float], b: tuple[float, float]) -> tuple[float, float]:
    """Give how far b lies to the north and to the east of a, in kilometres, on a plane."""
    north = (b[0] - a[0]) * 111.2
    return north, (b[1] - a[1]) * 111.2 * math.cos(math.radians(a[0]))


class LookupModel:
    """Answer lookups of any term for any day."""

    def __init__(self, anchor: date) -> None:
        self.anchor = anchor
        self._at: dict[tuple[str, int], tuple[list[float], list[bool]]] = {}

    def page(self, looked: Looked, day: date) -> ResultPage:
        """Give the result page; raises ValueError for a day out of the model's span."""
        offset = (day - self.anchor).days
        if not OLDEST <= offset <= NEWEST:
            raise ValueError(f"{day} is out of this model's days")
        own = list(self._own(looked, offset))
        results = tuple(self._placed(looked, offset, own))
        return ResultPage(results, tuple(self._features(looked, offset, results, own)))

    def _own(self, looked: Looked, offset: int) -> Iterator[tuple[int, World, str]]:
        """Give the ranks at which the model's own sites stand, with their pages."""
        taken = set[str]()
        for world in WORLDS.values():
            if world.engine != looked.engine or world.site in taken or "/" in world.site:
                continue
            if looked.term not in _phrases(world.id):
                continue
            model = model_of(world.id, self.anchor)
            at = _index(model)[looked.term]
            places, there = self._ranks(model, offset)
            if not there[at]:
                continue
            taken.add(world.site)
            rank = self._rank(looked, world, places[at], offset)
            if rank <= DEEPEST:
                yield rank, world, model.pages[model.page_of(at)]
            if (second := model.second_of(at)) >= 0 and chance_of("second", looked.term, offset // 9) < 0.3:
                yield min(rank + 2 + number_of(looked.term) % 4, DEEPEST), world, model.pages[second]

    def _ranks(self, model: SearchModel, offset: int) -> tuple[list[float], list[bool]]:
        key = (model.world.id, offset)
        if key not in self._at:
            if len(self._at) > 64:
                self._at.clear()
            place, _, there = model.ranks(offset)
            self._at[key] = place.tolist(), there.tolist()
        return self._at[key]

    def _rank(self, looked: Looked, world: World, place: float, offset: int) -> int:
        place *= dict(world.country_places).get(looked.country, 1.0)
        if looked.device == "mobile":
            place += world.device_places[0]
        if looked.device == "map" or looked.place:
            place = self._near(looked, world, place)
        wobble = 0.35 * _normal("rank", looked.term, looked.device, looked.place, looked.country, offset)
        return max(1, round(place + wobble))

    def _near(self, looked: Looked, world: World, place: float) -> float:
        """Move a rank by where it is looked from: the nearest shop matters, and which way it lies."""
        shops = SHOPS.get(world.site, ())
        point = looked.point or point_of(looked.place)
        if not shops or point is None:
            return place * (0.9 + 0.2 * chance_of("place", looked.place, world.site))
        best = place * 3.0
        for shop in shops:
            north, east = kilometres((shop.latitude, shop.longitude), point)
            away = math.hypot(north, east)
            lean = shop.north * max(north, 0.0)
            best = min(best, place * (0.3 + 0.17 * away) + lean)
        return best

    def _placed(self, looked: Looked, offset: int, own: Sequence[tuple[int, World, str]]) -> Iterator[Result]:
        """Set own results at their ranks and fill the rest with others."""
        depth = min(looked.depth, DEEPEST)
        mine: dict[int, tuple[World, str]] = {}
        for wanted, world, page in sorted(own, key=lambda each: each[0]):
            rank = next(free for free in range(wanted, DEEPEST * 2) if free not in mine)
            if rank <= depth:
                mine[rank] = (world, page)
        others = iter(self._others(looked, offset, tuple(world.site for _, world, _ in own), depth - len(mine)))
        for rank in range(1, depth + 1):
            if rank in mine:
                world, page = mine[rank]
                yield Result(rank, *_addressed(looked.term, world.site, page))
            else:
                domain, slug = next(others)
                yield Result(rank, *_addressed(looked.term, domain, f"/{slug}"))

    def _others(self, looked: Looked, offset: int, sites: tuple[str, ...], many: int) -> list[tuple[str, str]]:
        found = _swaying(looked.term, looked.language, looked.country, looked.engine)
        seed = number_of("others", looked.term, looked.device, looked.place, offset)
        noise = np.random.Generator(np.random.PCG64(seed)).standard_normal(len(found.domains))
        moved = found.base + 1.6 * np.sin(2 * math.pi * (offset / found.period + found.phase)) + 0.5 * noise
        if looked.place:
            moved = moved + _tugs(found.domains, looked.place)
        order = [found.domains[at] for at in np.argsort(moved, kind="stable")[:many].tolist()]
        slug = looked.term.replace(" ", "-")
        return [(domain, slug) for domain in order if domain not in sites] + [
            (f"{slug[:40]}-{n}.example", slug) for n in range(many)
        ]

    def _features(
        self, looked: Looked, offset: int, results: Sequence[Result], own: Sequence[tuple[int, World, str]]
    ) -> Iterator[Feature]:
        if not results or looked.device == "map":
            return
        term, top = looked.term, [each.url for each in results[:8]]
        day = (term, looked.device, looked.country, offset)
        for kind, above, often in _usual(looked):
            if chance_of(kind, *day) < often:
                yield Feature(kind, min(above, len(results)), _cited(kind, top, day), _title(term, kind))
        if self._is_answered(own, offset, day):
            yield Feature("written answer", 1, _cited("written answer", top, day, 3), f"In short: {term}.")
        if looked.place or any(world.site in SHOPS for _, world, _ in own):
            yield Feature("map", min(2, len(results)), tuple(self._on_map(looked, offset)), _title(term, "map"))
        if any(world.site.split(".")[0][:6] in term.replace(" ", "") for _, world, _ in own) and results:
            yield Feature("sitelinks", 2 if len(results) > 1 else 1, (top[0],))

    def _is_answered(self, own: Sequence[tuple[int, World, str]], offset: int, day: tuple[object, ...]) -> bool:
        """Say whether the engine writes an answer: mostly where the world tells of it, now and then elsewhere."""
        for _, world, page in own:
            for look in world.looks:
                if look.name == "written answer" and page.startswith(look.page.rstrip("*")):
                    return offset >= look.first and chance_of("written", *day) < 0.85
        return offset >= -200 and chance_of("answered", day[0]) < 0.12 and chance_of("written", *day) < 0.6

    def _on_map(self, looked: Looked, offset: int) -> Iterator[str]:
        """Name the three that stand on the map."""
        ranked = []
        for world in WORLDS.values():
            if world.site in SHOPS and looked.term in _phrases(world.id):
                model = model_of(world.id, self.anchor)
                place = self._ranks(model, offset)[0][_index(model)[looked.term]]
                ranked.append((self._near(looked, world, place * 0.6), f"https://{world.site}/"))
        for domain, base in _strengths(looked.term, looked.language, looked.country, looked.engine)[:8]:
            ranked.append((base * 0.7 + 5 * chance_of("map", domain, looked.place), f"https://{domain}/"))
        yield from (url for _, url in sorted(ranked)[:3])


def _normal(*texts: object) -> float:
    """Make a lasting number of some texts, spread like a standard normal one."""
    number = number_of(*texts)
    first, second = (number >> 32) / 2**32, (number & 0xFFFFFFFF) / 2**32
    return math.sqrt(-2 * math.log(max(first, 1e-12))) * math.cos(2 * math.pi * second)


@lru_cache(maxsize=32)
def _index(model: SearchModel) -> dict[str, int]:
    return {text: at for at, text in enumerate(model.queries)}


@lru_cache(maxsize=32)
def _phrases(world_id: str) -> frozenset[str]:
    """Give every query of a world, without building its model."""
    return frozenset(text for topic in WORLDS[world_id].topics for text, _ in phrases(topic))


@lru_cache(maxsize=4096)
def _strengths(term: str, language: str, country: str, engine: str) -> tuple[tuple[str, float], ...]:
    """Give the domains that stand for a term, each with its usual rank: rivals of its sites ahead of strangers."""
    rivals = {
        rival
        for world in WORLDS.values()
        if world.engine == engine and term in _phrases(world.id)
        for rival in RIVALS.get(world.site, ())
    }
    seed = number_of(term, language, country, engine) % 2**32
    rng = np.random.default_rng(seed)
    strangers = [STRANGERS[n] for n in rng.choice(len(STRANGERS), 40, replace=False)]
    found = [(domain, 1.5 + 9 * chance_of(domain, term, country)) for domain in sorted(rivals)]
    found += [(domain, 2.0 + n * 1.1 + 2 * chance_of(domain, term)) for n, domain in enumerate(strangers)]
    return tuple(sorted(found, key=lambda each: each[1]))


@dataclass(frozen=True)
class _Swaying:
    """Domains with their usual rank, and how it sways over the days."""

    domains: tuple[str, ...]
    base: npt.NDArray[np.float64]
    period: npt.NDArray[np.float64]
    phase: npt.NDArray[np.float64]


@lru_cache(maxsize=4096)
def _swaying(term: str, language: str, country: str, engine: str) -> _Swaying:
    named = _strengths(term, language, country, engine)
    domains = tuple(domain for domain, _ in named)
    return _Swaying(
        domains,
        np.array([base for _, base in named]),
        np.array([130.0 + number_of(domain) % 170 for domain in domains]),
        np.array([chance_of(domain, term) for domain in domains]),
    )


@lru_cache(maxsize=4096)
def _tugs(domains: tuple[str, ...], place: str) -> npt.NDArray[np.float64]:
    """Say how much lower each domain stands where it is looked from a place."""
    return np.array([6 * chance_of(domain, place) for domain in domains])


@lru_cache(maxsize=4096)
def _usual(looked: Looked) -> tuple[tuple[str, int, float], ...]:
    """Name the features that a term's result page usually shows: (kind, the rank it stands above, how often)."""
    kinds = (("questions", 3, 0.40), ("images", 5, 0.22), ("video", 4, 0.18), ("snippet", 1, 0.16), ("shop", 2, 0.12))
    return tuple(
        (kind, above, 0.7 + 0.25 * chance_of("often", kind, looked.term))
        for kind, above, share in kinds
        if chance_of("has", kind, looked.term, looked.device == "mobile") < share
    )


def _cited(kind: str, top: Sequence[str], day: tuple[object, ...], most: int = 1) -> tuple[str, ...]:
    """Pick which of the first results a feature leads to: another one on some days."""
    order = sorted(range(len(top)), key=lambda at: at + 5 * chance_of("cited", kind, top[at], *day))
    return tuple(top[at] for at in order[:most])


@lru_cache(maxsize=1 << 16)
def _addressed(term: str, domain: str, path: str) -> tuple[str, str]:
    """Give the address and the title of a result."""
    return f"https://{domain}{path}", _title(term, domain)


def _title(term: str, of: str) -> str:
    name = of.removesuffix(".example").replace("-", " ")
    return f"{term[:1].upper()}{term[1:]} – {name}"


@lru_cache(maxsize=2)
def lookup_model(anchor: date) -> LookupModel:
    """Build the model once a process."""
    return LookupModel(anchor)
