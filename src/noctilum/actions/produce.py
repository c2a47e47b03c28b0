"""Files that jobs make for somebody to fetch: exports and hand-overs."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import datetime
from pathlib import Path
from typing import Any

from noctilum.actions import export, handover, queue, take
from noctilum.actions.find import find_site
from noctilum.actions.install import Install
from noctilum.core.errors import NotThere
from noctilum.readings.breakdown import Page
from noctilum.readings.frame import Asked
from noctilum.wire.operating import AskExport

ROWS_AT_ONCE = 500


def queue_export(install: Install, site: str, asked: AskExport, now: datetime) -> int:
    """Queue an export; returns the job's number."""
    with install.records.read() as db:
        key = find_site(db, site).key
    return queue.put(install, "export", {"site": key, **asked.model_dump()}, now).id


def run(
    install: Install, job: int, given: Mapping[str, Any], report: Callable[[export.ExportProgress], bool]
) -> Mapping[str, Any]:
    """Do an export job."""
    asked = AskExport.model_validate({name: value for name, value in given.items() if name != "site"})
    opened = take.open_site(install, str(given["site"]), asked.engine, asked.source)
    name = f"{opened.key.replace('/', '~')}-{asked.what}-{asked.by}{export.ENDINGS[asked.format]}"
    path = folder(install, job) / name
    if asked.what == "days":
        done = export.export_days(opened, asked.by, asked.window, asked.format, path, report)
    else:
        done = export.export_rows(list(_rows(opened, asked)), asked.format, path)
    return {"file": path.name, "rows": done.rows, "bytes": path.stat().st_size}


def _rows(opened: take.Opened, asked: AskExport) -> Any:
    where = {str(name): text for name, text in asked.where.items()}
    question = Asked(opened.key, asked.window, asked.against, where, asked.filter)
    if asked.what == "timeline":
        found = take.timeline(opened, question, asked.by)
        return [point.model_dump(mode="json") for point in found.points]
    if asked.what == "ledger":
        return [row.model_dump(mode="json") for row in _ledger(opened, asked)]
    return _all_rows(opened, question, asked)


def _ledger(opened: take.Opened, asked: AskExport) -> Any:
    held = opened.holding
    last = max(held.states)
    return take.ledger(opened, asked.source, asked.by, None, last, last).days


def _all_rows(opened: take.Opened, question: Asked, asked: AskExport) -> Any:
    offset = 0
    while True:
        page = Page("", asked.sort, ROWS_AT_ONCE, offset)
        found = take.breakdown(opened, question, asked.by, page)  # type: ignore[arg-type]
        for row in found.rows:
            yield row.model_dump(mode="json")
        offset += ROWS_AT_ONCE
        if offset >= found.matching:
            return


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
        raise NotThere("no-product", f"Job {job} has made no file, or it was cleared.", remedy="start it again")
    return made[0]
