"""`noctilum webhooks`: list addresses that are told when something happens, add one, drop one."""

from __future__ import annotations

import argparse
from typing import get_args

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.cli.quiet import quiet_hours
from noctilum.wire.webhooks import Event, NewWebhook, WebhookOut


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    doing = parser.add_mutually_exclusive_group()
    doing.add_argument("--add", metavar="URL", help="tell this address; prints the secret of its signatures once")
    doing.add_argument("--drop", type=int, metavar="NUMBER", help="tell it nothing more")
    doing.add_argument("--try", type=int, dest="tried", metavar="NUMBER", help="post something to it, to see")
    parser.add_argument("--on", nargs="+", choices=get_args(Event), default=["edition.sent"], help="what it is told")
    parser.add_argument("--label", default="", help="what it is for")
    parser.add_argument("--quiet", metavar="HH:MM-HH:MM", help="hours in which it is told nothing")
    parser.add_argument("--zone", default="UTC", help="the time zone of quiet hours, as Europe/London")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List webhooks, after what else was asked for."""
    with service(asked) as noctilum:
        if asked.add:
            quiet = {"time_zone": asked.zone, **quiet_hours(asked.quiet)}
            new = NewWebhook.model_validate({"url": asked.add, "label": asked.label, "events": asked.on, **quiet})
            made = noctilum.add_webhook(new)
            print(f"webhook {made.id}; the key of its signatures, shown this once: {made.secret}")
            return
        if asked.tried is not None:
            noctilum.try_webhook(asked.tried)
            print(f"webhook {asked.tried} is being tried; see how it went: noctilum webhooks")
            return
        if asked.drop is not None:
            noctilum.drop_webhook(asked.drop)
        found = noctilum.webhooks()
    rows = [each.model_dump(mode="json") for each in found]
    columns = [Column(name, right=name in ("number", "waiting", "failed"), most=60)
               for name in ("number", "address", "on", "quiet", "waiting", "failed", "last told", "why")]  # fmt: skip
    cells = [
        (str(each.id), each.url, ", ".join(each.events), quiet_of(each), str(each.waiting), str(each.failed),
         f"{each.told_at:%Y-%m-%d %H:%M}" if each.told_at else "", each.why)
        for each in found
    ]  # fmt: skip
    none = ["No address is told anything. Add one with: noctilum webhooks --add URL"]
    print_out(asked, rows, rows, columns, cells, above=[] if found else none)


def quiet_of(found: WebhookOut) -> str:
    """Say in which hours an address is told nothing."""
    return f"{found.quiet_from}-{found.quiet_to} {found.time_zone}" if found.quiet_from else ""
