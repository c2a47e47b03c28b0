"""Taking readings: finding a site's history and asking the right module."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass
from datetime import date
from typing import Literal
from uuid import uuid4

import structlog
from sqlalchemy import select
from sqlalchemy.orm import joinedload, selectinload

from noctilum.actions.find import find_site, find_source
from noctilum.actions.glances import glance
from noctilum.actions.install import Install
from noctilum.actions.sets import usable_sets
from noctilum.core.brand import BrandRule
from noctilum.core.errors import Fault, NotThere
from noctilum.core.windows import parse_window
from noctilum.history import History
from noctilum.readings import breakdown as breakdowns
from noctilum.readings import clusters as clusterings
from noctilum.readings import cross as crossings
from noctilum.readings import device_gap as gaps
from noctilum.readings import drivers as drivers_of
from noctilum.readings import effect as effects
from noctilum.readings import fading as fadings
from noctilum.readings import ledger as ledgers
from noctilum.readings import life as lives
from noctilum.readings import odd as odds
from noctilum.readings import overlap as overlaps
from noctilum.readings import portfolio as portfolios
from noctilum.readings import reach as reaches
from noctilum.readings import reconcile as reconciles
from noctilum.readings import timeline as timelines
from noctilum.readings import tries
from noctilum.readings import unclicked as unclickeds
from noctilum.readings import weekdays as weeks
from noctilum.readings.frame import Asked, Holding, holding
from noctilum.readings.narrow import NamedSet, Words
from noctilum.readings.reconcile import SourceOf
from noctilum.readings.rows_of import Slice
from noctilum.records.models import Site, Source
from noctilum.wire import compare, explain
from noctilum.wire import readings as wire
from noctilum.wire.noted import BrandTry, FilterTry, NoteEffect, NoteOut
from noctilum.words.tell import told

log = structlog.get_logger("noctilum.take")


@dataclass(frozen=True)
class Opened:
    """A site ready to be read. sources: numbers of the search feeds that are read; all_sources: every one it has."""

    key: str
    history: History
    sources: tuple[int, ...]
    words: Words
    all_sources: tuple[SourceOf, ...] = ()

    @property
    def holding(self) -> Holding:
        """What is held; raises NotThere when nothing is."""
        return holding(self.history, self.sources, self.words)


def open_site(install: Install, key: str, engine: str | None = None, source: int | None = None) -> Opened:
    """Find a site's history; raises NotThere with the remedy for each way it can be empty.

    Without engine or source the site's counted sources are read together; engine keeps those of one
    engine, source reads one alone, also one that is not counted.
    """
    with install.records.read() as db:
        site = find_site(db, key, with_sources=True)
        return _opened(install, site, usable_sets(db, site.client_id), engine, source)


def open_sites(install: Install) -> Iterator[tuple[portfolios.SiteOf, int, Opened | Fault]]:
    """Open every site, by host, with few questions of the records; a fault stands for one that cannot be read."""
    with install.records.read() as db:
        asked = select(Site).options(selectinload(Site.sources), joinedload(Site.client)).order_by(Site.host)
        sites = list(db.scalars(asked))
        named = {number: usable_sets(db, number) for number in {site.client_id for site in sites}}
    for site in sites:
        of = _site_of(site)
        try:
            yield of, site.id, _opened(install, site, named[site.client_id])
        except Fault as why:
            yield of, site.id, why


def _site_of(site: Site) -> portfolios.SiteOf:
    return portfolios.SiteOf(site.key, site.host, site.client.key, site.client.name)


def _opened(
    install: Install,
    site: Site,
    named: Mapping[str, NamedSet],
    engine: str | None = None,
    source: int | None = None,
) -> Opened:
    found = tuple(_source_of(each, site.client.time_zone) for each in site.sources if each.kind == "search")
    words = Words(BrandRule.read(site.brand_terms), site.host, named)
    if not found:
        raise NotThere(
            "no-source",
            f"{site.host} has no search feed connected.",
            remedy="connect one under Sources, or with `noctilum connect`",
        )
    return Opened(site.key, install.history(site.id), _picked(site.host, found, engine, source), words, found)


def _source_of(found: Source, client_zone: str) -> SourceOf:
    return SourceOf(found.id, found.label, found.engine, found.time_zone, found.counted, client_zone)


def _picked(host: str, found: Sequence[SourceOf], engine: str | None, source: int | None) -> tuple[int, ...]:
    """Choose what is read together; raises NotThere naming what there is."""
    if source is not None:
        picked = [each.number for each in found if each.number == source]
        if not picked:
            raise NotThere(
                "no-such-source", f"{host} has no source {source}.", remedy="list them with `noctilum sources`"
            )
        return tuple(picked)
    counted = [each for each in found if each.counted]
    if engine is None:
        return tuple(each.number for each in counted)
    picked = [each.number for each in counted if each.engine.lower() == engine.lower()]
    if not picked:
        engines = ", ".join(sorted({each.engine for each in counted}))
        raise NotThere("no-such-engine", f"{host} has no source of {engine!r}.", remedy=f"one of {engines}")
    return tuple(picked)


def timeline(opened: Opened, asked: Asked, bucket: str, week_start: int = 0) -> wire.Timeline:
    """Take a timeline; weeks begin on week_start (0 is Monday)."""
    return told(timelines.timeline(opened.holding, asked, bucket, week_start), asked.language)


def breakdown(opened: Opened, asked: Asked, dimension: wire.Dimension, page: breakdowns.Page) -> wire.Breakdown:
    """Take a breakdown."""
    return told(breakdowns.breakdown(opened.holding, asked, dimension, page), asked.language)


def drivers(opened: Opened, asked: Asked, most: int = 20, part: str | None = None) -> wire.Drivers:
    """Take the drivers of a change."""
    return told(drivers_of.drivers(opened.holding, asked, most, part), asked.language)


def fading(
    opened: Opened, asked: Asked, item: explain.Item, verdicts: Sequence[str], page: Slice
) -> explain.Judgements:
    """Take verdicts on pages or queries."""
    return told(fadings.fading(opened.holding, asked, item, verdicts, page), asked.language)


def reach(opened: Opened, asked: Asked, page: Slice, fewest: int) -> explain.Reach:
    """Take what is within reach."""
    return told(reaches.reach(opened.holding, asked, page, fewest), asked.language)


def overlap(opened: Opened, asked: Asked, page: Slice, fewest: int) -> explain.Overlap:
    """Take the queries that pages share."""
    return told(overlaps.overlap(opened.holding, asked, page, fewest), asked.language)


def clusters(opened: Opened, asked: Asked, page: Slice, language: str) -> explain.Clusters:
    """Take clusters of queries."""
    return told(clusterings.cluster(opened.holding, asked, page, language), asked.language)


def cross(opened: Opened, asked: Asked, rows: str, columns: str, page: Slice) -> explain.Cross:
    """Take figures by two dimensions."""
    return told(crossings.cross(opened.holding, asked, rows, columns, page), asked.language)


def band_counts(opened: Opened, asked: Asked, item: explain.Item = "query") -> explain.BandCounts:
    """Take counts of queries or pages by band and month."""
    return told(crossings.band_counts(opened.holding, asked, item), asked.language)


def weekdays(opened: Opened, asked: Asked) -> compare.Weekdays:
    """Take the profile of a week."""
    return told(weeks.weekdays(opened.holding, asked), asked.language)


def unclicked(opened: Opened, asked: Asked, page: Slice) -> compare.Unclicked:
    """Take impressions without clicks."""
    return told(unclickeds.unclicked(opened.holding, asked, page), asked.language)


def device_gap(opened: Opened, asked: Asked, page: Slice, fewest: int) -> compare.DeviceGap:
    """Take mobile against desktop."""
    return told(gaps.device_gap(opened.holding, asked, page, fewest), asked.language)


def odd_days(opened: Opened, asked: Asked, notes: Sequence[NoteOut]) -> explain.OddDays:
    """Take odd days, next to the notes that might explain them."""
    return told(odds.odd(opened.holding, asked, notes), asked.language)


def note_effect(
    opened: Opened, note: NoteOut, others: Sequence[NoteOut], days: int, language: str = "en"
) -> NoteEffect:
    """Take what was before and after a note."""
    return told(effects.effect(opened.holding, opened.key, note, others, days), language)


def try_filter(opened: Opened, text: str, item: explain.Item) -> FilterTry:
    """Say what a filter means on a site."""
    return tries.try_filter(opened.history, opened.words, text, item)


def try_brand(install: Install, key: str, terms: str | None, texts: Sequence[str]) -> BrandTry:
    """Try brand terms, those in use by default, on all a site was ever shown for; nothing is known of a new one."""
    with install.records.read() as db:
        site = find_site(db, key)
    saved = BrandRule.read(site.brand_terms)
    asked = saved if terms is None else BrandRule.read(terms)
    known: Sequence[str] = ()
    with suppress(NotThere):
        known = install.history(site.id).all_texts("query")
    return tries.try_brand(known, saved, asked, texts)


def life(opened: Opened, item: Literal["query", "page"], key: str, language: str = "en") -> wire.Life:
    """Take one query's or page's whole life."""
    return told(lives.life(opened.holding, opened.key, item, key), language)


def ledger(
    opened: Opened, source: int | None, grain: str | None, first: date | None, last: date | None, today: date
) -> wire.Ledger:
    """Read the day ledger of a source of a site; its first source when none is named."""
    number = _one_source(opened, source).number
    return ledgers.ledger(opened.history, opened.key, number, grain, first, last, today)


def _one_source(opened: Opened, source: int | None) -> SourceOf:
    number = opened.sources[0] if source is None else source
    for found in opened.all_sources:
        if found.number == number:
            return found
    raise NotThere(
        "no-such-source", f"{opened.key} has no source {number}.", remedy="list them with `noctilum sources`"
    )


def making(opened: Opened, source: int | None, day: date) -> wire.DayMaking:
    """Show what a day was made from; of the site's first source when none is named."""
    found = _one_source(opened, source)
    return ledgers.making(opened.history, opened.key, found.number, found.label, day)


