"""`noctilum import`: import monthly CSV files of older days."""

from __future__ import annotations

import argparse
from pathlib import Path

from noctilum.actions.imports import import_files
from noctilum.cli.local import add_data, open_install
from noctilum.service import clock


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("source", type=int, help="the source whose days these are")
    parser.add_argument("files", type=Path, nargs="+", help="CSV files: day, dimensions, clicks, impressions, position")
    add_data(parser)


def run(asked: argparse.Namespace) -> None:
    """Import files; days held already stay as they are."""
    done = import_files(open_install(asked), asked.source, asked.files, clock.now)
    left = f"{done.already:,} held already and left as they were"
    print(f"{done.days:,} days and grains imported, {done.rows:,} rows; {left}")
