"""Hand-over: one site's whole history and records as one file, to give away or to move to another install."""

from __future__ import annotations

import json
import shutil
import sqlite3
import tempfile
import zipfile
from contextlib import closing
from dataclasses import dataclass
from datetime import date, datetime
from pathlib import Path
from typing import Any

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from noctilum import __version__
from noctilum.actions.backup import file_digest
from noctilum.actions.find import find_site
from noctilum.actions.install import Install
from noctilum.core.errors import Clash, Nonsense, StoreFault
from noctilum.history import History
from noctilum.records.models import Client, DatedNote, SavedSet, Site, Source

FORM = 2
CLIENT_FIELDS = ("key", "name", "language", "time_zone", "currency", "colour", "accent")
SET_FIELDS = ("name", "item", "rule", "members")
NOTE_FIELDS = ("kind", "text", "page", "set_name", "origin")
SITE_FIELDS = ("key", "host", "brand_terms")
SOURCE_FIELDS = (
    "id", "kind", "connector", "label", "url", "account", "property", "engine", "time_zone", "scope", "counted",
    "part_of", "schedule", "settings",
)  # fmt: skip


@dataclass(frozen=True)
class Brought:
    """Say what came in with a hand-over file. locked: sources whose secret has to be entered."""

    site: str
    client: str
    sources: dict[int, int]
    locked: tuple[int, ...]
    days: int
    first: date | None
    last: date | None


def hand_over(install: Install, key: str, to: Path, now: datetime) -> Path:
    """Write a site's whole history and records to one ZIP file, without secrets; returns it.

    Inside: manifest.json (client, site, sources, sets, notes, digest of the history) and history.db.
    """
    with install.records.read() as db:
        site = find_site(db, key, with_sources=True)
        records = {
            "client": {name: getattr(site.client, name) for name in CLIENT_FIELDS},
            "site": {name: getattr(site, name) for name in SITE_FIELDS},
            "sources": [{name: getattr(source, name) for name in SOURCE_FIELDS} for source in site.sources],
            "sets": _sets_of(db, site),
            "notes": _notes_of(db, site),
        }
        number = site.id
    path = to / f"{key.replace('/', '~')}-{now:%Y-%m-%d}.noctilum.zip" if to.is_dir() else to
    if path.exists():
        raise Clash("file-exists", f"{path} is there already.", remedy="choose another name")
    with tempfile.TemporaryDirectory(prefix="hand-over-", dir=install.settings.data) as folder:
        copy = Path(folder) / "history.db"
        install.history(number).copy_to(copy)
        head = {"form": FORM, "version": __version__, "made_at": now.isoformat(timespec="seconds")}
        manifest = head | {"history": file_digest(copy), **records}
        partial = path.with_name(path.name + ".partial")
        try:
            with zipfile.ZipFile(partial, "w", zipfile.ZIP_STORED) as archive:
                archive.writestr("manifest.json", json.dumps(manifest, indent=2, ensure_ascii=False))
                archive.write(copy, "history.db")
            partial.rename(path)
        except OSError as why:
            partial.unlink(missing_ok=True)
            raise StoreFault("hand-over-failed", f"{path} could not be written: {why.strerror}.") from why
    return path


def _sets_of(db: Session, site: Site) -> list[dict[str, Any]]:
    """Give the sets that the site's readings may name: its client's, and the agency's under other names."""
    mine = {found.name: found for found in db.scalars(select(SavedSet).where(SavedSet.client_id.is_(None)))}
    mine |= {found.name: found for found in db.scalars(select(SavedSet).where(SavedSet.client_id == site.client_id))}
    return [{name: getattr(found, name) for name in SET_FIELDS} for found in mine.values()]


def _notes_of(db: Session, site: Site) -> list[dict[str, Any]]:
    """Give the notes on the site and on its client; the agency's own stay with the agency."""
    concerned = or_(DatedNote.site_id == site.id, DatedNote.client_id == site.client_id)
    found = db.scalars(select(DatedNote).where(concerned).order_by(DatedNote.id))
    return [
        {name: getattr(note, name) for name in NOTE_FIELDS}
        | {"first": note.first.isoformat(), "last": note.last.isoformat(), "on_site": note.site_id == site.id}
        for note in found
    ]


