"""`noctilum sign-ins`: list where people are signed in to the console, and end it."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--end", type=int, metavar="NUMBER", help="end one; its cookie is good for nothing then")
    parser.add_argument("--end-mine", action="store_true", help="end all of one's own")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """End what was asked, and list the rest."""
    with service(asked) as noctilum:
        if asked.end:
            noctilum.end_sign_in(asked.end)
        if asked.end_mine:
            noctilum.end_sign_ins()
        found = noctilum.sign_ins()
    rows = [each.model_dump(mode="json") for each in found]
    columns = [
        Column("number"),
        *(Column(n, right=False, most=50) for n in ("whose", "from", "with", "last seen", "ends")),
    ]
    cells = [
        (str(s.id), s.user, s.address, s.agent, f"{s.seen_at:%Y-%m-%d %H:%M}", f"{s.until:%Y-%m-%d}") for s in found
    ]
    print_out(asked, rows, rows, columns, cells)
