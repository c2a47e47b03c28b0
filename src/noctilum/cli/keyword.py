"""`noctilum keyword`: one keyword's whole history."""

from __future__ import annotations

import argparse

from rich.text import Text

from noctilum.cli.output import caution_lines, console, print_csv, said_lines, window_line
from noctilum.cli.rank_cells import line_of, rank_cell
from noctilum.client import to_rows
from noctilum.wire.ranks import KeywordHistory, RankDay

NEWEST, MOST = 14, 40


def show(asked: argparse.Namespace, found: KeywordHistory) -> None:
    """Show where it stands, its line, its newest days, and who stands beside it."""
    if asked.output == "json":
        print(found.model_dump_json(indent=2))
    elif asked.output == "csv":
        print_csv(to_rows(found), raw=asked.raw)
    else:
        _draw(found)


def _draw(found: KeywordHistory) -> None:
    out = console()
    where = found.place or found.track
    out.print(f"{found.term} · {found.engine} · {where} · {found.device}", markup=False, soft_wrap=True)
    for line in (window_line(found), *said_lines(found), ""):
        out.print(line, markup=False, soft_wrap=True)
    if not found.rows:
        return
    weekly = _weekly(found.rows)[-MOST:]
    out.print(Text("by week   ") + line_of(weekly), soft_wrap=True)
    out.print(Text(""))
    for row in found.rows[-NEWEST:]:
        out.print(_day(row), soft_wrap=True)
    if found.rivals:
        out.print(Text("\nbeside it, by week", style="bold"))
    for rival in found.rivals:
        cells = _weekly_of(found.rows, rival.ranks)[-MOST:]
        out.print(Text(f"{rival.domain[:30]:31}") + line_of(cells), soft_wrap=True)
    for line in caution_lines(found):
        out.print(line, markup=False, soft_wrap=True)


def _day(row: RankDay) -> Text:
    cell = rank_cell(0 if row.rank is None else row.rank, wide=4)
    spot = "" if row.spot is None or row.spot == row.rank else f"{row.spot:g} with features"
    beside = "" if row.provider is None else f"provider {row.provider:.1f}"
    shown = ", ".join(f"{kind} (ours)" if kind in row.owned else kind for kind in row.features)
    return Text(f"{row.day}  ") + cell + Text(f"  {row.page[:34]:35}{spot:18}{beside:15}{shown}".rstrip())


def _weekly(rows: list[RankDay]) -> list[float | None]:
    return _weekly_of(rows, [0 if row.rank is None else row.rank for row in rows])


def _weekly_of(rows: list[RankDay], ranks: list[float | None]) -> list[float | None]:
    """Take the last check of each week, none where a week has none."""
    weeks: dict[int, float | None] = {}
    for row, rank in zip(rows, ranks, strict=True):
        weeks[(row.day.toordinal() - 1) // 7] = 0 if rank is None else rank
    return [weeks.get(week) for week in range(min(weeks), max(weeks) + 1)]
