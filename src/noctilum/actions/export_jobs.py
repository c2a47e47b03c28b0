"""Files that jobs make for somebody to fetch: exports and hand-overs."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import datetime
from pathlib import Path
from typing import Any

from noctilum.actions import export, export_rows, handover, queue
from noctilum.actions.find import file_name, find_site
from noctilum.actions.install import Install
from noctilum.actions.site_access import open_site
from noctilum.core.errors import NotThere, worded
from noctilum.wire.operating import AskExport


def queue_export(install: Install, site: str, asked: AskExport, now: datetime) -> int:
    """Queue an export; returns the job's number."""
    with install.records.read() as db:
        key = find_site(db, site).key
    return queue.put(install, "export", {"site": key, **asked.model_dump()}, now).id


def run(
    install: Install,
    job: int,
    given: Mapping[str, Any],
    report: Callable[[export.ExportProgress], bool],
    now: datetime,
) -> Mapping[str, Any]:
    """Do an export job."""
    asked = AskExport.model_validate({name: value for name, value in given.items() if name != "site"})
    site = str(given["site"])
    parts = [file_name(site), asked.what, *([asked.goes_by] if asked.goes_by else [])]
    path = folder(install, job) / f"{'-'.join(parts)}{export.ending(asked.format, asked.split)}"
    if asked.what == "days":
        access = open_site(install, site, asked.engine, asked.source)
        window = asked.window or "P28D"
        done = export.export_days(access, asked.goes_by, window, asked.format, path, report, asked.raw, asked.split)
    else:
        rows = export_rows.rows(install, site, asked, now.date())
        done = export.export_rows(rows, asked.format, path, asked.raw, export.types_of(asked.reading, asked.table))
    return {"file": path.name, "rows": done.rows, "bytes": path.stat().st_size}


def hand_over(install: Install, job: int, site: str, now: datetime) -> Mapping[str, Any]:
    """Do a hand-over job."""
    target = folder(install, job)
    target.mkdir(parents=True, exist_ok=True)
    for old in target.iterdir():
        old.unlink()
    path = handover.hand_over(install, site, target, now)
    return {"file": path.name, "bytes": path.stat().st_size}


def folder(install: Install, job: int) -> Path:
    """Say where a job puts what it makes."""
    return install.settings.data / "products" / str(job)


def product(install: Install, job: int) -> Path:
    """Find what a job made; raises NotThere."""
    found = folder(install, job)
    made = [path for path in found.glob("*") if not path.name.endswith(".partial")] if found.exists() else []
    if not made:
        raise NotThere(
            "no-product", worded("Job {job} has made no file, or it was cleared.", job=job), remedy="start it again"
        )
    return made[0]
