"""`noctilum export`: write raw days or a reading to a file."""

from __future__ import annotations

import argparse
from pathlib import Path

from noctilum.cli.access import add_access, add_frame
from noctilum.cli.exporting import FORMATS, write
from noctilum.core.errors import Nonsense
from noctilum.wire.operating import exported
from noctilum.wire.questions import FILTERS


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    parser.add_argument(
        "what", choices=exported(), metavar="WHAT", help=f"raw days, or a reading: {', '.join(exported())}"
    )
    parser.add_argument(
        "--by",
        help="grain of days or ledger, dimension of a breakdown, two of a cross (query,device), bucket of a timeline",
    )
    parser.add_argument(
        "--with",
        dest="question",
        nargs="+",
        default=(),
        metavar="NAME=VALUE",
        help="any other parameter of the reading, like fewest=20",
    )
    parser.add_argument("--format", choices=FORMATS, help="the ending of PATH tells without, or csv")
    parser.add_argument("--split", choices=("none", "month"), default="none", help="days as Parquet: a ZIP by month")
    parser.add_argument("--raw", action="store_true", help="CSV with every text as it is, also like a formula")
    parser.add_argument("--to", type=Path, default=Path(), metavar="PATH", help="file or folder (default here)")
    add_frame(parser)
    parser.set_defaults(window=None, against=None, language=None)
    add_access(parser)


def run(asked: argparse.Namespace) -> int:
    """Export, and fetch the file."""
    more = {name: getattr(asked, name) for name in ("window", "against", "engine", "source", "language", "split")}
    where = {name: text for name in FILTERS if (text := getattr(asked, name)) is not None}
    named = dict(_parted(text) for text in asked.question)
    return write(asked, asked.what, named, table=asked.by or "", where=where, filter=asked.filter or "", **more)


def _parted(text: str) -> tuple[str, str]:
    name, sign, value = text.partition("=")
    if not sign:
        raise Nonsense("parameter-unusable", f"{text!r} is no parameter.", where="--with", remedy="like fewest=20")
    return name.replace("-", "_"), value
