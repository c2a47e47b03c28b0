"""Importing monthly files of older days."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from noctilum.actions.find import find_source
from noctilum.actions.install import Install
from noctilum.core.days import DayState
from noctilum.core.settle import settle
from noctilum.history import DayEntry
from noctilum.sources.monthly_files import read_file


@dataclass(frozen=True)
class ImportResult:
    """Say what an import did. already: days that were held and stay as they are."""

    days: int
    rows: int
    already: int


def import_files(
    install: Install, source_id: int, paths: Iterable[Path], clock: Callable[[], datetime]
) -> ImportResult:
    """Keep the days of monthly files that are not held yet; a held day is never overwritten.

    Each file is read whole before anything of it is kept. Importing again changes nothing.
    """
    with install.records.read() as db:
        site_id = find_source(db, source_id).site_id
    history = install.history(site_id, create=True)
    days = rows = already = 0
    for path in paths:
        batches = [settle(batch).batch for batch in read_file(path)]
        if not batches:
            continue
        known = history.ledger(sources=[source_id], dataset=batches[0].dataset)
        held = {row.day for row in known if row.state is not DayState.MISSING}
        new = [batch for batch in batches if batch.day not in held]
        stamp = clock().isoformat(timespec="seconds")
        entries = [DayEntry(b.dataset, b.day, DayState.FINAL, "file", b, stamp, f"file {path.name}") for b in new]
        history.put_days(source_id, entries)
        days, rows, already = days + len(new), rows + sum(map(len, new)), already + len(batches) - len(new)
    return ImportResult(days, rows, already)
