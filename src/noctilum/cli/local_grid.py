"""`noctilum local-grid`: a term's ranks at points around a place, north up."""

from __future__ import annotations

import argparse

from rich.text import Text

from noctilum.cli.output import caution_lines, console, count, percent, place, print_csv, said_lines, window_line
from noctilum.cli.rank_cells import rank_cell
from noctilum.client import to_rows
from noctilum.wire.ranks import GridPoint, LocalGrid


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what only the terminal shows."""
    parser.add_argument("--moved", action="store_true", help="show by how much each point moved in place of its rank")


def show(asked: argparse.Namespace, found: LocalGrid) -> None:
    """Draw the points as a map, with the mean of each row and column at its margin."""
    if asked.output == "json":
        print(found.model_dump_json(indent=2))
    elif asked.output == "csv":
        print_csv(to_rows(found), raw=asked.raw)
    else:
        _draw(found, asked.moved)


def _draw(found: LocalGrid, moved: bool) -> None:
    out = console()
    named = f"{found.label}: {found.term} · {found.domain} · {found.engine} · {found.device}"
    head = f"{named} · points {found.spacing:g} km apart, north up"
    out.print(head, markup=False, soft_wrap=True)
    for line in (window_line(found), *said_lines(found), ""):
        out.print(line, markup=False, soft_wrap=True)
    at = {(point.down, point.across): point for point in found.rows}
    for row in range(found.size):
        points = [at[row, column] for column in range(found.size)]
        cells = [_change(point, found.depth) if moved else _cell(point) for point in points]
        out.print(Text("  ").join(cells) + Text(f"   {_mean(points, found.depth)}", style="dim"), soft_wrap=True)
    means = [_mean([at[row, column] for row in range(found.size)], found.depth) for column in range(found.size)]
    out.print(Text("  ".join(f"{mean:>4}" for mean in means), style="dim"), soft_wrap=True)
    out.print(Text(""))
    for rival in found.rivals[:8]:
        sums = f"{count(rival.won):>4} won  {count(rival.top3):>4} in top 3  mean {place(rival.mean)}"
        line = f"{rival.domain[:34]:36}{sums}"
        out.print(Text(line, style="bold" if rival.own else ""), soft_wrap=True)
    if found.now.found is not None:
        out.print(f"found at {percent(found.now.found, 0)} of the points", markup=False)
    for line in caution_lines(found):
        out.print(line, markup=False, soft_wrap=True)


def _cell(point: GridPoint) -> Text:
    return rank_cell((point.rank or 0) if point.checked else None, wide=4)


def _change(point: GridPoint, depth: int) -> Text:
    """Write how far a point moved: places up or down, found or lost."""
    if point.moved in (None, "unknown"):
        return Text("   ?", style="dim")
    was, is_ = (depth + 1 if rank is None else rank for rank in (point.before, point.rank))
    steps = round(was - is_)
    if not steps:
        return Text("   =", style="dim")
    return Text(f"{'▲' if steps > 0 else '▼'}{abs(steps):>3}", style="blue" if steps > 0 else "red")


def _mean(points: list[GridPoint], depth: int) -> str:
    ranks = [depth + 1 if point.rank is None else point.rank for point in points if point.checked]
    return f"{sum(ranks) / len(ranks):.1f}" if ranks else "–"