def bring_in(install: Install, path: Path, now: datetime, client: str | None = None) -> Brought:
    """Take a hand-over file in: the site, its sources and its history, all or nothing.

    The client of that key is used, or made; client names another. Raises Clash when the site is there
    already, StoreFault when the file is not whole. Feeds wait until their secrets are entered.
    """
    with tempfile.TemporaryDirectory(prefix="bring-in-", dir=install.settings.data) as folder:
        manifest = _read(path, Path(folder))
        history = Path(folder) / "history.db"
        with install.records.begin() as db:
            site, numbers = _add_records(db, manifest, client, now)
            _renumbered(history, numbers)
            days = _days(history)
            target = install.history_path(site.id)
            target.parent.mkdir(parents=True, exist_ok=True)
            if target.exists():
                raise Clash("history-exists", f"There is a history of site {site.id} already.", where=str(target))
            shutil.move(history, target)
            locked = tuple(source.id for source in site.sources if source.state == "broken")
            owner = site.client.key
    return Brought(site.key, owner, numbers, locked, *days)


def _read(path: Path, folder: Path) -> dict[str, Any]:
    try:
        with zipfile.ZipFile(path) as archive:
            manifest: dict[str, Any] = json.loads(archive.read("manifest.json"))
            if manifest["form"] > FORM:
                raise StoreFault(
                    "hand-over-newer", f"{path.name} was made by version {manifest['version']}.", remedy="use that one"
                )
            with archive.open("history.db") as source, (folder / "history.db").open("wb") as sink:
                shutil.copyfileobj(source, sink, 1 << 20)
    except FileNotFoundError as why:
        raise Nonsense("no-such-file", f"There is no file {path}.") from why
    except (OSError, KeyError, ValueError, TypeError, zipfile.BadZipFile) as why:
        raise StoreFault("hand-over-unreadable", f"{path.name} is no hand-over file.", where=str(path)) from why
    if file_digest(folder / "history.db") != manifest.get("history"):
        raise StoreFault(
            "hand-over-damaged", f"The history in {path.name} is not what was handed over.", remedy="ask for it again"
        )
    return manifest


def _add_records(
    db: Session, manifest: dict[str, Any], client: str | None, now: datetime
) -> tuple[Site, dict[int, int]]:
    given = manifest["site"]
    taken = db.scalar(select(Site).where(Site.host == given["host"]))
    if taken:
        raise Clash("site-exists", f"{given['host']} belongs to {taken.client.name} already.")
    owner = db.scalar(select(Client).where(Client.key == (client or manifest["client"]["key"])))
    if owner is None:
        if client:
            raise Nonsense("no-such-client", f"There is no client {client!r}.", remedy="add it first")
        owner = Client(created_at=now, **manifest["client"])
    site = Site(client=owner, created_at=now, **given)
    db.add(site)
    db.flush()
    numbers: dict[int, int] = {}
    for found in manifest["sources"]:
        source = _source(site, dict(found), now)
        db.add(source)
        db.flush()
        numbers[int(found["id"])] = source.id
    _add_noted(db, manifest, site, now)
    for source in site.sources:
        source.part_of = numbers.get(source.part_of or 0)
    db.flush()
    return site, numbers


def _add_noted(db: Session, manifest: dict[str, Any], site: Site, now: datetime) -> None:
    """Add the sets that the client cannot name yet, and the notes it has not yet; files before form 2 have none."""
    usable = or_(SavedSet.client_id.is_(None), SavedSet.client_id == site.client_id)
    names = set(db.scalars(select(SavedSet.name).where(usable)))
    for found in manifest.get("sets", []):
        if found["name"] not in names:
            db.add(SavedSet(client_id=site.client_id, created_at=now, **found))
    for found in manifest.get("notes", []):
        given = dict(found)
        owner = {"site_id": site.id} if given.pop("on_site") else {"client_id": site.client_id}
        given |= owner | {name: date.fromisoformat(given[name]) for name in ("first", "last")}
        same = [getattr(DatedNote, name) == value for name, value in given.items() if name != "origin"]
        if db.scalar(select(DatedNote.id).where(*same)) is None:
            db.add(DatedNote(created_at=now, **given))


def _source(site: Site, found: dict[str, Any], now: datetime) -> Source:
    found.pop("id")
    source = Source(site=site, sealed_secret=b"", created_at=now, **found)
    if source.connector != "files":
        source.state = "broken"
        source.fault = "secret-missing: it came with a hand-over\n  try: noctilum source NUMBER --secret"
    return source


def _renumbered(path: Path, numbers: dict[int, int]) -> None:
    history = History(path)
    try:
        history.renumber(numbers)
    finally:
        history.close()
    with closing(sqlite3.connect(path)) as db:
        db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        db.execute("PRAGMA journal_mode=DELETE")


def _days(path: Path) -> tuple[int, date | None, date | None]:
    with closing(sqlite3.connect(path)) as db:
        count, first, last = db.execute("SELECT count(DISTINCT day), min(day), max(day) FROM ledger").fetchone()
    return count, *(date.fromordinal(day) if day else None for day in (first, last))
