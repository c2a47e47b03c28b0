"""`noctilum alerts`: list what calls out, acknowledge, snooze or mute it, look anew."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from typing import get_args

from noctilum.cli.access import add_access, service
from noctilum.cli.follow import follow
from noctilum.cli.notes import day_of
from noctilum.cli.output import Column, add_output, print_out
from noctilum.cli.quiet import quiet_hours
from noctilum.client import Noctilum
from noctilum.core.errors import Nonsense
from noctilum.wire.alerts import AlertOut
from noctilum.wire.digests import Weekday

WEEKDAYS = get_args(Weekday)
STATES = ("calling", "open", "acknowledged", "snoozed", "muted", "closed", "all")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site", nargs="?", help="alerts of a site; of all without")
    parser.add_argument("--state", choices=STATES, default="calling", help="default calling: open and acknowledged")
    parser.add_argument("--look", action="store_true", help="look what calls out now; every night it is done anyway")
    parser.add_argument("--language", choices=("en", "de", "fr", "es", "nb"), default="en", help="of what they say")
    parser.add_argument("--feed", action="store_true", help="give the address of one's alerts as an Atom feed")
    mailed = parser.add_argument_group("by mail")
    mailed.add_argument("--digest", choices=("off", "day", "week", "show"), help="be mailed what calls out")
    mailed.add_argument("--at", default="07:00", metavar="HH:MM", help="the hour of a digest (default 07:00)")
    mailed.add_argument("--on", default="monday", choices=WEEKDAYS, metavar="DAY", help="of a weekly one (monday)")
    mailed.add_argument("--zone", default="UTC", metavar="ZONE", help="IANA name of the hours' time zone (UTC)")
    mailed.add_argument("--quiet", metavar="HH:MM-HH:MM", help="hours in which nothing is mailed")
    seeing = parser.add_argument_group("seeing to one, by its number")
    seeing.add_argument("--acknowledge", type=int, metavar="NUMBER", help="somebody has seen it")
    seeing.add_argument("--snooze", type=int, metavar="NUMBER", help="let it call again --until a day, if still so")
    seeing.add_argument("--until", type=day_of, metavar="DAY", help="the day it may call again")
    seeing.add_argument("--mute", type=int, metavar="NUMBER", help="let it never call again, for a --reason")
    seeing.add_argument("--reason", default="", help="why it is muted")
    seeing.add_argument("--reopen", type=int, metavar="NUMBER", help="let it call again")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List alerts, after what else was asked for."""
    with service(asked) as noctilum:
        if asked.feed:
            print(noctilum.alerts_feed())
            return
        if asked.digest:
            print(_digest(asked, noctilum))
            return
        _see_to(asked, noctilum)
        if asked.look:
            for key in [asked.site] if asked.site else [site.key for site in noctilum.sites()]:
                follow(noctilum, noctilum.look_for_alerts(key), "sites")
        show(asked, noctilum.alerts(asked.site, state=asked.state, language=asked.language))


def _digest(asked: argparse.Namespace, noctilum: Noctilum) -> str:
    """Choose how one is mailed, and say how one is."""
    if asked.digest == "show":
        found = noctilum.digest()
    else:
        how = {"at": asked.at, "weekday": asked.on, "time_zone": asked.zone, **quiet_hours(asked.quiet)}
        found = noctilum.change_digest(asked.digest, **how)
    if found.every == "off":
        return "no digest is mailed"
    when = f"every {found.weekday if found.every == 'week' else 'day'} at {found.at} {found.time_zone}"
    quiet = f", not between {found.quiet_from} and {found.quiet_to}" if found.quiet_from else ""
    unset = "" if found.mail else "; but no mail server is set: see `noctilum settings`"
    return f"a digest is mailed {when}{quiet}; the next from {found.next_at:%Y-%m-%d %H:%M} UTC on{unset}"


def _see_to(asked: argparse.Namespace, noctilum: Noctilum) -> None:
    if asked.acknowledge is not None:
        noctilum.see_to_alert(asked.acknowledge, "acknowledged")
    if asked.snooze is not None:
        if asked.until is None:
            raise Nonsense("until-missing", "An alert is snoozed until a day.", where="--until", remedy="--until DAY")
        noctilum.see_to_alert(asked.snooze, "snoozed", until=asked.until)
    if asked.mute is not None:
        if not asked.reason.strip():
            raise Nonsense(
                "reason-missing", "An alert is muted with a reason.", where="--reason", remedy="--reason TEXT"
            )
        noctilum.see_to_alert(asked.mute, "muted", reason=asked.reason)
    if asked.reopen is not None:
        noctilum.see_to_alert(asked.reopen, "open")


def show(asked: argparse.Namespace, found: Sequence[AlertOut]) -> None:
    """Print alerts with what each says."""
    rows = [each.model_dump(mode="json") for each in found]
    cells = [(str(each.id), each.site, each.rule, _state(each), each.text, _together(each)) for each in found]
    columns = [Column("number"), Column("site", right=False), Column("what", right=False), Column("state", right=False)]
    columns += [Column("it says", right=False, most=140), Column("sites")]
    print_out(asked, rows, rows, columns, cells)


def _state(alert: AlertOut) -> str:
    return f"{alert.state} until {alert.until}" if alert.until else alert.state


def _together(alert: AlertOut) -> str:
    return str(alert.together) if alert.together > 1 else ""
