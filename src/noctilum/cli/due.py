"""`noctilum due`: list reports where they stand, make what is due, skip one, make one that waits."""

from __future__ import annotations

import argparse
from datetime import datetime

from noctilum.cli.access import add_access, service
from noctilum.cli.follow import follow
from noctilum.cli.output import Column, add_output, print_out
from noctilum.wire.reports import DueLine

WANTING = ("failed", "trouble", "to approve", "to send")
"""States that want somebody."""


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--site", help="only of this site")
    parser.add_argument("--client", help="only of this client's sites")
    parser.add_argument("--wanting", action="store_true", help="only what wants somebody")
    doing = parser.add_mutually_exclusive_group()
    doing.add_argument("--run", action="store_true", help="make all that is due now, with progress")
    doing.add_argument("--make", type=int, metavar="SLOT", help="make what waits, with the days there are")
    doing.add_argument("--skip", type=int, metavar="SLOT", help="let it go by this time")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List what is due, after what else was asked for."""
    with service(asked) as noctilum:
        if asked.run:
            follow(noctilum, noctilum.run_due(), "reports")
        if asked.make is not None:
            noctilum.make_anyway(asked.make)
        if asked.skip is not None:
            noctilum.skip_due(asked.skip)
        found = noctilum.due(asked.site, client=asked.client)
    if asked.wanting:
        found = [each for each in found if each.state in WANTING]
    rows = [each.model_dump(mode="json") for each in found]
    names = ("state", "slot", "edition", "due", "site", "report", "window", "reached", "what")
    columns = [Column(name, right=name in ("slot", "edition", "reached"), most=54) for name in names]
    none = ["Nothing is due. Give a report a schedule with: noctilum reports --change NUMBER --schedule RULE"]
    print_out(asked, rows, rows, columns, [_cells(each) for each in found], above=[] if found else none)


def _cells(line: DueLine) -> tuple[str, ...]:
    return (
        line.state,
        str(line.slot or ""),
        str(line.edition or ""),
        _moment(line.due_at),
        line.site,
        line.name,
        f"{line.first} to {line.last}" if line.first else "",
        f"{line.reached}/{line.to}" if line.edition and line.to else "",
        line.why or line.title,
    )


def _moment(at: datetime | None) -> str:
    return f"{at:%Y-%m-%d %H:%M}" if at else ""
