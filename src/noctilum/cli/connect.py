"""`noctilum connect`: connect a feed's property to a site."""

from __future__ import annotations

import argparse
from pathlib import Path

from noctilum.cli.access import add_access, service
from noctilum.cli.credential import SITEMAP, add_credential, credential
from noctilum.cli.output import Column, add_output, print_out
from noctilum.wire.setup import Credential, NewSource


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site", nargs="?", help="the site to connect; without it the properties are listed")
    add_credential(parser)
    parser.add_argument("--property", help="which property to connect")
    parser.add_argument("--connector", help="open-feed, mapped-feed with --mapping, or sitemap, whose URL is the feed")
    parser.add_argument("--mapping", type=Path, help="a mapping in TOML, for any other interface")
    parser.add_argument(
        "--part", help="of a property that counts several sites: the host, or host/path, that is this one's"
    )
    parser.add_argument("--schedule", help="when to pull it (default: daily at 06:00)")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List what the credential can see, or connect one of it."""
    with service(asked) as noctilum:
        given = credential(noctilum, asked, asked.connector)
        chosen = asked.property or (asked.feed if given["connector"] == SITEMAP else "")
        if asked.site and chosen:
            told = {"schedule": asked.schedule, "part": asked.part}
            wanted = {"property": chosen} | {name: value for name, value in told.items() if value}
            found = noctilum.add_source(asked.site, NewSource.model_validate(given | wanted))
            print(f"connected {found.label} to {found.site} as source {found.id}; now run: noctilum pull {found.id}")
            return
        seen = noctilum.properties(Credential.model_validate(given))
    rows = [p.model_dump(mode="json") for p in seen]
    cells = [(p.id, p.label, p.engine, f"{p.first_day} to {p.last_day}", p.connected_to or "free") for p in seen]
    columns = [Column(name, right=False) for name in ("property", "label", "engine", "offers", "connected to")]
    below = [f"! {p.id} {p.overlaps}" for p in seen if p.overlaps]
    went = f" --grant={given['grant']}" if "grant" in given else ""
    below.append(f"connect one with: noctilum connect SITE --property PROPERTY{went} …")
    print_out(asked, rows, rows, columns, cells, below=below)