def changes(
    opened: Opened, source: int | None, grain: str | None, first: date | None, last: date | None
) -> list[wire.DayChange]:
    """List changes of final days over the sources that are read, or one."""
    numbers = opened.sources if source is None else (_one_source(opened, source).number,)
    return ledgers.changes(opened.history, numbers, grain, first, last)


def reconciliation(opened: Opened, window: str) -> wire.Reconciliation:
    """Say why two numbers differ, over every source of a site."""
    held = opened.holding
    span = parse_window(window, ends_on=held.complete_through, starts_on=held.first_held)
    return reconciles.reconcile(opened.history, opened.key, opened.all_sources, span)


def portfolio(install: Install, today: date) -> wire.Portfolio:
    """Take all sites at a glance, those that need a look first."""
    rows = [_portfolio_row(install, *each) for each in open_sites(install)]
    return portfolios.arranged(rows, today)


def _portfolio_row(install: Install, site: portfolios.SiteOf, number: int, opened: Opened | Fault) -> wire.PortfolioRow:
    """Read one site; one that cannot be read says why, and takes no other away."""
    try:
        if isinstance(opened, Fault):
            raise opened
        return glance(install, number, site, opened, stamp(opened))
    except NotThere as why:
        return portfolios.waiting(site, f"{why.what} {why.remedy.capitalize()}.")
    except Fault as why:
        return portfolios.unreadable(site, f"{why.what} {why.remedy.capitalize()}.")
    except Exception as why:
        log.exception("site not read", site=site.key)
        text = f"Its history cannot be read ({type(why).__name__}). Run `noctilum verify {site.key}`."
        return portfolios.unreadable(site, text)


def keep_glance(install: Install, source: int) -> None:
    """Make the portfolio's row of a source's site ahead of whoever looks next; a site not to be read has none."""
    with install.records.read() as db:
        site = find_source(db, source).site
        of = _site_of(site)
    with suppress(Fault):
        opened = open_site(install, site.key)
        glance(install, site.id, of, opened, stamp(opened))


def stamp(opened: Opened) -> str:
    """Stand for everything a site's readings depend on: the same stamp means the same answers."""
    return f"{opened.key} {opened.sources} {opened.words.stamp} {opened.history.generation}"


def stamps(install: Install) -> str:
    """Stand for everything the portfolio depends on."""
    return "; ".join(f"{site.client_name} {site.key} {_stamp_of(opened)}" for site, _, opened in open_sites(install))


def _stamp_of(opened: Opened | Fault) -> str:
    """Stand for a site's state; one that cannot be read is looked at anew each time."""
    try:
        return (
            opened.code if isinstance(opened, NotThere) else uuid4().hex if isinstance(opened, Fault) else stamp(opened)
        )
    except Fault:
        return uuid4().hex
