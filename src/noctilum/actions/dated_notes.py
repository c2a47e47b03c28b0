"""Dated notes: keeping them, taking them from files, and finding those that concern a site."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterator, Sequence
from datetime import date, datetime, timedelta
from typing import Any, get_args

from icalendar import Calendar
from pydantic import ValidationError
from sqlalchemy import ColumnElement, and_, bindparam, or_, select
from sqlalchemy.orm import Session

from noctilum.actions.find import find_client, find_site
from noctilum.actions.install import Install
from noctilum.core.errors import Nonsense, NotThere, worded
from noctilum.records.models import LARGEST_NUMBER, Client, DatedNote, Site, Work
from noctilum.wire import noted as wire
from noctilum.wire.handed import HandedNote
from noctilum.wire.resources import NotesQuery

HEAD = ("day", "to", "kind", "text", "page", "set")
MOST_REFUSED = 100


def list_notes(
    install: Install, site: str | None = None, first: date | None = None, last: date | None = None
) -> list[wire.NoteOut]:
    """List notes, newest first; with a site, those on it, on its client and on the agency."""
    with install.records.read() as db:
        asked = select(DatedNote, Client.key, Site.key)
        asked = asked.outerjoin(Client, DatedNote.client_id == Client.id).outerjoin(Site, DatedNote.site_id == Site.id)
        if site is not None:
            asked = asked.where(_concerning(find_site(db, site)))
        if first is not None:
            asked = asked.where(DatedNote.last >= first)
        if last is not None:
            asked = asked.where(DatedNote.first <= last)
        return [_out(*row) for row in db.execute(asked.order_by(DatedNote.first.desc(), DatedNote.id.desc()))]


_MOVING = select(DatedNote.text, DatedNote.first).where(
    DatedNote.kind == wire.MOVING,
    or_(
        DatedNote.site_id == bindparam("site"),
        and_(DatedNote.client_id == bindparam("client"), DatedNote.site_id.is_(None)),
        DatedNote.client_id.is_(None),
    ),
    DatedNote.page.is_(None),
    DatedNote.set_name.is_(None),
)
"""Made once: it is asked with every reading."""


def moving_holidays(db: Session, site: Site) -> dict[str, tuple[date, ...]]:
    """Give the holidays that come back on other days and concern a site, by name; those noted once tell nothing."""
    found: dict[str, set[date]] = {}
    names: dict[str, str] = {}
    for text, first in db.execute(_MOVING, {"site": site.id, "client": site.client_id}):
        name = names.setdefault(text.strip().casefold(), text.strip())
        found.setdefault(name, set()).add(first)
    return {name: tuple(sorted(days)) for name, days in found.items() if len(days) > 1}


def listed(install: Install, asked: NotesQuery) -> list[wire.NoteOut]:
    """List notes as a question narrows them, newest first."""
    return list_notes(install, asked.site, asked.first, asked.last)


def one(install: Install, number: int) -> wire.NoteOut:
    """Give a note; raises NotThere."""
    with install.records.read() as db:
        return _out_of(db, _found(db, number))


def added(install: Install, asked: wire.NewNote, now: datetime) -> wire.NoteOut:
    """Keep a note that somebody typed."""
    return add_note(install, asked, now)


def changed(install: Install, number: int, asked: wire.NewNote, now: datetime) -> wire.NoteOut:
    """Make a note what is asked; where it came from stays. Raises NotThere."""
    with install.records.begin() as db:
        found = _found(db, number)
        for name, value in _values(db, asked).items():
            setattr(found, name, value)
        db.flush()
        return _out_of(db, found)


def dropped(install: Install, number: int) -> None:
    """Delete a note."""
    drop_note(install, number)


def add_note(install: Install, asked: wire.NewNote, now: datetime, origin: str = "typed") -> wire.NoteOut:
    """Keep a note."""
    with install.records.begin() as db:
        return _out_of(db, _added(db, asked, now, origin))


def drop_note(install: Install, number: int) -> None:
    """Delete a note; raises NotThere."""
    with install.records.begin() as db:
        db.delete(_found(db, number))


def take_notes(install: Install, asked: wire.AskNotes, now: datetime) -> wire.NotesTaken:
    """Take notes from a file's text; what is there already, word for word, is not taken twice.

    Raises Nonsense when the file cannot be read at all; lines that cannot be used are told.
    """
    lines = _from_csv(asked) if asked.format == "csv" else _from_calendar(asked)
    refused: list[str] = []
    added = repeated = 0
    with install.records.begin() as db:
        for place, given in lines:
            try:
                note = wire.NewNote.model_validate({"client": asked.client, "site": asked.site, **given})
            except ValidationError as why:
                refused.append(f"{place}: {why.errors()[0]['msg'].removeprefix('Value error, ')}")
                continue
            if _is_there(db, note):
                repeated += 1
                continue
            _added(db, note, now, asked.origin or asked.format)
            added += 1
    return wire.NotesTaken(added=added, repeated=repeated, refused=refused[:MOST_REFUSED])


def _from_csv(asked: wire.AskNotes) -> Iterator[tuple[str, dict[str, Any]]]:
    text = asked.text.removeprefix("\ufeff")
    head = text.partition("\n")[0]
    reader = csv.DictReader(io.StringIO(text), delimiter=max(",;\t", key=head.count))
    names = [name.strip().casefold() for name in reader.fieldnames or ()]
    if "day" not in names or "text" not in names:
        raise Nonsense(
            "notes-unreadable",
            "The file's first line does not name its columns.",
            where="line 1",
            remedy=worded("begin with {head}", head=",".join(HEAD)),
        )
    reader.fieldnames = names
    for row in reader:
        given = {name: (row.get(name) or "").strip() or None for name in HEAD}
        yield (
            f"line {reader.line_num}",
            {
                "first": given["day"],
                "last": given["to"],
                "kind": given["kind"] or asked.kind,
                "text": given["text"] or "",
                "page": given["page"],
                "set": given["set"],
            },
        )


def _from_calendar(asked: wire.AskNotes) -> Iterator[tuple[str, dict[str, Any]]]:
    """Read the events of an iCalendar file (RFC 5545): whole days, or the days a time falls on."""
    try:
        calendar = Calendar.from_ical(asked.text)
    except (ValueError, IndexError, KeyError) as why:
        raise Nonsense(
            "notes-unreadable", worded("The file is no iCalendar file: {why}.", why=why), where="text"
        ) from why
    for number, event in enumerate(calendar.walk("VEVENT"), start=1):
        begins, ends = event.get("DTSTART"), event.get("DTEND")
        categories = [str(each).casefold() for each in getattr(event.get("CATEGORIES"), "cats", [])]
        kind = next((kind for kind in get_args(wire.NoteKind) if kind in categories), asked.kind)
        yield (
            f"event {number}",
            {
                "first": _day(begins.dt) if begins is not None else None,
                "last": _last_day(begins.dt, ends.dt) if begins is not None and ends is not None else None,
                "kind": kind,
                "text": str(event.get("SUMMARY", "")),
            },
        )


def _day(moment: date | datetime) -> date:
    return moment.date() if isinstance(moment, datetime) else moment


def _last_day(begins: date | datetime, ends: date | datetime) -> date:
    """Give an event's last day: an end that is a day, or midnight, is not part of it."""
    midnight = not isinstance(ends, datetime) or (ends.hour, ends.minute, ends.second) == (0, 0, 0)
    last = _day(ends) - timedelta(1 if midnight else 0)
    return max(last, _day(begins))


