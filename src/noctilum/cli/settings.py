"""`noctilum settings`: list every setting, its value and where that comes from."""

from __future__ import annotations

import argparse
import os

from noctilum.actions.settings import FILE_NAME, listed, variable
from noctilum.cli.local import add_data
from noctilum.cli.output import Column, add_output, print_out


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    add_data(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List settings; a value that cannot be used is told with its line."""
    found = listed(os.environ, data=asked.data)
    rows = [
        {
            "name": s.name,
            "value": s.value,
            "comes_from": s.comes_from,
            "variable": variable(s.name),
            "meaning": s.meaning,
        }
        for s in found
    ]
    rows = [{name: str(v) if name == "value" and v is not None else v for name, v in row.items()} for row in rows]
    columns = [Column(name, right=False) for name in ("setting", "value", "comes from", "meaning")]
    cells = [(s.name, "–" if s.value is None else str(s.value), s.comes_from, s.meaning) for s in found]
    below = [f"set them in {FILE_NAME} in the data folder, as port = 8417, or as NOCTILUM_PORT=8417"]
    print_out(asked, rows, rows, columns, cells, below=below)
