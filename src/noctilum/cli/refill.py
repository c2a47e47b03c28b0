"""`noctilum refill`: ask a source again for gaps, or for a run of days."""

from __future__ import annotations

import argparse
from datetime import date

from noctilum.cli.access import add_access, service
from noctilum.cli.output import add_output
from noctilum.cli.pull import show_ended
from noctilum.wire.setup import PullSpan


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("source", type=int)
    parser.add_argument("--first", type=date.fromisoformat, metavar="DAY", help="from this day on")
    parser.add_argument("--last", type=date.fromisoformat, metavar="DAY", help="up to this day")
    parser.add_argument("--again", action="store_true", help="also days held in the revision offered")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> int:
    """Refill, and show progress until it has ended."""
    with service(asked) as noctilum:
        job = noctilum.refill(asked.source, PullSpan(first=asked.first, last=asked.last, again=asked.again))
        return show_ended(noctilum, [job], [asked.source], asked.output)
