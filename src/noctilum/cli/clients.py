"""`noctilum clients`: list clients, or add one."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.core.errors import Nonsense
from noctilum.wire.operating import ClientChange
from noctilum.wire.setup import NewClient


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--add", metavar="NAME", help="add a client of this name")
    parser.add_argument("--language", default="en", help="BCP 47, for its reports (default en)")
    parser.add_argument("--time-zone", default="UTC", help="IANA name (default UTC)")
    parser.add_argument("--colour", default="#0F5A66", help="of its reports, like #0F5A66")
    parser.add_argument("--change", metavar="KEY", help="change a client, with --keep-months")
    parser.add_argument("--keep-months", type=int, metavar="N", help="let go of days older than N months; 0 keeps all")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List clients, after adding one if asked to."""
    with service(asked) as noctilum:
        if asked.add:
            wanted = {
                "name": asked.add,
                "language": asked.language,
                "time_zone": asked.time_zone,
                "colour": asked.colour,
            }
            noctilum.add_client(NewClient.model_construct(None, **wanted, currency="EUR", accent="#8A5A00"))
        if asked.change:
            if asked.keep_months is None:
                raise Nonsense("change-missing", "Change what?", where="--change", remedy="add --keep-months N")
            noctilum.change_client(asked.change, ClientChange(keep_months=asked.keep_months))
        found = noctilum.clients()
    rows = [client.model_dump(mode="json") for client in found]
    cells = [
        (c.key, c.name, c.language, c.time_zone, ", ".join(s.host for s in c.sites) or "no site yet") for c in found
    ]
    columns = [Column(name, right=False) for name in ("key", "name", "language", "time zone", "sites")]
    print_out(asked, rows, rows, columns, cells)