def _added(db: Session, asked: wire.NewNote, now: datetime, origin: str) -> DatedNote:
    found = DatedNote(**_values(db, asked), origin=origin, created_at=now)
    db.add(found)
    db.flush()
    return found


def _values(db: Session, asked: wire.NewNote) -> dict[str, Any]:
    """Give the columns of a note; raises NotThere for a site or client that there is not."""
    site = find_site(db, asked.site) if asked.site else None
    client = find_client(db, asked.client) if asked.client else None
    return {
        "first": asked.first,
        "last": asked.last or asked.first,
        "kind": asked.kind,
        "text": asked.text.strip(),
        "client_id": site.client_id if site else client.id if client else None,
        "site_id": site.id if site else None,
        "page": asked.page,
        "set_name": asked.set,
    }


def _is_there(db: Session, asked: wire.NewNote) -> bool:
    site = find_site(db, asked.site) if asked.site else None
    client = find_client(db, asked.client) if asked.client else None
    return (
        db.scalar(
            select(DatedNote.id).where(
                DatedNote.first == asked.first,
                DatedNote.last == (asked.last or asked.first),
                DatedNote.kind == asked.kind,
                DatedNote.text == asked.text.strip(),
                DatedNote.site_id.is_(site.id if site else None),
                DatedNote.client_id.is_(site.client_id if site else client.id if client else None),
                DatedNote.page.is_(asked.page),
                DatedNote.set_name.is_(asked.set),
            )
        )
        is not None
    )


