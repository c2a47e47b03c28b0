"""`noctilum competitors`: list the domains a site is set beside, name one, drop one."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.wire.competitors import NewCompetitor


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    parser.add_argument("--add", metavar="DOMAIN", help="name a competitor, by its host")
    parser.add_argument("--label", default="", help="what it is called, with --add")
    parser.add_argument("--drop", type=int, metavar="NUMBER", help="name it no more")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List competitors, after what else was asked for."""
    with service(asked) as noctilum:
        if asked.add:
            noctilum.add_competitor(NewCompetitor(site=asked.site, domain=asked.add, label=asked.label))
        if asked.drop is not None:
            noctilum.drop_competitor(asked.drop)
        found = noctilum.competitors(asked.site)
    rows = [each.model_dump(mode="json") for each in found]
    columns = [Column("number"), Column("domain", right=False), Column("called", right=False)]
    cells = [(str(each.id), each.domain, each.label or "–") for each in found]
    none = ["None is named yet. Those that turn up are in `noctilum share-of-voice`."]
    print_out(asked, rows, rows, columns, cells, above=[] if found else none)
