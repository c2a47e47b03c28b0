"""Erasing for good: a client, a site or a source, with a record of how much of what went."""

from __future__ import annotations

import os
import shutil
from contextlib import suppress
from datetime import datetime
from pathlib import Path
from typing import Any

from sqlalchemy import delete, select

from noctilum.actions.edition_files import FOLDER as RENDERED
from noctilum.actions.find import find_client, find_site, find_source
from noctilum.actions.install import Install
from noctilum.core.errors import Clash, Nonsense, NotThere, worded
from noctilum.records.models import Erasure, Job, Notice, Source, WebhookPost


def erase_client(install: Install, key: str, confirm: str, who: str, now: datetime) -> dict[str, Any]:
    """Delete a client with all its sites; returns what went. confirm: its key again, so that none goes by mistake."""
    with install.records.read() as db:
        client = find_client(db, key)
        name, sites = client.name, [site.key for site in client.sites]
    _check_confirmed(key, confirm)
    went = [_erase_site(install, site) for site in sites]
    with install.records.begin() as db:
        db.delete(find_client(db, key))
    summed = {"client": name, "sites": went}
    _note(install, f"client {name}", summed, who, now)
    return summed


def erase_site(install: Install, key: str, confirm: str, who: str, now: datetime) -> dict[str, Any]:
    """Delete a site with its history and sources; returns what went."""
    _check_confirmed(key, confirm)
    went = _erase_site(install, key)
    _note(install, f"site {key}", went, who, now)
    return went


def erase_source(install: Install, number: int, confirm: str, who: str, now: datetime) -> dict[str, Any]:
    """Delete one source with what is held of it; the site's other sources stay. Returns what went."""
    _check_confirmed(str(number), confirm)
    with install.records.read() as db:
        source = find_source(db, number)
        site, label = source.site_id, source.label
    _refuse_busy(install, [number])
    went: dict[str, Any] = {"source": label, "ledger_rows": 0}
    with suppress(NotThere):
        went["ledger_rows"] = install.history(site).drop_source(number)
    _wipe_glances(install, site)
    with install.records.begin() as db:
        db.delete(find_source(db, number))
        db.execute(delete(Notice).where(Notice.source_id == number))
    _clear_folders(install, [number])
    _note(install, f"source {label}", went, who, now)
    return went


def erasures(install: Install) -> list[Erasure]:
    """List what was erased, newest first."""
    with install.records.read() as db:
        return list(db.scalars(select(Erasure).order_by(Erasure.id.desc())))


def _check_confirmed(key: str, confirm: str) -> None:
    if confirm != key:
        raise Nonsense(
            "not-confirmed",
            worded("Deleting {key} for good has to be confirmed.", key=key),
            where="confirm",
            remedy=worded("confirm with {key}", key=key),
        )


def _erase_site(install: Install, key: str) -> dict[str, Any]:
    with install.records.read() as db:
        site = find_site(db, key, with_sources=True)
        number, host, sources = site.id, site.host, [source.id for source in site.sources]
    _refuse_busy(install, sources)
    went = _what_goes(install, number, host, len(sources))
    install.let_go(number)
    path = install.history_path(number)
    for suffix in ("", "-wal", "-shm"):
        _wipe(path.with_name(path.name + suffix))
    _wipe_glances(install, number)
    _wipe_rendered(install)
    _clear_folders(install, sources)
    with install.records.begin() as db:
        db.execute(delete(Source).where(Source.site_id == number))
        db.execute(delete(Notice).where(Notice.source_id.in_(sources)))
        for job in db.scalars(select(Job)):
            if job.arguments.get("source") in sources or job.arguments.get("site") == key:
                db.delete(job)
        for post in db.scalars(select(WebhookPost)):
            if post.body.get("site") == key:
                db.delete(post)
        db.delete(find_site(db, key))
    return went


def _refuse_busy(install: Install, sources: list[int]) -> None:
    with install.records.read() as db:
        running = [
            j.id for j in db.scalars(select(Job).where(Job.state == "running")) if j.arguments.get("source") in sources
        ]
    if running:
        raise Clash(
            "busy", worded("Job {running} is working on it.", running=running[0]), remedy="wait until it has ended"
        )


def _what_goes(install: Install, number: int, host: str, sources: int) -> dict[str, Any]:
    went: dict[str, Any] = {"site": host, "sources": sources, "days": 0, "rows": 0, "bytes": 0}
    try:
        history = install.history(number)
    except NotThere:
        return went
    lines = history.ledger()
    days = {line.day for line in lines}
    return went | {"days": len(days), "rows": sum(line.rows for line in lines), "bytes": history.size()}


def _wipe(path: Path) -> None:
    """Write zeros over a file, then delete it. On disks that remap blocks that is the most a program can do."""
    if not path.exists():
        return
    with path.open("r+b") as stream:
        left = path.stat().st_size
        while left > 0:
            piece = min(left, 1 << 20)
            stream.write(bytes(piece))
            left -= piece
        stream.flush()
        os.fsync(stream.fileno())
    path.unlink()


def _wipe_glances(install: Install, number: int) -> None:
    """Wipe a site's row of the portfolio, also one that a killed process was writing."""
    kept = install.glance_path(number)
    for path in kept.parent.glob(f"{kept.name}*"):
        _wipe(path)


def _wipe_rendered(install: Install) -> None:
    """Wipe the rendered files of editions; those of other sites are made again when they are asked for."""
    folder = install.settings.data / RENDERED
    for path in folder.iterdir() if folder.is_dir() else ():
        _wipe(path)


def _clear_folders(install: Install, sources: list[int]) -> None:
    for number in sources:
        shutil.rmtree(install.settings.data / "inbox" / str(number), ignore_errors=True)


def _note(install: Install, what: str, went: dict[str, Any], who: str, now: datetime) -> None:
    with install.records.begin() as db:
        db.add(Erasure(at=now, who=who, what=what, went=went))
    install.records.forget_deleted()
