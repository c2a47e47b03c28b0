"""Taking readings: finding a site's history and asking the right module."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Literal

from sqlalchemy import select

from noctilum.actions.install import Install
from noctilum.actions.setup import find_site
from noctilum.core.errors import NotThere
from noctilum.history import History
from noctilum.readings import breakdown as breakdowns
from noctilum.readings import drivers as drivers_of
from noctilum.readings import ledger as ledgers
from noctilum.readings import life as lives
from noctilum.readings import portfolio as portfolios
from noctilum.readings import timeline as timelines
from noctilum.readings.frame import Asked, Holding, holding
from noctilum.records.models import Site
from noctilum.wire import readings as wire


@dataclass(frozen=True)
class Opened:
    """A site ready to be read. sources: numbers of its search feeds."""

    key: str
    history: History
    sources: tuple[int, ...]
    brand: tuple[str, ...]

    @property
    def holding(self) -> Holding:
        """What is held; raises NotThere when nothing is."""
        return holding(self.history, self.sources)


def open_site(install: Install, key: str) -> Opened:
    """Find a site's history; raises NotThere with the remedy for each way it can be empty."""
    with install.records.read() as db:
        site = find_site(db, key, with_sources=True)
        numbers = tuple(source.id for source in site.sources if source.kind == "search")
        brand = _brand(site)
    if not numbers:
        raise NotThere(
            "no-source",
            f"{site.host} has no search feed connected.",
            remedy="connect one under Sources, or with `noctilum connect`",
        )
    return Opened(site.key, install.history(site.id), numbers, brand)


def _brand(site: Site) -> tuple[str, ...]:
    return tuple(term.strip() for term in site.brand_terms.split(",") if term.strip())


def timeline(opened: Opened, asked: Asked, bucket: str) -> wire.Timeline:
    """Take a timeline."""
    return timelines.timeline(opened.holding, asked, bucket)


def breakdown(opened: Opened, asked: Asked, dimension: wire.Dimension, page: breakdowns.Page) -> wire.Breakdown:
    """Take a breakdown."""
    return breakdowns.breakdown(opened.holding, asked, dimension, page)


def drivers(opened: Opened, asked: Asked, most: int = 20) -> wire.Drivers:
    """Take the drivers of a change."""
    return drivers_of.drivers(opened.holding, asked, opened.brand, most)


def life(opened: Opened, item: Literal["query", "page"], key: str) -> wire.Life:
    """Take one query's or page's whole life."""
    return lives.life(opened.holding, opened.key, item, key)


def ledger(
    opened: Opened, source: int | None, grain: str, first: date | None, last: date | None, today: date
) -> wire.Ledger:
    """Read the day ledger of a source of a site; its first source when none is named."""
    number = opened.sources[0] if source is None else source
    if number not in opened.sources:
        raise NotThere(
            "no-such-source", f"{opened.key} has no source {number}.", remedy="list them with `noctilum sources`"
        )
    return ledgers.ledger(opened.history, opened.key, number, grain, first, last, today)


def portfolio(install: Install, today: date) -> wire.Portfolio:
    """Take all sites at a glance, those that need a look first."""
    with install.records.read() as db:
        found = [(s.key, s.host, s.client.key, s.client.name) for s in db.scalars(select(Site).order_by(Site.host))]
    rows = []
    for key, host, client, name in found:
        site = portfolios.SiteOf(key, host, client, name)
        try:
            opened = open_site(install, key)
            rows.append(portfolios.row(site, opened.holding, opened.brand))
        except NotThere as why:
            rows.append(portfolios.waiting(site, f"{why.what} {why.remedy.capitalize()}."))
    return portfolios.arranged(rows, today)


def stamp(opened: Opened) -> str:
    """Stand for everything a site's readings depend on: the same stamp means the same answers."""
    return f"{opened.key} {opened.sources} {opened.brand} {opened.history.generation}"


def stamps(install: Install) -> str:
    """Stand for everything the portfolio depends on."""
    with install.records.read() as db:
        keys = [(s.key, s.client.name) for s in db.scalars(select(Site).order_by(Site.host))]
    found = []
    for key, client in keys:
        try:
            found.append(f"{client} {stamp(open_site(install, key))}")
        except NotThere as why:
            found.append(f"{client} {key} {why.code}")
    return "; ".join(found)
