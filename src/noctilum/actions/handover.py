"""Hand-over: one site's whole history and records as one file, to give away or to move to another install."""

from __future__ import annotations

import json
import shutil
import tempfile
import zipfile
import zlib
from dataclasses import dataclass
from datetime import date, datetime
from importlib import import_module
from pathlib import Path
from typing import Any

from pydantic import ValidationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from noctilum import __version__, sqlite_files
from noctilum.actions.backup import file_digest
from noctilum.actions.find import file_name, find_site
from noctilum.actions.install import Install
from noctilum.actions.recurrence import rule_of
from noctilum.actions.setup import canonical_host, check_zone, site_key, slug
from noctilum.core.errors import Clash, Nonsense, StoreFault, worded
from noctilum.history import History, rebuild
from noctilum.records.models import Client, Site, Source
from noctilum.sources.contract import connector_class
from noctilum.sources.http_feed import checked_url
from noctilum.sources.mapping import read_mapping
from noctilum.sqlite_files import common_fault
from noctilum.wire.handed import HandedSource, Manifest
from noctilum.wire.manifest import HANDED_OVER, Handed, records_of
from noctilum.wire.plain_text import cleaned

FORM = 2
MOST_MANIFEST = 64 << 20
SMALL, MOST_RATIO = 16 << 20, 20
"""Bytes unpacked up to which no ratio is asked, and how many times as large as packed a file may be beyond."""
CLIENT_FIELDS = ("key", "name", "language", "time_zone", "currency", "colour", "accent")
SITE_FIELDS = ("key", "host", "brand_terms", "session_value", "page_values")
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

    Inside: manifest.json (client, site, sources, every kind of kept record that goes along, digest of the history) and
    history.db.
    """
    with install.records.read() as db:
        site = find_site(db, key, with_sources=True)
        records = {
            "client": {name: getattr(site.client, name) for name in CLIENT_FIELDS},
            "site": {name: getattr(site, name) for name in SITE_FIELDS},
            "sources": [{name: getattr(source, name) for name in SOURCE_FIELDS} for source in site.sources],
            **{each.name: import_module(each.store).handed(db, site) for each in HANDED_OVER},
        }
        number = site.id
    path = to / f"{file_name(key)}-{now:%Y-%m-%d}.noctilum.zip" if to.is_dir() else to
    if path.exists():
        raise Clash("file-exists", worded("{path} is there already.", path=path), remedy="choose another name")
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
            raise common_fault(why, path) or StoreFault(
                "hand-over-failed", worded("{path} could not be written: {strerror}.", path=path, strerror=why.strerror)
            ) from why
    return path


def bring_in(install: Install, path: Path, now: datetime, client: str | None = None) -> Brought:
    """Take a hand-over file in: the site, its sources and its history, all or nothing.

    Nothing in it is believed: records are checked as if somebody typed them, keys and numbers are given anew, and the
    history is rebuilt row by row. The client of that name is used, or made; client names another. Raises Clash when
    the site is there already, StoreFault when the file is not whole, Nonsense for what cannot be used. Feeds wait
    until their secrets are entered.
    """
    with tempfile.TemporaryDirectory(prefix="bring-in-", dir=install.settings.data) as folder:
        handed = _read(path, Path(folder), install.settings.most_upload)
        rebuilt = Path(folder) / "rebuilt.db"
        rebuild(Path(folder) / "history.db", rebuilt, {each.id: each.id for each in handed.sources})
        with install.records.begin() as db:
            site, numbers = _add_records(db, handed, client, now)
            _renumbered(rebuilt, numbers)
            days = _days(rebuilt)
            target = install.history_path(site.id)
            target.parent.mkdir(parents=True, exist_ok=True)
            if target.exists():
                raise Clash(
                    "history-exists", worded("There is a history of site {id} already.", id=site.id), where=str(target)
                )
            shutil.move(rebuilt, target)
            locked = tuple(source.id for source in site.sources if source.state == "broken")
            owner = site.client.key
    return Brought(site.key, owner, numbers, locked, *days)


def _read(path: Path, folder: Path, most: int) -> Manifest:
    """Read the manifest and unpack the history beside it, within limits."""
    try:
        with zipfile.ZipFile(path) as archive:
            manifest = _manifest(archive, path)
            if manifest.form > FORM:
                raise StoreFault(
                    "hand-over-newer",
                    worded("{name} was made by version {version}.", name=path.name, version=manifest.version),
                    remedy="use that one",
                )
            _check_size(archive.getinfo("history.db"), path, most)
            with archive.open("history.db") as source, (folder / "history.db").open("wb") as sink:
                shutil.copyfileobj(source, sink, 1 << 20)
    except FileNotFoundError as why:
        raise Nonsense("no-such-file", worded("There is no file {name}.", name=path.name)) from why
    except (OSError, KeyError, ValueError, TypeError, RuntimeError, NotImplementedError, zlib.error, EOFError) as why:
        raise common_fault(why, path) or _no_hand_over(path, "") from why
    except zipfile.BadZipFile as why:
        raise _no_hand_over(path, "") from why
    if file_digest(folder / "history.db") != manifest.history:
        raise StoreFault(
            "hand-over-damaged",
            worded("The history in {name} is not what was handed over.", name=path.name),
            remedy="ask for it again",
        )
    return manifest


def _no_hand_over(path: Path, why: str) -> StoreFault:
    return StoreFault(
        "hand-over-unreadable", worded("{name} is no hand-over file{why}.", name=path.name, why=why), where=path.name
    )


def _check_size(info: zipfile.ZipInfo, path: Path, most: int) -> None:
    """Refuse what unpacks to far more than it is packed: our own files are not packed at all."""
    if info.file_size > most or info.file_size > max(SMALL, MOST_RATIO * info.compress_size):
        raise Nonsense(
            "file-too-large",
            worded(
                "{filename} in {name} unpacks to {file_size:,} bytes.",
                filename=info.filename,
                name=path.name,
                file_size=info.file_size,
            ),
            where=path.name,
            remedy="ask for a hand-over file as Noctilum writes it",
        )


def _manifest(archive: zipfile.ZipFile, path: Path) -> Manifest:
    info = archive.getinfo("manifest.json")
    _check_size(info, path, MOST_MANIFEST)
    try:
        return Handed.model_validate_json(archive.read(info))
    except ValidationError as why:
        first = why.errors(include_url=False, include_input=False)[0]
        place = ".".join(map(str, first["loc"]))
        said = first["msg"].removeprefix("Value error, ")
        raise Nonsense(
            "hand-over-unusable",
            worded("What {name} says cannot be used: {said}.", name=path.name, said=cleaned(said, 200)),
            where=f"manifest.json, {cleaned(place, 100)}",
            remedy="ask for the file again",
        ) from why


def _add_records(db: Session, handed: Manifest, client: str | None, now: datetime) -> tuple[Site, dict[int, int]]:
    host = canonical_host(handed.site.host)
    taken = db.scalar(select(Site).where(Site.host == host))
    if taken:
        raise Clash("site-exists", worded("{host} belongs to {name} already.", host=host, name=taken.client.name))
    owner = _owner(db, handed, client, now)
    own: dict[str, Any] = {"brand_terms": handed.site.brand_terms, "session_value": handed.site.session_value}
    own["page_values"] = [each.model_dump() for each in handed.site.page_values]
    site = Site(client=owner, key=site_key(host), host=host, created_at=now, **own)
    db.add(site)
    db.flush()
    numbers: dict[int, int] = {}
    for found in handed.sources:
        if found.id in numbers:
            raise Nonsense(
                "hand-over-unusable", worded("The file lists source {id} twice.", id=found.id), where="sources"
            )
        source = _source(db, site, found, now)
        db.add(source)
        db.flush()
        numbers[found.id] = source.id
    for resource, told in records_of(handed):
        import_module(resource.store).bring(db, site, told, now)
    for source, found in zip(site.sources, handed.sources, strict=True):
        source.part_of = numbers.get(found.part_of or 0)
    db.flush()
    return site, numbers


def _owner(db: Session, handed: Manifest, client: str | None, now: datetime) -> Client:
    """Find whose the site becomes: the client that is named, one of the file's name, or a new one."""
    if client is not None:
        found = db.scalar(select(Client).where(Client.key == client))
        if found is None:
            raise Nonsense(
                "no-such-client", worded("There is no client {client!r}.", client=client), remedy="add it first"
            )
        return found
    given = handed.client
    found = db.scalar(select(Client).where(Client.key == slug(given.name)))
    if found is not None:
        return found
    check_zone(given.time_zone)
    return Client(key=slug(given.name), created_at=now, **given.model_dump(exclude={"key"}))


