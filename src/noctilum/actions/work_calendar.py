"""The worklist as a calendar: to-dos that other programs read (RFC 5545), and the address at which they do."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from urllib.parse import urlencode, urlsplit

from icalendar import Calendar, Todo
from itsdangerous import BadSignature
from sqlalchemy.orm import Session

from noctilum.actions.install import Install
from noctilum.actions.kept_work import listed
from noctilum.actions.people import scope_of
from noctilum.actions.signed_links import signer
from noctilum.core.errors import NotThere
from noctilum.records.models import User
from noctilum.records.scope import within
from noctilum.wire import work as wire


def as_calendar(items: Sequence[wire.WorkOut], now: datetime, portal: str) -> bytes:
    """Write items as to-dos of a calendar (RFC 5545)."""
    calendar = Calendar()
    calendar.add("prodid", "-//Noctilum//Worklist//EN")
    calendar.add("version", "2.0")
    for item in items:
        calendar.add_component(_todo(item, now, portal))
    return bytes(calendar.to_ical())


_STATUS = {"to do": "NEEDS-ACTION", "doing": "IN-PROCESS", "done": "COMPLETED", "dropped": "CANCELLED"}


def _todo(item: wire.WorkOut, now: datetime, portal: str) -> Todo:
    todo = Todo()
    todo.add("uid", f"work-{item.id}@{urlsplit(portal).hostname or 'noctilum'}")
    todo.add("dtstamp", now)
    todo.add("created", item.created_at)
    todo.add("last-modified", item.changed_at)
    todo.add("summary", f"{item.todo} ({item.key or item.site})")
    todo.add("description", "\n".join(part for part in (item.site, item.why, item.reason) if part))
    todo.add("status", _STATUS[item.state])
    todo.add("categories", [item.kind])
    todo.add("url", f"{portal}/work?{urlencode({'site': item.site, 'state': 'all'})}")
    if item.due is not None:
        todo.add("due", item.due)
    if item.done_on is not None:
        todo.add("completed", datetime.combine(item.done_on, datetime.min.time(), now.tzinfo))
    return todo


def calendar_address(install: Install, user: int) -> wire.CalendarOut:
    """Make the address at which a calendar reads somebody's open items; one made before leads nowhere from then on."""
    with install.records.begin() as db:
        found = db.get_one(User, user)
        found.calendar += 1
        token = signer(install, "calendar").dumps([found.id, found.calendar])
    return wire.CalendarOut(address=f"{install.settings.portal}/calendar/{token}.ics")


def calendar_of(install: Install, token: str, now: datetime) -> bytes:
    """Give the calendar at an address: the open items of whom it was made for. Raises NotThere for one that is over."""
    with install.records.read() as db:
        user = _user_of(install, db, token)
        if user is None:
            raise NotThere("no-such-calendar", "There is no calendar at this address.", remedy="make a new one")
        email = user.email
        scope = scope_of(install, user)
    with within(scope):
        items = listed(install, wire.WorkQuery(owner=email, state="open"))
    return as_calendar(items, now, install.settings.portal)


def _user_of(install: Install, db: Session, token: str) -> User | None:
    try:
        number, turn = signer(install, "calendar").loads(token)
    except (BadSignature, ValueError, TypeError):
        return None
    found = db.get(User, number) if isinstance(number, int) else None
    return found if found is not None and found.calendar == turn else None
