"""`noctilum report`: make a site's search report."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Literal

from noctilum.cli.access import add_access, add_frame, service
from noctilum.core.errors import Nonsense

FORMATS: tuple[Literal["pdf", "html"], ...] = ("pdf", "html")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    parser.add_argument("--to", type=Path, metavar="FILE", help="where to write it; SITE.pdf or SITE.html without")
    parser.add_argument("--format", choices=FORMATS, default=None, help="told by the file's ending, or pdf")
    parser.add_argument("--filter", default=None, help="only what passes, in every block, like 'set \"Guides\"'")
    parser.add_argument("--also", nargs="+", default=(), metavar="READING", help="further readings, each as a table")
    parser.add_argument(
        "--season",
        action=argparse.BooleanOptionalAction,
        default=True,
        help="net of what the year does; else as counted",
    )
    add_frame(parser, where=False)
    add_access(parser)


def run(asked: argparse.Namespace) -> None:
    """Write the report to a file."""
    named = asked.format or (asked.to.suffix.lstrip(".") if asked.to else "pdf")
    kind = next((known for known in FORMATS if known == named), None)
    if kind is None:
        raise Nonsense(
            "format-unknown",
            f"A report cannot be written as {named!r}.",
            where="--to",
            remedy="end the name in .pdf or .html",
        )
    path = asked.to or Path(f"{asked.site.replace('/', '-')}.{kind}")
    with service(asked) as noctilum:
        body = noctilum.report(
            asked.site,
            format=kind,
            window=asked.window,
            against=asked.against,
            filter=asked.filter,
            also=asked.also,
            season=asked.season,
        )
    try:
        path.write_bytes(body)
    except OSError as why:
        raise Nonsense("file-unwritable", f"{path} cannot be written: {why.strerror}.", where="--to") from why
    print(f"{path} · {len(body) / 1000:,.0f} kB")
