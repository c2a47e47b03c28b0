"""`noctilum shares`: list shared pages, share an edition or a report as it is today, take one back."""

from __future__ import annotations

import argparse
import sys
from getpass import getpass
from typing import get_args

from pydantic import SecretStr

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.wire.shares import Change, NewShare, ShareOut


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site", nargs="?", help="only of this site")
    parser.add_argument("--client", help="only of this client's sites")
    doing = parser.add_mutually_exclusive_group()
    doing.add_argument("--edition", type=int, metavar="NUMBER", help="share an edition that is signed off")
    doing.add_argument("--live", type=int, metavar="REPORT", help="share a report as it is today")
    doing.add_argument("--revoke", type=int, metavar="NUMBER", help="take a shared page back")
    doing.add_argument("--views", type=int, metavar="NUMBER", help="list looks at a shared page")
    parser.add_argument("--label", default="", help="whom it is for")
    parser.add_argument("--days", type=int, default=90, help="it ends after so many days (90); 0 for never")
    parser.add_argument("--ask-password", action="store_true", help="ask for a password that its readers must give")
    parser.add_argument("--may-change", nargs="*", choices=get_args(Change), default=["window", "against"],
                        help="of a live page, by its readers")  # fmt: skip
    parser.add_argument(
        "--set", action="append", default=[], metavar="NAME", help="a set they may choose; again for more"
    )
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List shared pages, after what else was asked for."""
    with service(asked) as noctilum:
        if asked.views is not None:
            views = noctilum.share_views(asked.views)
            rows = [each.model_dump(mode="json") for each in views]
            cells = [(f"{each.at:%Y-%m-%d %H:%M}", each.address, each.what) for each in views]
            columns = [Column(name, right=False) for name in ("when", "network", "what")]
            print_out(asked, rows, rows, columns, cells, above=[] if views else ["Nobody has looked at it yet."])
            return
        if asked.edition is not None or asked.live is not None:
            made = noctilum.share(_wanted(asked))
            print(made.address)
            return
        if asked.revoke is not None:
            noctilum.revoke_share(asked.revoke)
        found = noctilum.shares(asked.site, client=asked.client)
    rows = [each.model_dump(mode="json") for each in found]
    names = ("number", "site", "shows", "for", "until", "looks", "address")
    columns = [Column(name, right=name in ("number", "looks")) for name in names]
    none = ["Nothing is shared. Share with: noctilum shares --edition NUMBER, or --live REPORT"]
    print_out(asked, rows, rows, columns, [_cells(each) for each in found], above=[] if found else none)


def _wanted(asked: argparse.Namespace) -> NewShare:
    password = None
    if asked.ask_password:
        typed = getpass("Password: ") if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
        password = SecretStr(typed)
    return NewShare(
        edition=asked.edition,
        report=asked.live,
        label=asked.label,
        days=asked.days or None,
        password=password,
        may_change=asked.may_change,
        sets=asked.set,
    )


def _cells(each: ShareOut) -> tuple[str, ...]:
    shows = f"{each.name}, {'live' if each.live else f'edition {each.edition}'}{', password' if each.password else ''}"
    until = "over" if each.over else f"{each.until:%Y-%m-%d}" if each.until else "no end"
    return (str(each.id), each.site, shows, each.label, until, str(each.views), each.address)
