"""`noctilum mappings`: list the ways of reading files that are kept under a name."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--forget", metavar="NAME", help="forget this one")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List kept mappings."""
    with service(asked) as noctilum:
        if asked.forget:
            noctilum.forget_mapping(asked.forget)
        found = noctilum.mappings()
    rows = [{"name": m.name, **m.mapping.model_dump(exclude_defaults=True)} for m in found]
    cells = [(m.name, m.mapping.model_dump_json(exclude_defaults=True)) for m in found]
    below = [] if found else ["none is kept; keep one with: noctilum import … --keep-as NAME"]
    print_out(asked, rows, rows, [Column("name", right=False), Column("reads", right=False)], cells, below=below)
