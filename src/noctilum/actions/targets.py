"""Targets as they are kept: set, changed, dropped."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from noctilum.actions.find import find_site
from noctilum.actions.hand_over_rows import of_site, typed
from noctilum.actions.install import Install
from noctilum.actions.sets import usable_sets
from noctilum.core.errors import Nonsense, NotThere, worded
from noctilum.core.filters import divide, fields_of, parse
from noctilum.core.filters.fields import FIELDS
from noctilum.datasets import DATASETS
from noctilum.readings.narrow import Words, set_names
from noctilum.records.models import LARGEST_NUMBER, Client, Site, Target
from noctilum.wire import targets as wire
from noctilum.wire.handed import HandedTarget

_SAID = ("name", "metric", "over", "filter", "tagged", "value", "starts", "by")


def listed(install: Install, asked: wire.TargetsQuery) -> list[wire.TargetOut]:
    """List targets, the next to be reached first."""
    question = _named()
    with install.records.read() as db:
        if asked.site is not None:
            question = question.where(Target.site_id == find_site(db, asked.site).id)
        return [_out(*found) for found in db.execute(question.order_by(Target.by, Target.id))]


def one(install: Install, number: int) -> wire.TargetOut:
    """Give a target; raises NotThere."""
    with install.records.read() as db:
        return _out(*_found(db, number))


def added(install: Install, asked: wire.NewTarget, now: datetime) -> wire.TargetOut:
    """Set a target. Raises NotThere for a site that there is not, Nonsense for a filter that cannot be asked."""
    with install.records.begin() as db:
        found = Target(**_values(db, asked), created_at=now)
        db.add(found)
        db.flush()
        return _out(*_found(db, found.id))


def changed(install: Install, number: int, asked: wire.NewTarget, now: datetime) -> wire.TargetOut:
    """Make a target what is asked. Raises NotThere, Nonsense."""
    with install.records.begin() as db:
        found = _found(db, number)[0]
        for name, value in _values(db, asked).items():
            setattr(found, name, value)
        db.flush()
        return _out(*_found(db, number))


def dropped(install: Install, number: int) -> None:
    """Delete a target."""
    with install.records.begin() as db:
        db.delete(_found(db, number)[0])


def bring(db: Session, site: Site, told: Sequence[HandedTarget], now: datetime) -> None:
    """Keep the targets that came with a hand-over."""
    for asked in told:
        db.add(Target(site_id=site.id, created_at=now, **{name: getattr(asked, name) for name in _SAID}))


def _values(db: Session, asked: wire.NewTarget) -> dict[str, Any]:
    site = find_site(db, asked.site)
    _check_filter(db, site, asked)
    return {"site_id": site.id} | {name: getattr(asked, name) for name in _SAID}


def _check_filter(db: Session, site: Site, asked: wire.NewTarget) -> None:
    """Raise FilterFault, Nonsense or NotThere for a filter that cannot be asked of what is counted."""
    if not asked.filter.strip():
        return
    fields = FIELDS if asked.metric in wire.SEARCHED else fields_of(DATASETS["visits"])
    found = parse(asked.filter, fields)
    if divide(found, fields).results is not None:
        raise Nonsense(
            "filter-on-results",
            "A target is of rows as they were counted; nothing can be asked of what they come to.",
            where="filter",
            remedy="ask of queries, pages, countries, devices, sets",
        )
    words = Words(sets=usable_sets(db, site.client_id))
    for name in set_names(found):
        words.named(name)


def _named() -> Any:
    joined = select(Target, Site.key, Client.key).join(Site, Target.site_id == Site.id)
    return joined.join(Client, Site.client_id == Client.id)


def _found(db: Session, number: int) -> tuple[Target, str, str]:
    found = db.execute(_named().where(Target.id == number)).first() if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere(
            "no-such-target",
            worded("There is no target {number}.", number=number),
            remedy="list them with `noctilum targets`",
        )
    return found[0], found[1], found[2]


def _out(found: Target, site: str, client: str) -> wire.TargetOut:
    told = {name: getattr(found, name) for name in ("id", *_SAID, "created_at")}
    return wire.TargetOut.model_validate(told | {"site": site, "client": client})


def handed(db: Session, site: Site) -> list[dict[str, Any]]:
    """Give the targets of the site."""
    return [typed(found, HandedTarget) for found in of_site(db, Target, site)]
