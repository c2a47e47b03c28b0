"""`noctilum clients`: list clients, or add one."""

from __future__ import annotations

import argparse
from pathlib import Path

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.client import Noctilum
from noctilum.core.errors import Nonsense, NotThere
from noctilum.wire.operating import ClientChange
from noctilum.wire.setup import NewClient


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--add", metavar="NAME", help="add a client of this name")
    parser.add_argument("--language", help="BCP 47, for its reports (en for a new one)")
    parser.add_argument("--time-zone", help="IANA name (UTC for a new one)")
    parser.add_argument("--colour", help="of its reports, like #0F5A66")
    parser.add_argument("--change", metavar="KEY", help="change a client: any of what follows")
    parser.add_argument("--keep-months", type=int, metavar="N", help="let go of days older than N months; 0 keeps all")
    parser.add_argument("--accent", help="second colour of its reports")
    parser.add_argument("--name", help="what it is called")
    parser.add_argument("--sender", help="whom its mails come from; the agency without")
    parser.add_argument("--footer", help="at the foot of its pages")
    parser.add_argument("--logo", type=Path, metavar="FILE", help="PNG or SVG, for its reports and shared pages")
    parser.add_argument("--no-logo", action="store_true", help="drop its logo")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List clients, after adding one if asked to."""
    with service(asked) as noctilum:
        if asked.add:
            wanted = {
                "name": asked.add,
                "language": asked.language or "en",
                "time_zone": asked.time_zone or "UTC",
                "colour": asked.colour or "#0F5A66",
            }
            noctilum.add_client(NewClient.model_construct(None, **wanted, currency="EUR", accent="#8A5A00"))
        if asked.change:
            _change(noctilum, asked)
        found = noctilum.clients()
    rows = [client.model_dump(mode="json") for client in found]
    cells = [
        (c.key, c.name, c.language, c.time_zone, ", ".join(s.host for s in c.sites) or "no site yet") for c in found
    ]
    columns = [Column(name, right=False) for name in ("key", "name", "language", "time zone", "sites")]
    print_out(asked, rows, rows, columns, cells)


FIELDS = ("keep_months", "name", "language", "time_zone", "colour", "accent", "sender", "footer")


def _change(noctilum: Noctilum, asked: argparse.Namespace) -> None:
    """Change what was said of a client, and its logo."""
    told = {name: value for name in FIELDS if (value := getattr(asked, name)) is not None}
    if not told and asked.logo is None and not asked.no_logo:
        names = ", ".join(f"--{name.replace('_', '-')}" for name in FIELDS)
        raise Nonsense("change-missing", "Change what?", where="--change", remedy=f"add one of {names}, --logo")
    if asked.logo is not None:
        try:
            noctilum.keep_logo(asked.logo.read_bytes(), asked.change)
        except OSError as why:
            raise NotThere("no-such-file", f"{asked.logo} cannot be read: {why.strerror}.", where="--logo") from why
    if asked.no_logo:
        noctilum.drop_logo(asked.change)
    if told:
        noctilum.change_client(asked.change, ClientChange.model_construct(None, **told))
