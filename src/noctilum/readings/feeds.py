"""The sources of a site: how far their days have come, and whether they are late by how soon they used to come."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, timedelta

from noctilum.core.days import HELD
from noctilum.datasets import DATASETS
from noctilum.history import LedgerRow
from noctilum.readings.site_access import SiteAccess, SourceOf, rows_asked
from noctilum.wire import breaks as wire

LOOKED_AT = 42
"""So many of the newest held days tell how soon days used to come."""
NEAR = 60
"""So many days back are read first: the newest held ones are among them unless a source has stopped."""
GRACE = 2
FILES_GRACE = 45
"""Days that come in files are late after a month and a half (ours)."""
CHECKS = ("lookups",)
"""Kinds whose days are no feed's: they are checked here."""


def answer(site: SiteAccess, asked: wire.FeedsQuery) -> wire.Feeds:
    """Say of every source that counts how far its days have come."""
    found = [_row(site, each) for each in site.all_sources if each.counted]
    found.sort(key=lambda row: (not row.faulty, -row.late, row.label, row.source))
    page = rows_asked(asked)
    return wire.Feeds(
        site=site.key,
        rows=found[page.offset : page.offset + page.limit],
        generation=site.history.generation,
        offset=page.offset,
        matching=len(found),
    )


def _row(site: SiteAccess, source: SourceOf) -> wire.FeedRow:
    kept = DATASETS.of_kind(source.kind)[0]
    held = _newest(site, source.number, kept.name)
    last = held[-1] if held else None
    files = last is not None and last.origin.startswith("file ")
    due = None if source.kind in CHECKS else _due(held, kept.span, files, site.today)
    late = 0 if due is None or last is None else max(0, (due - last.day).days)
    behind = None if last is None or site.today is None else (site.today - last.day).days
    return wire.FeedRow(
        source=source.number,
        label=source.label,
        kind=source.kind,
        files=files,
        last=None if last is None else last.day,
        due=due,
        behind=behind,
        late=late,
        faulty=source.faulty,
    )


def _newest(site: SiteAccess, source: int, dataset: str) -> list[LedgerRow]:
    """Read the newest held days of a source, oldest first."""
    near = None if site.today is None else site.today - timedelta(NEAR)
    for first in dict.fromkeys((near, None)):
        ledger = site.history.ledger(sources=[source], dataset=dataset, first=first)
        held = sorted((row for row in ledger if row.state in HELD), key=lambda row: row.day)[-LOOKED_AT:]
        if len(held) == LOOKED_AT:
            break
    return held


def _due(held: Sequence[LedgerRow], span: str, files: bool, today: date | None) -> date | None:
    """Say which day should be held by now; None where nothing tells."""
    if today is None or not held:
        return None
    if files:
        return today - timedelta(FILES_GRACE)
    usual = min((datetime.fromisoformat(row.taken_at).date() - row.day).days for row in held)
    steps = {"week": 7, "month": 31}.get(span, 1)
    return today - timedelta(max(0, usual) + steps - 1 + GRACE)
