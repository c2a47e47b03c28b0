"""`noctilum notices`: list what somebody should know of, and mark it seen."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--seen", type=int, metavar="NUMBER", help="mark this one as seen")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List notices, newest first."""
    with service(asked) as noctilum:
        if asked.seen is not None:
            noctilum.see_notice(asked.seen)
        found = noctilum.notices()
    rows = [notice.model_dump(mode="json") for notice in found]
    columns = [Column("notice"), *(Column(n, right=False) for n in ("since", "site", "what"))]
    cells = [(str(n.id), f"{n.at:%Y-%m-%d %H:%M}", n.site or "–", n.text) for n in found]
    print_out(asked, rows, rows, columns, cells, below=[] if found else ["nothing to see to"])
