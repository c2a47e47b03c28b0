"""The worklist: putting items on it, changing them, and what their being done sets."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy import select
from sqlalchemy.orm import Session

from noctilum.actions import kept_work
from noctilum.actions.find import find_site
from noctilum.actions.hand_over_rows import of_site
from noctilum.actions.install import Install
from noctilum.actions.site_access import open_site
from noctilum.core.errors import Fault, Nonsense, NotThere, worded
from noctilum.core.pages import path_on
from noctilum.readings.worked import standing_of
from noctilum.records.models import DatedNote, Site, User, Work
from noctilum.wire import work as wire
from noctilum.wire.handed import HandedWork

listed = kept_work.listed
NOTED_AS = {"refresh": "content", "new content": "content", "title and snippet": "content", "technical": "site change"}
"""What kind of dated note stands for which kind of work; other kinds are other notes."""
MOST_NOTED = 1000


def one(install: Install, number: int) -> wire.WorkOut:
    """Give an item; raises NotThere."""
    with install.records.read() as db:
        return kept_work.told(db, number)


def added(install: Install, asked: wire.NewWork, now: datetime) -> wire.WorkOut:
    """Put an item on the list, with how it stands now. Raises NotThere for a site, set or person there is not."""
    baseline = baseline_of(install, asked.site, asked.of, asked.key, now)
    with install.records.begin() as db:
        return kept_work.told(db, _added(db, asked, baseline, now).id)


def take(install: Install, asked: wire.ManyWork, now: datetime) -> wire.WorkTaken:
    """Put the same on the list about several things; what is open with the same words already is told and left."""
    given = asked.model_dump(exclude={"keys"})
    with install.records.read() as db:
        site = find_site(db, asked.site)
        there = {each.key for each in _same(db, site, asked.of, asked.todo)}
        named = [_named(site, asked.of, key) for key in dict.fromkeys(asked.keys)]
    wanted = [wire.NewWork(**given, key=key) for key in named if key not in there]
    baselines = [baseline_of(install, asked.site, each.of, each.key, now) for each in wanted]
    with install.records.begin() as db:
        items = [_added(db, each, baseline, now).id for each, baseline in zip(wanted, baselines, strict=True)]
        return wire.WorkTaken(
            added=[kept_work.told(db, number) for number in items], repeated=[key for key in named if key in there]
        )


def changed(install: Install, number: int, asked: wire.NewWork, now: datetime) -> wire.WorkOut:
    """Make an item what is asked; how it stood when it was put on the list stays. Raises NotThere."""
    with install.records.begin() as db:
        item = kept_work.found(db, number)
        for name, value in _values(db, asked, now).items():
            setattr(item, name, value)
        item.changed_at = now
        _note(db, item, now)
        db.flush()
        return kept_work.told(db, number)


def dropped(install: Install, number: int) -> None:
    """Delete an item, with the note that it set."""
    with install.records.begin() as db:
        item = kept_work.found(db, number)
        _forget_note(db, item)
        db.delete(item)


def bring(db: Session, site: Site, told: Sequence[HandedWork], now: datetime) -> None:
    """Keep the items that came with a hand-over, with the notes of those done; nobody here is to do them yet."""
    for asked in told:
        item = asked.model_copy(update={"site": site.key, "owner": None})
        _added(db, item, asked.baseline.model_dump(mode="json") if asked.baseline else {}, now)


def _added(db: Session, asked: wire.NewWork, baseline: Mapping[str, Any], now: datetime) -> Work:
    item = Work(**_values(db, asked, now), baseline=dict(baseline), created_at=now, changed_at=now)
    db.add(item)
    db.flush()
    _note(db, item, now)
    db.flush()
    return item


def _same(db: Session, site: Site, of: str, todo: str) -> list[Work]:
    asked = select(Work).where(Work.site_id == site.id, Work.of == of, Work.todo == todo)
    return list(db.scalars(asked.where(Work.state.in_(kept_work.OPEN))))


def _values(db: Session, asked: wire.NewWork, now: datetime) -> dict[str, Any]:
    """Give the columns of an item. Raises NotThere, and Nonsense for a day of being done that is yet to come."""
    site = find_site(db, asked.site)
    today = now.astimezone(ZoneInfo(site.client.time_zone)).date()
    done_on = (asked.done_on or today) if asked.state == "done" else None
    if done_on is not None and done_on > today:
        raise Nonsense("not-done-yet", worded("{day} is yet to come.", day=done_on), where="done_on")
    return {
        "site_id": site.id,
        "of": asked.of,
        "key": _named(site, asked.of, asked.key),
        "todo": asked.todo.strip(),
        "why": asked.why.strip(),
        "kind": asked.kind,
        "owner_id": _owner(db, asked.owner),
        "due": asked.due,
        "state": asked.state,
        "done_on": done_on,
        "reason": asked.reason.strip() if asked.state == "dropped" else "",
    }


def _named(site: Site, of: str, key: str) -> str:
    return path_on(site.host, key.strip()) if of == "page" else key.strip()


def _owner(db: Session, email: str | None) -> int | None:
    if not email:
        return None
    number = db.scalar(select(User.id).where(User.email == email.strip().casefold()))
    if number is None:
        raise NotThere(
            "no-such-user",
            worded("Nobody here has the address {email!r}.", email=email[:100]),
            where="owner",
            remedy="list them with `noctilum users`",
        )
    return number


def _note(db: Session, item: Work, now: datetime) -> None:
    """Keep the dated note of an item that is done, and none of one that is not."""
    if item.state != "done" or item.done_on is None:
        _forget_note(db, item)
        return
    client = db.get_one(Site, item.site_id).client_id
    about = f": {item.key}" if item.of in ("query", "keyword") else ""
    told = {
        "first": item.done_on,
        "last": item.done_on,
        "kind": NOTED_AS.get(item.kind, "other"),
        "text": f"{item.todo}{about}"[:MOST_NOTED],
        "client_id": client,
        "site_id": item.site_id,
        "page": item.key if item.of == "page" else None,
        "set_name": item.key[:80] if item.of == "set" else None,
    }
    found = db.get(DatedNote, item.note_id) if item.note_id else None
    if found is None:
        found = DatedNote(origin="worklist", created_at=now, **told)
        db.add(found)
    for name, value in told.items():
        setattr(found, name, value)
    db.flush()
    item.note_id = found.id


def _forget_note(db: Session, item: Work) -> None:
    found = db.get(DatedNote, item.note_id) if item.note_id else None
    item.note_id = None
    if found is not None:
        db.delete(found)


def baseline_of(install: Install, site: str, of: str, key: str, now: datetime) -> dict[str, Any]:
    """Read how something stands over the 28 days held by then; empty where nothing can be read of it."""
    try:
        found = standing_of(open_site(install, site), of, key, now.date())
    except NotThere as why:
        if why.code in ("no-such-site", "no-such-set"):
            raise
        return {}
    except Fault:
        return {}
    return found.model_dump(mode="json")


_HANDED = ("of", "key", "todo", "why", "kind", "state", "reason")


def handed(db: Session, site: Site) -> list[dict[str, Any]]:
    """Give the items of the site; who was to do them stays here."""
    return [
        {name: getattr(found, name) for name in _HANDED}
        | {name: value.isoformat() for name in ("due", "done_on") if (value := getattr(found, name)) is not None}
        | {"baseline": found.baseline or None}
        for found in of_site(db, Work, site)
    ]
