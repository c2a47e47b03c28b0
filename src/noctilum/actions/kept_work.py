"""The worklist as it is kept: finding items and telling them."""

from __future__ import annotations

from sqlalchemy import Select, select
from sqlalchemy.orm import Session

from noctilum.actions.find import find_client, find_site
from noctilum.actions.install import Install
from noctilum.core.errors import NotThere, worded
from noctilum.records.models import LARGEST_NUMBER, Client, Site, User, Work
from noctilum.wire import work as wire

OPEN = ("to do", "doing")


def listed(install: Install, asked: wire.WorkQuery) -> list[wire.WorkOut]:
    """List items as a question narrows them: open ones by when they are due, then the others, the newest first."""
    question = _all()
    with install.records.read() as db:
        if asked.site is not None:
            question = question.where(Work.site_id == find_site(db, asked.site).id)
        if asked.client is not None:
            question = question.where(Site.client_id == find_client(db, asked.client).id)
        if asked.owner is not None:
            question = question.where(User.email == asked.owner.strip().casefold())
        if asked.state != "all":
            question = question.where(Work.state.in_(OPEN if asked.state == "open" else (asked.state,)))
        found = [_out(item, key, client, email) for item, key, client, email in db.execute(question).all()]
    part = asked.find.casefold()
    return sorted((each for each in found if part in f"{each.key} {each.todo} {each.why}".casefold()), key=_order)


def of_site(install: Install, site: str) -> list[wire.WorkOut]:
    """List the items of a site."""
    return listed(install, wire.WorkQuery(site=site))


def _order(item: wire.WorkOut) -> tuple[bool, str, int]:
    waits = item.state in OPEN
    return not waits, str(item.due or "9") if waits else "", item.id if waits else -item.id


def _all() -> Select[Work, str, str, str]:
    asked = select(Work, Site.key, Client.key, User.email)
    asked = asked.join(Site, Work.site_id == Site.id).join(Client, Site.client_id == Client.id)
    return asked.outerjoin(User, Work.owner_id == User.id)


def found(db: Session, number: int) -> Work:
    """Find an item by number; raises NotThere."""
    item = db.scalar(select(Work).where(Work.id == number)) if number <= LARGEST_NUMBER else None
    if item is None:
        raise NotThere(
            "no-such-work",
            worded("There is no item of work {number}.", number=number),
            remedy="list them with `noctilum work`",
        )
    return item


def told(db: Session, number: int) -> wire.WorkOut:
    """Tell an item; raises NotThere."""
    found(db, number)
    item, key, client, email = db.execute(_all().where(Work.id == number)).one()
    return _out(item, key, client, email)


def _out(item: Work, site: str, client: str, owner: str | None) -> wire.WorkOut:
    return wire.WorkOut.model_validate(
        {
            "id": item.id,
            "site": site,
            "client": client,
            "of": item.of,
            "key": item.key,
            "todo": item.todo,
            "why": item.why,
            "kind": item.kind,
            "owner": owner,
            "due": item.due,
            "state": item.state,
            "done_on": item.done_on,
            "reason": item.reason,
            "baseline": item.baseline or None,
            "note": item.note_id,
            "created_at": item.created_at,
            "changed_at": item.changed_at,
        }
    )
