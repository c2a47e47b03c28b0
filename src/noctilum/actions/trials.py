"""Trials as they are kept: planned, changed, ended, dropped."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from noctilum.actions.find import find_site
from noctilum.actions.hand_over_rows import of_site, typed
from noctilum.actions.install import Install
from noctilum.core.errors import NotThere, worded
from noctilum.core.pages import path_on
from noctilum.records.models import LARGEST_NUMBER, Site, Trial
from noctilum.wire import trials as wire
from noctilum.wire.handed import HandedTrial


def listed(install: Install, asked: wire.TrialsQuery) -> list[wire.TrialOut]:
    """List trials, the newest first."""
    question = select(Trial, Site.key).join(Site, Trial.site_id == Site.id)
    with install.records.read() as db:
        if asked.site is not None:
            question = question.where(Trial.site_id == find_site(db, asked.site).id)
        return [_out(found, key) for found, key in db.execute(question.order_by(Trial.starts.desc(), Trial.id.desc()))]


def one(install: Install, number: int) -> wire.TrialOut:
    """Give a trial; raises NotThere."""
    with install.records.read() as db:
        return _out(*_found(db, number))


def added(install: Install, asked: wire.NewTrial, now: datetime) -> wire.TrialOut:
    """Plan a trial. Raises NotThere for a site that there is not."""
    with install.records.begin() as db:
        found = Trial(**_values(db, asked), created_at=now)
        db.add(found)
        db.flush()
        return _out(*_found(db, found.id))


def changed(install: Install, number: int, asked: wire.NewTrial, now: datetime) -> wire.TrialOut:
    """Make a trial what is asked. Raises NotThere."""
    with install.records.begin() as db:
        found, _ = _found(db, number)
        for name, value in _values(db, asked).items():
            setattr(found, name, value)
        db.flush()
        return _out(*_found(db, number))


def dropped(install: Install, number: int) -> None:
    """Delete a trial."""
    with install.records.begin() as db:
        db.delete(_found(db, number)[0])


def bring(db: Session, site: Site, told: Sequence[HandedTrial], now: datetime) -> None:
    """Keep the trials that came with a hand-over."""
    of_here = (_values(db, asked.model_copy(update={"site": site.key})) for asked in told)
    db.add_all(Trial(**values, created_at=now) for values in of_here)


def _values(db: Session, asked: wire.NewTrial) -> dict[str, Any]:
    site = find_site(db, asked.site)

    def named(keys: list[str]) -> list[str]:
        plain = (key.strip() for key in keys)
        return list(dict.fromkeys(path_on(site.host, key) if asked.of == "page" else key for key in plain))

    return {
        "site_id": site.id,
        "name": asked.name,
        "what": asked.what.strip(),
        "of": asked.of,
        "treated": named(asked.treated),
        "control": named(asked.control),
        "starts": asked.starts,
        "weeks": asked.weeks,
        "ended_on": asked.ended_on,
        "log": [line.model_dump(mode="json") for line in asked.log],
    }


def _found(db: Session, number: int) -> tuple[Trial, str]:
    asked = select(Trial, Site.key).join(Site, Trial.site_id == Site.id).where(Trial.id == number)
    found = db.execute(asked).first() if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere(
            "no-such-trial",
            worded("There is no trial {number}.", number=number),
            remedy="list them with `noctilum trials`",
        )
    return found[0], found[1]


def _out(found: Trial, site: str) -> wire.TrialOut:
    named = ("id", "name", "what", "of", "treated", "control", "starts", "weeks", "ended_on")
    told = {name: getattr(found, name) for name in named}
    log = [wire.LogOut(day=date.fromisoformat(line["day"]), text=line["text"]) for line in found.log]
    return wire.TrialOut.model_validate(told | {"site": site, "log": log})


def handed(db: Session, site: Site) -> list[dict[str, Any]]:
    """Give the trials of the site."""
    return [typed(found, HandedTrial) for found in of_site(db, Trial, site)]