def _source(db: Session, site: Site, found: HandedSource, now: datetime) -> Source:
    """Make a source of what the file says of one; it waits for its secret."""
    check_zone(found.time_zone)
    files = found.connector == "files"
    if not files:
        connector_class(found.connector)
        checked_url(found.url)
        if found.settings.mapping:
            read_mapping(found.settings.mapping)
    given = found.model_dump(exclude={"id", "part_of", "settings", "schedule"})
    number = f"{site.key}/{slug(found.label)}"[:200] if files else found.property
    same = (Source.connector == found.connector, Source.url == found.url, Source.property == number)
    if len(number) > 200 or db.scalar(select(Source.id).where(*same)) is not None:
        raise Clash(
            "property-connected",
            worded("{label} is connected to another site here already, or twice in the file.", label=found.label),
            where=f"source {found.id}",
            remedy="take that source away first",
        )
    source = Source(
        site=site,
        sealed_secret=b"",
        created_at=now,
        schedule=rule_of(found.schedule),
        settings={name: value for name, value in found.settings.model_dump().items() if value},
        **given | {"property": number},
    )
    if not files:
        source.state = "broken"
        source.fault = "secret-missing: it came with a hand-over\n  try: noctilum source NUMBER --secret"
    return source


def _renumbered(path: Path, numbers: dict[int, int]) -> None:
    """Give sources their numbers here, and fold the log into the file, so that it can be moved alone."""
    history = History(path)
    try:
        history.renumber(numbers)
    finally:
        history.close()
    sqlite_files.fold(path)


def _days(path: Path) -> tuple[int, date | None, date | None]:
    history = History(path)
    try:
        days = {row.day for row in history.ledger()}
    finally:
        history.close()
    return len(days), min(days, default=None), max(days, default=None)
