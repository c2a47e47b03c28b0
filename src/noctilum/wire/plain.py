"""Readings as plain rows: the same columns in files, spreadsheets and notebooks."""

from __future__ import annotations

from typing import Any

from noctilum.wire import compare as c
from noctilum.wire import explain as e
from noctilum.wire import readings as r

Plain = dict[str, Any]
Readable = (
    r.Timeline
    | r.Breakdown
    | r.Drivers
    | r.Life
    | r.Ledger
    | e.Judgements
    | e.Reach
    | e.Overlap
    | e.Clusters
    | e.OddDays
    | e.Cross
    | e.BandCounts
    | c.Weekdays
    | c.Unclicked
    | c.DeviceGap
)
_LISTS = (e.Judgements, e.Reach, e.Overlap, e.Clusters, e.OddDays, c.Weekdays, c.Unclicked, c.DeviceGap)
MEASURES = ("clicks", "impressions", "ctr", "position")


def to_rows(reading: Readable) -> list[Plain]:
    """Flatten a reading into one plain dict a row; figures not known are None."""
    if isinstance(reading, e.Cross):
        return [_crossed(reading, row, n) for row in reading.rows for n in range(len(reading.columns))]
    if isinstance(reading, e.BandCounts):
        return [_banded(reading, month) for month in reading.months]
    if isinstance(reading, _LISTS):
        return [_flat(row.model_dump(mode="json")) for row in reading.rows]
    if isinstance(reading, r.Timeline):
        return [point.model_dump(mode="json") for point in reading.points]
    if isinstance(reading, r.Life):
        return [point.model_dump(mode="json") for point in reading.weeks]
    if isinstance(reading, r.Ledger):
        return [day.model_dump(mode="json") for day in reading.days]
    if isinstance(reading, r.Drivers):
        return [_driver(row) for row in reading.movers]
    return [_row(reading.dimension, row) for row in reading.rows]


def _crossed(reading: e.Cross, row: e.CrossRow, n: int) -> Plain:
    """One cell a row, as a table for further reckoning wants it."""
    cell = row.cells[n]
    found: Plain = {reading.dimension: row.key, reading.columns_by: reading.columns[n]}
    return found | {name: getattr(cell, name) for name in MEASURES}


def _banded(reading: e.BandCounts, month: e.BandMonth) -> Plain:
    found: Plain = {"month": f"{month.start:%Y-%m}", "partial": month.partial, "shown": month.shown}
    found |= {f"shown {band}": count for band, count in zip(reading.bands, month.counts, strict=True)}
    found |= {f"clicks {band}": clicks for band, clicks in zip(reading.bands, month.clicks, strict=True)}
    return found | {"new": month.new, "lost": month.lost}


def _flat(row: Plain) -> Plain:
    """Put the figures of a row beside its other values: those before and the change with an ending."""
    found: Plain = {}
    for name, value in row.items():
        if name in ("figures", "now", "before", "change", "mobile", "desktop"):
            ending = "" if name in ("figures", "now") else f"_{name}"
            found |= {f"{each}{ending}": (value or {}).get(each) for each in MEASURES}
        else:
            found[name] = value
    return found


def _row(dimension: str, row: r.Row) -> Plain:
    found: Plain = {dimension: row.key}
    found |= {name: getattr(row.now, name) for name in MEASURES}
    found |= {f"{name}_before": getattr(row.before, name) if row.before else None for name in MEASURES}
    found |= {f"{name}_change": getattr(row.change, name) if row.change else None for name in MEASURES}
    return found | {"band": row.band, "verdict": row.verdict}


def _driver(row: r.DriverRow) -> Plain:
    found: Plain = {"query": row.query, "clicks": row.now.clicks, "clicks_before": row.before.clicks}
    return found | {name: getattr(row, name) for name in ("demand", "rank", "appeal", "entered", "left", "change")}
