"""`noctilum places`: find a place to look up from."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, count, print_out


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("find", help="the beginning of its name")
    parser.add_argument("--country", help="only there, as GB")
    parser.add_argument("--limit", type=int, default=12, help="how many at most (default 12)")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List places."""
    with service(asked) as noctilum:
        found = noctilum.places(asked.find, country=asked.country, limit=asked.limit)
    rows = [each.model_dump(mode="json") for each in found]
    cells = [
        (
            each.name,
            each.kind,
            each.country,
            each.region or "–",
            "–" if each.latitude is None else f"{each.latitude:.4f}, {each.longitude:.4f}",
            count(each.people or None),
            each.place or "(the whole country)",
        )
        for each in found
    ]
    names = ("name", "kind", "country", "region", "coordinates", "people", "as a place")
    columns = [Column(name, right=name == "people") for name in names]
    none = [f"No place begins with {asked.find!r}. Coordinates can be given as they are: 52.2140, -1.4820."]
    print_out(asked, rows, rows, columns, cells, above=[] if found else none)
