"""`noctilum day`: show what a day was made from."""

from __future__ import annotations

import argparse
from collections.abc import Sequence

from noctilum.cli.output import Column, count, counted, number, print_out
from noctilum.wire.readings import DayChange, DayMaking, GrainDay


def show(asked: argparse.Namespace, found: DayMaking) -> None:
    """Show a day's making and its changes."""
    columns = [Column(n, right=False) for n in ("grain", "state", "revision", "made from", "taken")]
    names = list(dict.fromkeys(name for grain in found.grains for name in counted(grain.grain)))
    columns += [Column(n) for n in ("lines", "repeats", "rows", *names)]
    columns += [Column("provider says", right=False)]
    rows = [grain.model_dump(mode="json") for grain in found.grains]
    cells = [_cells(grain, names) for grain in found.grains]
    whole = found.model_dump(mode="json")
    print_out(asked, whole, rows, columns, cells, above=[_head(found)], below=_below(found))


def _head(found: DayMaking) -> str:
    text = f"{found.site} · {found.day} · source {found.source}, {found.label}"
    return text if found.grains else f"{text}: nothing is known of this day"


def _cells(grain: GrainDay, names: Sequence[str]) -> tuple[str, ...]:
    counts = (grain.lines or grain.rows, grain.repeats, grain.rows)
    figures = (number(grain.figures.get(name)) for name in names)
    taken = (grain.taken_at or "–").replace("T", " ")[:16]
    return (
        *(grain.grain, grain.state, grain.revision or "–", grain.origin or "–", taken),
        *map(count, counts),
        *figures,
        _promised(grain),
    )


def _promised(grain: GrainDay) -> str:
    if grain.promised_rows is None and not grain.promised:
        return "–"
    rows = {} if grain.promised_rows is None else {"rows": float(grain.promised_rows)}
    held = {**grain.figures, "rows": float(grain.lines)}
    told = rows | grain.promised
    if all(held.get(name) == value for name, value in told.items()):
        return "the same"
    return ", ".join(f"{number(value)} {name}" for name, value in told.items())


def _below(found: DayMaking) -> list[str]:
    lines = [f"! {grain.grain}: {grain.remark}" for grain in found.grains if grain.remark]
    return lines + [_change(change) for change in found.changes]


def _change(change: DayChange) -> str:
    was, now = change.was.figures, change.now.figures
    moved = ", ".join(f"{number(was.get(n))} → {number(now.get(n))} {n}" for n in counted(change.grain))
    return f"~ {change.grain} {change.kind} by {change.origin} on {change.at[:10]}: {moved}"
