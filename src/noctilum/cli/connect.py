"""`noctilum connect`: connect a feed's property to a site."""

from __future__ import annotations

import argparse
import getpass
import os
import sys

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.core.errors import Nonsense
from noctilum.wire.setup import Credential, NewSource


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site", nargs="?", help="the site to connect; without it the properties are listed")
    parser.add_argument("--feed", required=True, metavar="URL", help="the feed's address")
    parser.add_argument("--account", required=True, help="OAuth 2.0 client id")
    parser.add_argument("--property", help="which property to connect")
    parser.add_argument("--connector", default="open-feed", help="default open-feed")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List what the credential can see, or connect one of it."""
    given = {"connector": asked.connector, "url": asked.feed, "account": asked.account, "secret": ask_secret()}
    with service(asked) as noctilum:
        if asked.site and asked.property:
            found = noctilum.add_source(asked.site, NewSource.model_validate(given | {"property": asked.property}))
            print(f"connected {found.label} to {found.site} as source {found.id}; now run: noctilum pull {found.id}")
            return
        seen = noctilum.properties(Credential.model_validate(given))
    rows = [p.model_dump(mode="json") for p in seen]
    cells = [(p.id, p.label, p.engine, f"{p.first_day} to {p.last_day}", p.connected_to or "free") for p in seen]
    columns = [Column(name, right=False) for name in ("property", "label", "engine", "offers", "connected to")]
    print_out(
        asked, rows, rows, columns, cells, below=["connect one with: noctilum connect SITE --property PROPERTY …"]
    )


def ask_secret() -> str:
    """Take the secret from the environment or the terminal, never from the command line, which others can see."""
    found = os.environ.get("NOCTILUM_FEED_SECRET")
    if found is None and sys.stdin.isatty():
        found = getpass.getpass("Client secret: ")
    if not found:
        raise Nonsense(
            "secret-missing",
            "No client secret is given.",
            where="NOCTILUM_FEED_SECRET",
            remedy="export it, or run in a terminal",
        )
    return found
