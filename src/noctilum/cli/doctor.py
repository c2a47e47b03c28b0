"""`noctilum doctor`: say what is wrong with an install, and what to do."""

from __future__ import annotations

import argparse
from dataclasses import asdict

from rich.text import Text

from noctilum.actions.doctor import examine
from noctilum.cli.local import add_data, unprepared_install
from noctilum.cli.output import Column, add_output, print_out
from noctilum.service import clock

SIGNS = {"well": ("✓", "green"), "watch": ("!", "yellow"), "wrong": ("✗", "red")}


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--all", action="store_true", help="also what is well")
    add_data(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> int:
    """Look at everything; 1 when something is wrong."""
    install = unprepared_install(asked)
    found = list(examine(install, clock.now()))
    shown = [each for each in found if asked.all or each.state != "well"]
    rows = [asdict(each) for each in (found if asked.output == "json" else shown)]
    columns = [Column("", right=False), *(Column(n, right=False, most=100) for n in ("what", "seen", "to do"))]
    cells = [(Text(SIGNS[e.state][0], style=SIGNS[e.state][1]), e.what, e.text, e.remedy) for e in shown]
    well = sum(each.state == "well" for each in found)
    below = [f"{well} of {len(found)} things are well{'' if asked.all else '; --all names them'}"]
    print_out(asked, rows, rows, columns if shown else [], cells, below=below)
    return 1 if any(each.state == "wrong" for each in found) else 0
