"""`noctilum health`: say whether the service works."""

from __future__ import annotations

import argparse
import os

from noctilum.cli.access import DEFAULT_URL
from noctilum.client import Noctilum


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--url", default=None, help=f"the service; NOCTILUM_URL, or {DEFAULT_URL}")


def run(asked: argparse.Namespace) -> int:
    """Print the state; 1 when something is wrong."""
    with Noctilum(asked.url or os.environ.get("NOCTILUM_URL", DEFAULT_URL), "") as noctilum:
        found = noctilum.health()
    seen = found.worker_seen_seconds_ago
    worker = "not seen yet" if seen is None else f"seen {seen:.0f} s ago"
    print(f"{found.status} · version {found.version} · records {'work' if found.records else 'fail'} · worker {worker}")
    return 0 if found.status == "ok" else 1
