"""Local grids: keeping them, and the lookups that they need."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from noctilum.actions.find import find_site
from noctilum.actions.hand_over_rows import of_site, typed
from noctilum.actions.install import Install
from noctilum.actions.keywords import canonical_term
from noctilum.core.errors import NotThere, worded
from noctilum.core.grid import points
from noctilum.records.models import LARGEST_NUMBER, Grid, Keyword, Site
from noctilum.wire import grids as wire
from noctilum.wire.handed import HandedGrid


def listed(install: Install, asked: wire.GridsQuery) -> list[wire.GridOut]:
    """List grids by label."""
    question = select(Grid, Site.key).join(Site, Grid.site_id == Site.id).order_by(Grid.label, Grid.id)
    with install.records.read() as db:
        if asked.site is not None:
            question = question.where(Grid.site_id == find_site(db, asked.site).id)
        return [_out(found, key) for found, key in db.execute(question)]


def one(install: Install, number: int) -> wire.GridOut:
    """Give a grid; raises NotThere."""
    with install.records.read() as db:
        found, site = _found(db, number)
        return _out(found, site)


def added(install: Install, asked: wire.NewGrid, now: datetime) -> wire.GridOut:
    """Keep a grid."""
    with install.records.begin() as db:
        site = find_site(db, asked.site)
        found = Grid(site_id=site.id, created_at=now, **values_of(asked))
        db.add(found)
        db.flush()
        return _out(found, site.key)


def changed(install: Install, number: int, asked: wire.NewGrid, now: datetime) -> wire.GridOut:
    """Make a grid what is asked; with other points it is looked up anew."""
    with install.records.begin() as db:
        found, _ = _found(db, number)
        site = find_site(db, asked.site)
        found.site_id, found.checked_at = site.id, None
        for name, value in values_of(asked).items():
            setattr(found, name, value)
        db.flush()
        return _out(found, site.key)


def dropped(install: Install, number: int) -> None:
    """Look a grid up no more; what was found stays in the history."""
    with install.records.begin() as db:
        db.delete(_found(db, number)[0])


def lookups_of(grid: Grid) -> list[Keyword]:
    """Give what is looked up for a grid, one lookup a point, as keywords that nobody keeps."""
    alike: dict[str, Any] = {
        name: getattr(grid, name) for name in ("term", "engine", "language", "country", "device", "interval")
    }
    return [
        Keyword(id=0, place=point.place, pinned=False, weight=1, tags=[], checked_at=grid.checked_at, **alike)
        for point in points(grid.latitude, grid.longitude, grid.spacing, grid.size)
    ]


def values_of(asked: wire.NewGrid) -> dict[str, Any]:
    """Give a grid's columns."""
    return asked.model_dump(exclude={"site"}) | {"term": canonical_term(asked.term)}


def _found(db: Session, number: int) -> tuple[Grid, str]:
    asked = select(Grid, Site.key).join(Site, Grid.site_id == Site.id).where(Grid.id == number)
    found = db.execute(asked).first() if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere(
            "no-such-grid",
            worded("There is no local grid {number}.", number=number),
            remedy="list them with `noctilum grids`",
        )
    return found[0], found[1]


def _out(found: Grid, site: str) -> wire.GridOut:
    names = [name for name in wire.GridOut.model_fields if name not in ("tag", "site", "checked_at")]
    checked = found.checked_at.isoformat(timespec="seconds") if found.checked_at else None
    given = {name: getattr(found, name) for name in names}
    return wire.GridOut.model_validate(given | {"site": site, "checked_at": checked})


def handed(db: Session, site: Site) -> list[dict[str, Any]]:
    """Give the local grids of the site."""
    return [typed(found, HandedGrid) for found in of_site(db, Grid, site)]


def bring(db: Session, site: Site, told: Sequence[HandedGrid], now: datetime) -> None:
    """Add the local grids of a hand-over."""
    db.add_all(Grid(site_id=site.id, created_at=now, **values_of(found)) for found in told)
