"""`noctilum tokens`: list tokens of programs, make one, revoke one."""

from __future__ import annotations

import argparse
from datetime import datetime

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.wire.people import NewToken


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--add", metavar="LABEL", help="make one; it is shown this once")
    parser.add_argument("--days", type=int, metavar="N", help="with --add: how long it holds; until revoked without")
    parser.add_argument("--revoke", type=int, metavar="NUMBER", help="revoke one: it opens nothing from then on")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """Make or revoke a token, or list them."""
    with service(asked) as noctilum:
        if asked.add:
            print(noctilum.add_token(NewToken(label=asked.add, days=asked.days)).token)
            return
        if asked.revoke:
            noctilum.drop_token(asked.revoke)
        found = noctilum.tokens()
    rows = [token.model_dump(mode="json") for token in found]
    names = ("what it is for", "whose", "made", "last used", "holds until")
    columns = [Column("number"), *(Column(name, right=False) for name in names)]
    cells = [(str(t.id), t.label, t.user, *map(_day, (t.created_at, t.used_at, t.until))) for t in found]
    print_out(asked, rows, rows, columns, cells)


def _day(moment: datetime | None) -> str:
    return f"{moment:%Y-%m-%d}" if moment else "–"
