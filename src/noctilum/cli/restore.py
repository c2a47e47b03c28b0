"""`noctilum restore`: take a backup back."""

from __future__ import annotations

import argparse
from datetime import UTC, datetime
from pathlib import Path

from noctilum.actions.backup import choose, restore
from noctilum.cli.local import add_data, passphrase, settings
from noctilum.cli.output import count
from noctilum.service import clock


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("backup", type=Path, help="a backup, or the folder of several")
    parser.add_argument(
        "--at", type=_moment, metavar="MOMENT", help="the newest not after it, as 2026-03-01T06:00, UTC"
    )
    parser.add_argument("--replace", action="store_true", help="replace an install that is there; it is moved aside")
    parser.add_argument("--with-keys", action="store_true", help="it holds sealed keys: ask for their passphrase")
    add_data(parser)


def _moment(text: str) -> datetime:
    moment = datetime.fromisoformat(text)
    return moment.astimezone(UTC) if moment.tzinfo else moment.replace(tzinfo=UTC)


def run(asked: argparse.Namespace) -> None:
    """Check a backup to the last byte and take it back."""
    found = choose(asked.backup, asked.at)
    data = settings(asked).data
    phrase = passphrase() if asked.with_keys else ""
    manifest, aside = restore(found, data, clock.now(), replace=asked.replace, passphrase=phrase)
    print(f"restored {found.name}, made {manifest.made_at}, into {data}: {count(manifest.size)} bytes")
    if aside:
        print(f"what was there before is in {aside}")
    if not manifest.keys:
        print(
            f"it came without keys: put the key back as {data / 'keys' / 'secrets'}, or make one with "
            "noctilum init --new-key and enter the feeds' secrets again"
        )
