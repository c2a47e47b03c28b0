"""`noctilum add-files`: give a site a source that only gets files."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, service
from noctilum.datasets import DATASETS
from noctilum.wire.setup import NewFileSource


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    parser.add_argument("label", help="what these files are, like 'exports of the last agency'")
    parser.add_argument("--engine", default="", help="which engine the figures are of")
    parser.add_argument("--kind", choices=DATASETS.kinds, default="search", help="what the files count")
    parser.add_argument("--time-zone", default="UTC", help="IANA name of the zone its days are of")
    add_access(parser)


def run(asked: argparse.Namespace) -> None:
    """Add the source."""
    with service(asked) as noctilum:
        new = NewFileSource(label=asked.label, engine=asked.engine, time_zone=asked.time_zone, kind=asked.kind)
        found = noctilum.add_file_source(asked.site, new)
    read = "" if found.counted else f"; source {found.part_of} counts the same, so it is read only when asked for"
    print(f"source {found.id}, {found.label}, of {found.site}{read}; now run: noctilum import {found.id} FILES")
