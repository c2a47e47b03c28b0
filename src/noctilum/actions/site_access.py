"""Opening sites to be read: whose history, which of its sources, under which words."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from datetime import date
from functools import cache
from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import joinedload, selectinload

from noctilum.actions import alert_rules, competitors, dated_notes, grids, kept_work, keywords, targets, trials
from noctilum.actions.find import find_site
from noctilum.actions.install import Install
from noctilum.actions.presenters import values_of
from noctilum.actions.sets import usable_sets
from noctilum.core.brand import BrandRule
from noctilum.core.errors import Fault, NotThere, worded
from noctilum.readings import portfolio as portfolios
from noctilum.readings.narrow import NamedSet, Words
from noctilum.readings.site_access import SiteAccess, SourceOf
from noctilum.records.models import Site, Source
from noctilum.wire.competitors import CompetitorsQuery
from noctilum.wire.grids import GridsQuery
from noctilum.wire.targets import TargetsQuery
from noctilum.wire.trials import TrialsQuery

FAILURES = 3
"""A source whose pulls failed so many times in a row is at fault; once is nothing."""


def open_site(
    install: Install, key: str, engine: str | None = None, source: int | None = None, today: date | None = None
) -> SiteAccess:
    """Find a site's history; raises NotThere with the remedy for each way it can be empty.

    Without engine or source the site's counted sources are read together; engine keeps those of one
    engine, source reads one alone, also one that is not counted.
    """
    with install.records.read() as db:
        site = find_site(db, key, with_sources=True)
        holidays = dated_notes.moving_holidays(db, site)
        return _opened(install, site, usable_sets(db, site.client_id), holidays, engine, source, today)


class Opened(NamedTuple):
    """A site that was opened, or the fault that keeps it shut. keywords: stands for those it tracks."""

    site: portfolios.SiteOf
    number: int
    access: SiteAccess | Fault
    keywords: str


def open_sites(install: Install) -> Iterator[Opened]:
    """Open every site, by host, with few questions of the records."""
    with install.records.read() as db:
        asked = select(Site).options(selectinload(Site.sources), joinedload(Site.client)).order_by(Site.host)
        sites = list(db.scalars(asked))
        named = {number: usable_sets(db, number) for number in {site.client_id for site in sites}}
        holidays = {site.id: dated_notes.moving_holidays(db, site) for site in sites}
        tracked = keywords.stamps(db)
    for site in sites:
        of, stamp = site_of(site), tracked.get(site.id, "")
        try:
            yield Opened(of, site.id, _opened(install, site, named[site.client_id], holidays[site.id]), stamp)
        except Fault as why:
            yield Opened(of, site.id, why, stamp)


def site_of(site: Site) -> portfolios.SiteOf:
    """Name a site and its client for the portfolio."""
    return portfolios.SiteOf(site.key, site.host, site.client.key, site.client.name, site.client.currency)


def _opened(
    install: Install,
    site: Site,
    named: Mapping[str, NamedSet],
    holidays: Mapping[str, tuple[date, ...]],
    engine: str | None = None,
    source: int | None = None,
    today: date | None = None,
) -> SiteAccess:
    found = tuple(_source_of(each, site.client.time_zone) for each in site.sources)
    searched = tuple(each for each in found if each.kind == "search")
    words = Words(BrandRule.read(site.brand_terms), site.host, named, holidays)
    if not found:
        raise NotThere(
            "no-source",
            worded("{host} has no source connected.", host=site.host),
            remedy="connect one under Sources, or with `noctilum connect`",
        )
    key, client = site.key, site.client_id
    return SiteAccess(
        key,
        install.history(site.id),
        _picked(site.host, searched, engine, source) if searched else (),
        words,
        found,
        lambda: dated_notes.list_notes(install, key),
        today,
        cache(lambda: keywords.keywords_of(install, key)),
        cache(lambda: competitors.listed(install, CompetitorsQuery(site=key))),
        cache(lambda: grids.listed(install, GridsQuery(site=key))),
        None if site.session_value is None else site.session_value / 100,
        tuple(values_of(site)),
        cache(lambda: kept_work.of_site(install, key)),
        cache(lambda: trials.listed(install, TrialsQuery(site=key))),
        cache(lambda: alert_rules.of_site(install, key)),
        cache(lambda: targets.listed(install, TargetsQuery(site=key))),
        cache(lambda: _siblings(install, client)),
    )


def _siblings(install: Install, client: int) -> list[SiteAccess]:
    """Open every site of a client that has a source."""
    with install.records.read() as db:
        keys = list(db.scalars(select(Site.key).where(Site.client_id == client).order_by(Site.host)))
    found = []
    for key in keys:
        with suppress(NotThere):
            found.append(open_site(install, key))
    return found


def _source_of(found: Source, client_zone: str) -> SourceOf:
    faulty = not found.paused and (found.state == "broken" or found.failures >= FAILURES)
    named = (found.id, found.label, found.engine, found.time_zone, found.counted, client_zone, found.kind)
    return SourceOf(*named, faulty=faulty)


def _picked(host: str, found: Sequence[SourceOf], engine: str | None, source: int | None) -> tuple[int, ...]:
    """Choose what is read together; raises NotThere naming what there is."""
    if source is not None:
        picked = [each.number for each in found if each.number == source]
        if not picked:
            raise NotThere(
                "no-such-source",
                worded("{host} has no source {source}.", host=host, source=source),
                remedy="list them with `noctilum sources`",
            )
        return tuple(picked)
    counted = [each for each in found if each.counted]
    if engine is None:
        return tuple(each.number for each in counted)
    picked = [each.number for each in counted if each.engine.lower() == engine.lower()]
    if not picked:
        engines = ", ".join(sorted({each.engine for each in counted}))
        raise NotThere(
            "no-such-engine",
            worded("{host} has no source of {engine!r}.", host=host, engine=engine),
            remedy=worded("one of {engines}", engines=engines),
        )
    return tuple(picked)
