"""`noctilum timeline`: show figures by day, week or month."""

from __future__ import annotations

import argparse

from noctilum.cli.output import (
    Column,
    caution_lines,
    count,
    percent,
    place,
    print_out,
    said_lines,
    signed_percent,
    sparkline,
    whole,
    window_line,
)
from noctilum.client import to_rows
from noctilum.wire.readings import Change, Point, Timeline


def show(asked: argparse.Namespace, found: Timeline) -> None:
    """Show a timeline."""
    columns = [Column(found.bucket, right=False), Column("state", right=False)]
    columns += [Column(name) for name in ("clicks", "before", "impressions", "click-through", "position")]
    before = [point.clicks for point in found.before_points]
    cells = [_cells(point, before[n] if n < len(before) else None) for n, point in enumerate(found.points)]
    cells += [_cells(point, None) for point in found.tail]
    print_out(
        asked,
        found.model_dump(mode="json"),
        to_rows(found),
        columns,
        cells,
        above=[window_line(found), *said_lines(found), *_headline(found), ""],
        below=caution_lines(found),
    )


def _cells(point: Point, before: int | None) -> tuple[str, ...]:
    state = "partial" if point.partial and point.state == "final" else point.state
    figures = (
        count(point.clicks),
        count(before),
        count(point.impressions),
        percent(point.ctr, 2),
        place(point.position),
    )
    return str(point.start), state, *figures


def _headline(found: Timeline) -> list[str]:
    now, change = found.now, found.change
    lines = []
    for name, text in (
        ("clicks", count(now.clicks)),
        ("impressions", count(now.impressions)),
        ("ctr", percent(now.ctr, 2)),
        ("position", place(now.position)),
    ):
        spark = sparkline(whole(found.points, name)) if name != "position" else ""
        lines.append(f"{name:<12} {text:>10}  {_moved(name, change):<14} {spark}".rstrip())
    return lines


def _moved(name: str, change: Change | None) -> str:
    if change is None:
        return ""
    if name in ("clicks", "impressions"):
        return signed_percent(getattr(change, f"{name}_ratio"))
    value = getattr(change, name)
    if value is None:
        return "–"
    if name == "ctr":
        return f"{value * 100:+.2f} points".replace("-", "−")
    return "level" if change.ways.position == "level" else f"{abs(value):.1f} {'up' if value < 0 else 'down'}"
