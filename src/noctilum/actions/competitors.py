"""Competitors: domains that a site's ranks are set beside."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from noctilum.actions.find import find_site
from noctilum.actions.hand_over_rows import of_site, typed
from noctilum.actions.install import Install
from noctilum.actions.setup import canonical_host
from noctilum.core.errors import Clash, NotThere, worded
from noctilum.records.models import LARGEST_NUMBER, Competitor, Site
from noctilum.wire import competitors as wire
from noctilum.wire.handed import HandedCompetitor


def listed(install: Install, asked: wire.CompetitorsQuery) -> list[wire.CompetitorOut]:
    """List competitors by domain."""
    question = select(Competitor, Site.key).join(Site, Competitor.site_id == Site.id).order_by(Competitor.domain)
    with install.records.read() as db:
        if asked.site is not None:
            question = question.where(Competitor.site_id == find_site(db, asked.site).id)
        return [_out(found, key) for found, key in db.execute(question)]


def one(install: Install, number: int) -> wire.CompetitorOut:
    """Give a competitor; raises NotThere."""
    with install.records.read() as db:
        found, site = _found(db, number)
        return _out(found, site)


def added(install: Install, asked: wire.NewCompetitor, now: datetime) -> wire.CompetitorOut:
    """Name a competitor of a site. Raises Clash for one that is named already."""
    with install.records.begin() as db:
        site = find_site(db, asked.site)
        domain = canonical_host(asked.domain)
        _refuse_named(db, site, domain, None)
        found = Competitor(site_id=site.id, domain=domain, label=asked.label, created_at=now)
        db.add(found)
        db.flush()
        return _out(found, site.key)


def changed(install: Install, number: int, asked: wire.NewCompetitor, now: datetime) -> wire.CompetitorOut:
    """Make a competitor what is asked. Raises NotThere, and Clash for one that is named already."""
    with install.records.begin() as db:
        found, _ = _found(db, number)
        site = find_site(db, asked.site)
        domain = canonical_host(asked.domain)
        _refuse_named(db, site, domain, number)
        found.site_id, found.domain, found.label = site.id, domain, asked.label
        db.flush()
        return _out(found, site.key)


def dropped(install: Install, number: int) -> None:
    """Name a competitor no more; what was seen of it stays in the history."""
    with install.records.begin() as db:
        db.delete(_found(db, number)[0])


def _found(db: Session, number: int) -> tuple[Competitor, str]:
    asked = select(Competitor, Site.key).join(Site, Competitor.site_id == Site.id).where(Competitor.id == number)
    found = db.execute(asked).first() if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere(
            "no-such-competitor",
            worded("There is no competitor {number}.", number=number),
            remedy="list them with `noctilum competitors`",
        )
    return found[0], found[1]


def _refuse_named(db: Session, site: Site, domain: str, number: int | None) -> None:
    asked = select(Competitor.id).where(Competitor.site_id == site.id, Competitor.domain == domain)
    found = db.scalar(asked)
    if found is not None and found != number:
        raise Clash("competitor-named", worded("{domain} is named already.", domain=domain), remedy="change that one")


def _out(found: Competitor, site: str) -> wire.CompetitorOut:
    return wire.CompetitorOut(id=found.id, site=site, domain=found.domain, label=found.label)


def handed(db: Session, site: Site) -> list[dict[str, Any]]:
    """Give the competitors of the site."""
    return [typed(found, HandedCompetitor) for found in of_site(db, Competitor, site)]


def bring(db: Session, site: Site, told: Sequence[HandedCompetitor], now: datetime) -> None:
    """Add the competitors of a hand-over, each once."""
    for domain, label in {canonical_host(found.domain): found.label for found in told}.items():
        db.add(Competitor(site_id=site.id, domain=domain, label=label, created_at=now))
