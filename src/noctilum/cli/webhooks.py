"""`noctilum webhooks`: list addresses that are told when something happens, add one, drop one."""

from __future__ import annotations

import argparse
from typing import get_args

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.wire.webhooks import Event, NewWebhook


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    doing = parser.add_mutually_exclusive_group()
    doing.add_argument("--add", metavar="URL", help="tell this address; prints the secret of its signatures once")
    doing.add_argument("--drop", type=int, metavar="NUMBER", help="tell it nothing more")
    parser.add_argument("--on", nargs="+", choices=get_args(Event), default=["edition.sent"], help="what it is told")
    parser.add_argument("--label", default="", help="what it is for")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List webhooks, after what else was asked for."""
    with service(asked) as noctilum:
        if asked.add:
            made = noctilum.add_webhook(NewWebhook(url=asked.add, label=asked.label, events=asked.on))
            print(f"webhook {made.id}; the key of its signatures, shown this once: {made.secret}")
            return
        if asked.drop is not None:
            noctilum.drop_webhook(asked.drop)
        found = noctilum.webhooks()
    rows = [each.model_dump(mode="json") for each in found]
    columns = [Column(name, right=name in ("number", "waiting", "failed"), most=60)
               for name in ("number", "address", "on", "waiting", "failed", "last told", "why")]  # fmt: skip
    cells = [
        (str(each.id), each.url, ", ".join(each.events), str(each.waiting), str(each.failed),
         f"{each.told_at:%Y-%m-%d %H:%M}" if each.told_at else "", each.why)
        for each in found
    ]  # fmt: skip
    none = ["No address is told anything. Add one with: noctilum webhooks --add URL"]
    print_out(asked, rows, rows, columns, cells, above=[] if found else none)
