"""`noctilum ladder`: tracked keywords by weeks, on the colours of their bands."""

from __future__ import annotations

import argparse
from itertools import groupby

from rich.text import Text

from noctilum.cli.output import caution_lines, console, print_csv, said_lines, window_line
from noctilum.cli.rank_cells import BANDS, NO_CHECK, NOT_FOUND, line_of, moved, rank_cell
from noctilum.wire.flat import laddered
from noctilum.wire.ranks import Ladder, LadderRow

LEFT, RIGHT = 30, 27
LEAST_STEPS = 4


def show(asked: argparse.Namespace, found: Ladder) -> None:
    """Draw the ladder: as many of the newest steps as the terminal is wide."""
    if asked.output == "json":
        print(found.model_dump_json(indent=2))
    elif asked.output == "csv":
        print_csv(laddered(found), raw=asked.raw)
    else:
        _draw(found)


def _draw(found: Ladder) -> None:
    out = console()
    for line in (window_line(found), *said_lines(found), ""):
        out.print(line, markup=False, soft_wrap=True)
    if not found.rows:
        out.print("No keyword fits.", markup=False)
        return
    many = max(LEAST_STEPS, min(len(found.steps), (out.width - LEFT - RIGHT) // 3))
    out.print(_key(), soft_wrap=True)
    out.print(_head(found, many), soft_wrap=True)
    for group, rows in groupby(found.rows, key=lambda row: row.group):
        if found.by != "none":
            out.print(Text(f"\n{group or 'without ' + found.by}", style="bold"), soft_wrap=True)
        for row in rows:
            out.print(_line(row, many), soft_wrap=True)
    if found.matching > len(found.rows):
        out.print(f"\n{len(found.rows)} of {found.matching} keywords; more with --offset", markup=False)
    for line in caution_lines(found):
        out.print(line, markup=False, soft_wrap=True)


def _key() -> Text:
    names = ("1", "2–3", "4–10", "11–20", "21–50", "51–100")
    parts = [Text(f" {name} ", style=look) for name, (_, look) in zip(names, BANDS, strict=True)]
    return Text(" ").join([*parts, Text(f"{NOT_FOUND} not found   {NO_CHECK} no check   * followed closely")])


def _head(found: Ladder, many: int) -> Text:
    """Date every fourth step, and name the columns at the right."""
    steps = found.steps[-many:]
    marks = ""
    for n, step in enumerate(steps):
        mark = f" {step.last:%-d %b}"
        if n % 4 == 0 and len(marks) <= 3 * n <= 3 * many - len(mark):
            marks = marks.ljust(3 * n) + mark
    right = f"  {'now':>4} {f'over {found.back}':>10} {'best':>5}"
    return Text(f"{'':{LEFT}}{marks:{3 * many}}"[: LEFT + 3 * many] + right, style="bold")


def _line(row: LadderRow, many: int) -> Text:
    where = " ".join(part for part in (row.place or row.track.partition("-")[2], row.device[:1]) if part)
    name = f"{'*' if row.pinned else ' '}{row.term}"
    room = LEFT - len(where) - 2
    shown = name if len(name) <= room else f"{name[: room - 1]}…"
    line = Text(f"{shown:{room}} ") + Text(where, style="dim") + Text(" ")
    line += line_of(row.cells[-many:])
    line += Text("  ") + rank_cell(0 if row.now is None and row.movement != "unknown" else row.now, wide=4)
    line += Text(" ") + Text(" " * max(0, 10 - len(moved(row.movement, row.change).plain)))
    line += moved(row.movement, row.change)
    return line + Text(f" {'–' if row.best is None else f'{row.best:g}':>5}")
