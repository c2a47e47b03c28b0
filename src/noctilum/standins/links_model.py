"""Made-up links to made-up sites: each found on a day, some gone on another. Days count from the anchor."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from functools import lru_cache

import numpy as np

from noctilum.standins.worlds import WORLDS, pages

FIRST = -400
"""The first day of which it is known what linked."""
_LEFT = ("harbour", "moss", "copper", "lantern", "heather", "tallow", "willow", "granite", "ember", "thistle", "brine")
_RIGHT = ("gazette", "notes", "walks", "forum", "parish", "journal", "makers", "almanac", "weekend", "library", "club")
_PAGES = ("/links", "/archive/issue-{n}", "/articles/{n}", "/board/thread-{n}", "/days-out/{n}", "/reading-list")


@dataclass(frozen=True)
class Told:
    """Links told by hand: so many from a domain to a page, found on one day, gone on another."""

    domain: str
    page: str
    anchor: str
    many: int
    found: int = FIRST
    gone: int | None = None


@dataclass(frozen=True)
class LinkWorld:
    """Describe the links of one site. domains: how many others link by chance."""

    id: str
    label: str
    site: str
    seed: int
    world: str
    brand: str
    domains: int
    told: tuple[Told, ...] = ()


LINK_WORLDS: Mapping[str, LinkWorld] = {
    each.id: each
    for each in (
        LinkWorld(
            *("links-northloft", "Northloft Museum links", "northloft.example", 71, "quillon-northloft"),
            *("Northloft Museum", 60),
            (
                Told("coast-calendar.example", "/exhibitions", "what is on at Northloft", 46, -320, -24),
                Told("school-trips.example", "/schools", "Northloft for schools", 8, -90),
            ),
        ),
        LinkWorld(
            *("links-hivewright", "Hivewright links", "hivewright.example", 72, "quillon-hivewright"),
            *("Hivewright", 90),
            (Told("keepers-forum.example", "/guides/skep-making", "how to make a skep", 12, -260),),
        ),
        LinkWorld(
            *("links-hivewright-blog", "Hivewright blog", "blog.hivewright.example", 74, "quillon-hivewright-blog"),
            *("Hivewright", 25),
            (
                Told("garden-diary.example", "/plants/bee-border", "a border for bees", 7, -60, -10),
                Told("mead-makers.example", "/recipes/metheglin", "metheglin", 5, -80),
            ),
        ),
        LinkWorld(
            *("links-skerry", "Skerry Ferries links", "skerryferries.example", 73, "quillon-skerry"),
            *("Skerry Ferries", 70),
            (Told("drovers-board.example", "/freight/livestock", "livestock crossings", 9, -210),),
        ),
    )
}


@dataclass(frozen=True)
class Link:
    """One link, and the days on which it was found and was no longer there."""

    domain: str
    address: str
    page: str
    anchor: str
    found: int
    gone: int | None


@lru_cache(maxsize=8)
def links_of(number: str) -> tuple[Link, ...]:
    """Give every link of a world."""
    told = LINK_WORLDS[number]
    draw = np.random.default_rng([told.seed, 9])
    return tuple({(link.domain, link.address, link.page, link.anchor): link for link in _made(told, draw)}.values())


def _made(told: LinkWorld, draw: np.random.Generator) -> Iterator[Link]:
    known = pages(WORLDS[told.world])
    weight = 1 / np.arange(1, len(known) + 1) ** 0.8
    names = [f"{left}-{right}.example" for left in _LEFT for right in _RIGHT]
    for name in draw.permutation(names)[: told.domains].tolist():
        found = FIRST if draw.random() < 0.5 else int(draw.integers(FIRST + 1, 60))
        for _ in range(int(draw.integers(1, 7))):
            page = known[int(draw.choice(len(known), p=weight / weight.sum()))]
            words = (told.brand, told.site, page.strip("/").replace("/", " ").replace("-", " ") or told.brand, "here")
            at = found if found == FIRST else found + int(draw.integers(0, 30))
            gone = at + 20 + int(draw.exponential(900))
            address = f"https://{name}{str(draw.choice(_PAGES)).format(n=int(draw.integers(1, 400)))}"
            yield Link(name, address, page, words[int(draw.choice(4, p=(0.4, 0.2, 0.3, 0.1)))], at, gone)
    for each in told.told:
        for n in range(each.many):
            yield Link(
                each.domain, f"https://{each.domain}/entry/{n + 1}", each.page, each.anchor, each.found, each.gone
            )


@lru_cache(maxsize=8)
def _by_day(number: str, anchor: date) -> Mapping[date, list[tuple[Link, bool]]]:
    events: dict[date, list[tuple[Link, bool]]] = {}
    for link in links_of(number):
        events.setdefault(anchor + timedelta(link.found), []).append((link, True))
        if link.gone is not None:
            events.setdefault(anchor + timedelta(link.gone), []).append((link, False))
    return events


def events_of(number: str, anchor: date, day: date) -> list[tuple[Link, bool]]:
    """Give the links that were found on a day (True) or no longer there (False)."""
    return _by_day(number, anchor).get(day, [])
