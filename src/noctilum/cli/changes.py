"""`noctilum changes`: list final days that came out differently later."""

from __future__ import annotations

import argparse
from collections.abc import Sequence

from rich.text import Text

from noctilum.cli.output import Column, counted, number, print_out, signed
from noctilum.client import to_rows
from noctilum.wire.readings import Changes, DayChange


def show(asked: argparse.Namespace, found: Changes) -> None:
    """List changes, newest first, with the figures of what changed."""
    columns = [Column(n, right=False) for n in ("day", "grain", "source", "kind", "noticed", "by")]
    names = list(dict.fromkeys(name for change in found for name in counted(change.grain)))
    columns += [Column(n) for name in names for n in (f"{name} before", "after", "change")]
    whole = [change.model_dump(mode="json") for change in found]
    cells = [_cells(change, names) for change in found]
    print_out(asked, whole, to_rows(found), columns, cells, below=[] if found else ["no final day has changed"])


def _cells(change: DayChange, names: Sequence[str]) -> tuple[str | Text, ...]:
    cells: list[str | Text] = [str(change.day), change.grain, str(change.source), change.kind, change.at[:10]]
    cells.append(change.origin)
    for name in names:
        was, now = change.was.figures.get(name), change.now.figures.get(name)
        moved = None if was is None or now is None else now - was
        cells += [number(was), number(now), signed(moved)]
    return tuple(cells)