def _concerning(site: Site) -> ColumnElement[bool]:
    """Notes on the site, on its client as a whole, or on the agency as a whole."""
    whole_client = and_(DatedNote.client_id == site.client_id, DatedNote.site_id.is_(None))
    return or_(DatedNote.site_id == site.id, whole_client, DatedNote.client_id.is_(None))


def _found(db: Session, number: int) -> DatedNote:
    found = db.get(DatedNote, number) if number <= LARGEST_NUMBER else None
    if found is None:
        raise NotThere(
            "no-such-note",
            worded("There is no note {number}.", number=number),
            remedy="list them with `noctilum notes`",
        )
    return found


def _out_of(db: Session, found: DatedNote) -> wire.NoteOut:
    client = db.get(Client, found.client_id) if found.client_id else None
    site = db.get(Site, found.site_id) if found.site_id else None
    return _out(found, client.key if client else None, site.key if site else None)


def _out(found: DatedNote, client: str | None, site: str | None) -> wire.NoteOut:
    return wire.NoteOut.model_validate(
        {
            "id": found.id,
            "first": found.first,
            "last": found.last,
            "kind": found.kind if found.kind in get_args(wire.NoteKind) else "other",
            "text": found.text,
            "client": client,
            "site": site,
            "page": found.page,
            "set": found.set_name,
            "origin": found.origin,
        }
    )


_HANDED = ("kind", "text", "page", "set_name", "origin")


def handed(db: Session, site: Site) -> list[dict[str, Any]]:
    """Give the notes on the site and on its client; the agency's own stay here, those of work come with the work."""
    theirs = select(Work.note_id).where(Work.note_id.is_not(None))
    concerned = or_(DatedNote.site_id == site.id, DatedNote.client_id == site.client_id)
    concerned = and_(concerned, DatedNote.id.not_in(theirs))
    found = db.scalars(select(DatedNote).where(concerned).order_by(DatedNote.id))
    return [
        {name: getattr(note, name) for name in _HANDED}
        | {"first": note.first.isoformat(), "last": note.last.isoformat(), "on_site": note.site_id == site.id}
        for note in found
    ]


def bring(db: Session, site: Site, told: Sequence[HandedNote], now: datetime) -> None:
    """Add the notes of a hand-over that are not there yet."""
    for note in told:
        owner = {"site_id": site.id} if note.on_site else {}
        given = note.model_dump(exclude={"on_site"}) | owner | {"client_id": site.client_id}
        same = [getattr(DatedNote, name) == value for name, value in given.items() if name != "origin"]
        if db.scalar(select(DatedNote.id).where(*same)) is None:
            db.add(DatedNote(created_at=now, **given))
