"""Plain rows of readings whose columns depend on what was found."""

from __future__ import annotations

from typing import Any

from noctilum.wire.columns import flat
from noctilum.wire.explain import BandCounts, Cross, Overlap
from noctilum.wire.noted import NoteEffect
from noctilum.wire.ranks import Ladder
from noctilum.wire.readings import Reconciliation

Plain = dict[str, Any]


def crossed(reading: Cross) -> list[Plain]:
    """Give one cell a row, as a table for further reckoning wants it."""
    return [
        {reading.dimension: row.key, reading.columns_by: name} | flat(cell)
        for row in reading.rows
        for name, cell in zip(reading.columns, row.cells, strict=True)
    ]


def banded(reading: BandCounts) -> list[Plain]:
    """Give one month a row, with two columns a band."""
    rows = []
    for month in reading.months:
        found: Plain = {"month": f"{month.start:%Y-%m}", "partial": month.partial, "shown": month.shown}
        found |= {f"shown {band}": count for band, count in zip(reading.bands, month.counts, strict=True)}
        found |= {f"clicks {band}": clicks for band, clicks in zip(reading.bands, month.clicks, strict=True)}
        rows.append(found | {"new": month.new, "lost": month.lost})
    return rows


def shared(reading: Overlap) -> list[Plain]:
    """Give one page of one query a row."""
    return [
        {"query": row.query, "days_seen": row.days_seen, "switches": row.switches}
        | flat(page)
        | {"earns_more": page.page == row.earns_more}
        for row in reading.rows
        for page in row.pages
    ]


def totalled(reading: Reconciliation) -> list[Plain]:
    """Give one grain of one source a row."""
    return [
        {"source": each.source, "label": each.label} | flat(grain) for each in reading.sources for grain in each.grains
    ]


def compared(reading: NoteEffect) -> list[Plain]:
    """Give what came of a note in one row."""
    found: Plain = {"note": reading.note.id, "text": reading.note.text, "of": reading.of, "verdict": reading.verdict}
    for name, figures in (("before", reading.before), ("after", reading.now)):
        found |= {f"clicks_{name}": figures and figures.clicks, f"impressions_{name}": figures and figures.impressions}
    return [
        found | {name: getattr(reading, name) for name in ("expected", "moved", "rest_before", "rest_now", "z", "p")}
    ]


def laddered(reading: Ladder) -> list[Plain]:
    """Give one keyword a row, with a column for each step by its last day: 0 not found, none without a check."""
    names = [step.last.isoformat() for step in reading.steps]
    return [flat(row, reading) | dict(zip(names, row.cells, strict=True)) for row in reading.rows]
