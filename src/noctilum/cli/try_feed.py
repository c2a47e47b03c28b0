"""`noctilum try`: see what a feed sends and what would be kept of it, before it is connected."""

from __future__ import annotations

import argparse
from datetime import date
from pathlib import Path

from noctilum.cli.access import add_access, service
from noctilum.cli.credential import add_credential, credential
from noctilum.cli.output import Column, add_output, count, number, print_out
from noctilum.datasets import DATASETS
from noctilum.wire.setup import AskTry

LOOK = ("term", "engine", "language", "country", "place", "device")
TEXTS = ("what", "address", "text")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("mapping", type=Path, nargs="?", help="a mapping in TOML; without, the feed is an open feed")
    add_credential(parser)
    parser.add_argument("--property", default="", help="which property; the first that is seen without")
    parser.add_argument("--day", type=date.fromisoformat, help="which day; the newest settled one without")
    parser.add_argument("--grain", choices=DATASETS.daily, default="site", help="what is counted (default site)")
    parser.add_argument("--term", default="", help="of lookups: what to look up once")
    parser.add_argument("--engine", help="of lookups")
    parser.add_argument("--language", help="of lookups, as en")
    parser.add_argument("--country", help="of lookups, as GB")
    parser.add_argument("--place", help="of lookups: a town, or latitude, longitude")
    parser.add_argument("--device", choices=("desktop", "mobile", "map"), help="of lookups")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """Try, and show the first rows as they come and as they would be kept."""
    look = {name: value for name in LOOK if (value := getattr(asked, name)) is not None}
    wanted = {"property": asked.property, "day": asked.day, "grain": asked.grain, "look": look}
    with service(asked) as noctilum:
        given = credential(noctilum, asked) | wanted
        found = noctilum.try_feed(AskTry.model_validate(given))
    names = list(found.rows[0]) if found.rows else []
    texts = TEXTS if found.grain == "lookup" else DATASETS[found.grain].dims
    columns = [Column(n, right=n not in texts, most=48) for n in names]
    cells = [tuple(str(row[name]) for name in names) for row in found.rows]
    above = [
        f"{found.property} · {found.day}, {found.state} · grain {found.grain} · sees {', '.join(found.properties)}"
    ]
    above += ["", "as it came:", *[f"  {line[:150]}" for line in found.raw], "", "as it would be kept:"]
    below = [", ".join([f"{count(found.total)} rows", *(f"{number(v)} {name}" for name, v in found.sums.items())])]
    below += [f"! left out: {doubt}" for doubt in found.doubts]
    print_out(asked, found.model_dump(mode="json"), found.rows, columns, cells, above=above, below=below)
