"""`noctilum connect`: connect a feed's property to a site."""

from __future__ import annotations

import argparse
import getpass
import os
import sys
from pathlib import Path

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
    parser.add_argument("--connector", help="default open-feed, or mapped-feed with --mapping")
    parser.add_argument("--mapping", type=Path, help="a mapping in TOML, for any other interface")
    parser.add_argument("--schedule", help="when to pull it (default: daily at 06:00)")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List what the credential can see, or connect one of it."""
    given = {
        "connector": asked.connector or ("mapped-feed" if asked.mapping else "open-feed"),
        "url": asked.feed,
        "account": asked.account,
        "secret": ask_secret(),
        "mapping": read_text(asked.mapping),
    }
    with service(asked) as noctilum:
        if asked.site and asked.property:
            found = noctilum.add_source(asked.site, NewSource.model_validate(given | _chosen(asked)))
            print(f"connected {found.label} to {found.site} as source {found.id}; now run: noctilum pull {found.id}")
            return
        seen = noctilum.properties(Credential.model_validate(given))
    rows = [p.model_dump(mode="json") for p in seen]
    cells = [(p.id, p.label, p.engine, f"{p.first_day} to {p.last_day}", p.connected_to or "free") for p in seen]
    columns = [Column(name, right=False) for name in ("property", "label", "engine", "offers", "connected to")]
    below = [f"! {p.id} {p.overlaps}" for p in seen if p.overlaps]
    below.append("connect one with: noctilum connect SITE --property PROPERTY …")
    print_out(asked, rows, rows, columns, cells, below=below)


def _chosen(asked: argparse.Namespace) -> dict[str, str]:
    return {"property": asked.property} | ({"schedule": asked.schedule} if asked.schedule else {})


def read_text(path: Path | None) -> str:
    """Read a mapping's text; raises Nonsense when the file cannot be read."""
    if path is None:
        return ""
    try:
        return path.read_text(encoding="utf-8")
    except (OSError, UnicodeDecodeError) as why:
        raise Nonsense("no-such-file", f"{path} cannot be read: {why}.") from why


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
