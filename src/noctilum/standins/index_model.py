"""What stands in a made-up engine's index, and in made-up sitemaps. Days in stories count from the anchor."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from functools import lru_cache

from noctilum.standins.worlds import WORLDS, pages

LONG_AGO = -2000
NOT_INDEXED = ("fetched and left out", "too like another page")


@dataclass(frozen=True)
class Page:
    """A page: on which days it came into the sitemap and the index, and left them. None: it never did."""

    path: str
    listed: int | None = LONG_AGO
    indexed: int | None = LONG_AGO
    unlisted: int | None = None
    dropped: int | None = None
    why: str = NOT_INDEXED[0]

    def is_listed(self, offset: int) -> bool:
        """Say whether the sitemaps list it on a day."""
        return self.listed is not None and self.listed <= offset and (self.unlisted is None or offset < self.unlisted)

    def is_indexed(self, offset: int) -> bool:
        """Say whether it stands in the index on a day."""
        return self.indexed is not None and self.indexed <= offset and (self.dropped is None or offset < self.dropped)


@dataclass(frozen=True)
class IndexWorld:
    """Describe one site: the pages of its search world are listed and indexed but for those told otherwise."""

    id: str
    label: str
    site: str
    world: str
    told: tuple[Page, ...] = ()


INDEX_WORLDS: Mapping[str, IndexWorld] = {
    each.id: each
    for each in (
        IndexWorld(
            "index-skerry",
            "Skerry Ferries index",
            "skerryferries.example",
            "quillon-skerry",
            (
                Page("/freight/livestock", unlisted=-20, dropped=-9),
                Page("/islands/marn", listed=None),
                *(Page(f"/notices/{year}/winter-refit", indexed=None) for year in range(2011, 2024)),
                *(Page(f"/notices/{year}/timetable-change") for year in range(2015, 2024)),
                Page("/press/cookies", indexed=None, why=NOT_INDEXED[1]),
            ),
        ),
        IndexWorld(
            "index-hivewright-blog",
            "Hivewright blog index",
            "blog.hivewright.example",
            "quillon-hivewright-blog",
            (
                Page("/plants/lavender", listed=None),
                Page("/diary/first-year", dropped=-15),
                Page("/diary/second-year", listed=-30, indexed=-24),
                Page("/notices/moved"),
                Page("/diary/draft", indexed=None),
                Page("/tags/old", listed=None),
            ),
        ),
        IndexWorld(
            "index-hivewright",
            "Hivewright index",
            "hivewright.example",
            "quillon-hivewright",
            (
                Page("/shop/gift-cards", listed=-44, indexed=-39),
                Page("/shop/spring-starter-kit", listed=-31, indexed=-23),
                Page("/guides/first-inspection-checklist", listed=-12, indexed=None),
            ),
        ),
    )
}


@lru_cache(maxsize=8)
def pages_of(number: str) -> tuple[Page, ...]:
    """Give every page of a site that was ever listed or indexed."""
    world = INDEX_WORLDS[number]
    told = {page.path: page for page in world.told}
    known = {path: Page(path) for path in pages(WORLDS[world.world])}
    return tuple({**known, **told}.values())


def counts_on(number: str, anchor: date, day: date) -> dict[str, int]:
    """Count pages by status on a day."""
    offset = (day - anchor).days
    counts = {"indexed": 0, **dict.fromkeys(NOT_INDEXED, 0)}
    for page in pages_of(number):
        if page.is_indexed(offset):
            counts["indexed"] += 1
        elif page.is_listed(offset):
            counts[page.why] += 1
    return counts


def moved_on(number: str, anchor: date, day: date, first: date) -> list[tuple[str, bool]]:
    """Give the pages that came into the index on a day (True) or fell out; on the first day all that stand in it."""
    offset = (day - anchor).days
    pages = pages_of(number)
    if day == first:
        return [(page.path, True) for page in pages if page.is_indexed(offset)]
    now = [(page, page.is_indexed(offset)) for page in pages]
    return [(page.path, there) for page, there in now if there != page.is_indexed(offset - 1)]


def listed_on(number: str, anchor: date, day: date) -> dict[str, list[str]]:
    """Give the pages that each sitemap file lists on a day."""
    offset = (day - anchor).days
    files: dict[str, list[str]] = {"pages.xml": [], "notices.xml.gz": []}
    for page in pages_of(number):
        if page.is_listed(offset):
            files["notices.xml.gz" if page.path.startswith("/notices") else "pages.xml"].append(page.path)
    return {name: paths for name, paths in files.items() if paths}


def first_day(anchor: date) -> date:
    """Give the first day of which the index is known."""
    return anchor - timedelta(120)
