"""`noctilum source`: change a source: its schedule, its secret, whether it is read with the others."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, service
from noctilum.cli.credential import ask_secret
from noctilum.wire.setup import Source, SourceChange


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("source", type=int)
    parser.add_argument("--schedule", metavar="WHEN", help="hourly, 'daily at 06:00', an RFC 5545 rule, off")
    going = parser.add_mutually_exclusive_group()
    going.add_argument("--pause", action="store_true", help="hold its schedule")
    going.add_argument("--resume", action="store_true", help="take its schedule up again and catch up")
    counting = parser.add_mutually_exclusive_group()
    counting.add_argument("--apart", action="store_true", help="keep it, but read it only when asked for")
    counting.add_argument("--together", action="store_true", help="read it together with the site's others")
    parser.add_argument("--a-month", type=int, metavar="LOOKUPS", help="how many lookups it may use; 0 for no limit")
    parser.add_argument("--secret", action="store_true", help="enter its secret again (or NOCTILUM_FEED_SECRET)")
    add_access(parser)


def run(asked: argparse.Namespace) -> None:
    """Change what is named, and show the source."""
    change = SourceChange.model_validate(
        {
            "schedule": asked.schedule,
            "paused": _either(asked.pause, asked.resume),
            "a_month": asked.a_month,
            "counted": _either(asked.together, asked.apart),
            "secret": ask_secret(needed=True) if asked.secret else None,
        }
    )
    with service(asked) as noctilum:
        found = noctilum.change_source(asked.source, change)
    print("\n".join(_lines(found)))


def _either(yes: bool, no: bool) -> bool | None:
    return True if yes else False if no else None


def _lines(found: Source) -> list[str]:
    apart = f"apart; source {found.part_of} counts it too" if found.part_of else "apart"
    lines = [
        f"source {found.id}, {found.label}, of {found.site}",
        f"  counts     {found.scope or found.property}, read {'together' if found.counted else apart}",
        f"  schedule   {found.schedule or 'none'}{' (paused)' if found.paused else ''}",
        f"  next pull  {_moment(found.next_run_at)}",
        f"  held       {found.first_held or '–'} to {found.complete_through or '–'}, {found.days_held} days",
        f"  state      {found.state}",
    ]
    if found.kind == "lookups":
        limit = "without limit" if found.a_month is None else f"of {found.a_month:,}"
        lines.append(f"  lookups    {found.used:,} used this month, {limit}")
    if found.retry_at:
        lines.append(f"  tried again {_moment(found.retry_at)}, after {found.failures} failures")
    return lines + ([f"  fault      {found.fault}"] if found.fault else [])


def _moment(value: object) -> str:
    return f"{value:%Y-%m-%d %H:%M} UTC" if value else "–"
