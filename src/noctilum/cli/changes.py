"""`noctilum changes`: list final days that came out differently later."""

from __future__ import annotations

import argparse
from datetime import date
from typing import get_args

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, count, print_out, signed
from noctilum.wire.readings import Grain


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    parser.add_argument("--source", type=int)
    parser.add_argument("--grain", choices=get_args(Grain))
    parser.add_argument("--first", type=date.fromisoformat, metavar="DAY")
    parser.add_argument("--last", type=date.fromisoformat, metavar="DAY")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List changes, newest first."""
    narrowed = {name: getattr(asked, name) for name in ("source", "grain", "first", "last")}
    with service(asked) as noctilum:
        found = noctilum.changes(asked.site, **narrowed)
    columns = [Column(n, right=False) for n in ("day", "grain", "source", "kind", "noticed", "by")]
    columns += [Column(n) for n in ("clicks before", "after", "change", "impressions before", "after", "change")]
    rows = [change.model_dump(mode="json") for change in found]
    cells = [
        (
            *(str(c.day), c.grain, str(c.source), c.kind, c.at[:10], c.origin),
            *(count(c.was.clicks), count(c.now.clicks), signed(c.now.clicks - c.was.clicks)),
            *(count(c.was.impressions), count(c.now.impressions), signed(c.now.impressions - c.was.impressions)),
        )
        for c in found
    ]
    print_out(asked, rows, rows, columns, cells, below=[] if found else ["no final day has changed"])
