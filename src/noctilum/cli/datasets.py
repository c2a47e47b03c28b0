"""`noctilum datasets`: list what sources count."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.wire.about import DatasetAbout


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--language", default="en", help="of titles, BCP 47")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List datasets with what tells rows apart and what is counted."""
    with service(asked) as noctilum:
        found = noctilum.datasets(language=asked.language)
    columns = [Column(name, right=False) for name in ("dataset", "of", "by", "figures", "what it is")]
    rows = [each.model_dump(mode="json") for each in found]
    print_out(asked, rows, list(map(_row, found)), columns, list(map(_cells, found)))


def _cells(each: DatasetAbout) -> tuple[str, ...]:
    by = ", ".join(dimension.name for dimension in each.dimensions)
    return each.name, each.kind, by, ", ".join(measure.name for measure in each.measures), each.about


def _row(each: DatasetAbout) -> dict[str, object]:
    """Write one as a plain row, as for CSV."""
    return dict(zip(("dataset", "kind", "dimensions", "measures", "about"), _cells(each), strict=True))
