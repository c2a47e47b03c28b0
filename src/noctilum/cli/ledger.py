"""`noctilum ledger`: show which days are held."""

from __future__ import annotations

import argparse
from collections.abc import Sequence

from noctilum.cli.output import Column, console, count, counted, number, print_csv, print_out
from noctilum.client import to_rows
from noctilum.wire.readings import Ledger, LedgerDay

SIGNS = {"final": "█", "provisional": "▒", "missing": "·", "empty": "_", "lost": "×"}
DOUBTED, CHANGED = "!", "~"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add what only the terminal shows."""
    parser.add_argument("--days", action="store_true", help="one line a day instead of one a month")


def show(asked: argparse.Namespace, found: Ledger) -> None:
    """Show the ledger as a calendar, or day by day."""
    if asked.output == "table" and not asked.days:
        _calendar(found)
    elif asked.output == "csv":
        print_csv(to_rows(found), raw=asked.raw)
    else:
        columns = [Column(n, right=False) for n in ("day", "state", "revision", "origin")]
        names = counted(found.grain)
        columns += [Column(n) for n in ("rows", *names)]
        cells = [_cells(day, names) for day in found.days]
        print_out(asked, found.model_dump(mode="json"), to_rows(found), columns, cells, above=[_head(found)])


def _cells(day: LedgerDay, names: Sequence[str]) -> tuple[str, ...]:
    figures = (number(day.figures.get(name)) for name in names)
    return str(day.day), day.state, day.revision or "–", day.origin or "–", count(day.rows), *figures


def _head(found: Ledger) -> str:
    text = f"{found.site} · source {found.source} · grain {found.grain} · {count(found.held)} days held"
    text += f", {found.provisional} provisional, {found.missing} missing, {found.lost} lost"
    text += f", {found.flagged} doubted" if found.flagged else ""
    return f"{text} · complete through {found.complete_through or '–'}"


def _calendar(found: Ledger) -> None:
    out = console()
    out.print(_head(found), markup=False)
    measure = next(iter(counted(found.grain)), "rows")
    months: dict[str, list[LedgerDay]] = {}
    for day in found.days:
        months.setdefault(day.day.strftime("%Y-%m"), []).append(day)
    for name, days in months.items():
        line = [" "] * 31
        for day in days:
            line[day.day.day - 1] = _sign(day)
        summed = sum(day.figures.get(measure, 0) for day in days)
        out.print(f"{name}  {''.join(line)}  {number(summed):>9} {measure}", markup=False)
    legend = [f"{sign} {state}" for state, sign in SIGNS.items()]
    out.print("   ".join([*legend, f"{DOUBTED} doubted", f"{CHANGED} changed since"]), markup=False)


def _sign(day: LedgerDay) -> str:
    if day.flag and day.state != "lost":
        return DOUBTED
    return CHANGED if day.changes else SIGNS[day.state]
