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
    url, token = asked.url or os.environ.get("NOCTILUM_URL", DEFAULT_URL), os.environ.get("NOCTILUM_TOKEN", "")
    with Noctilum(url, token) as noctilum:
        found = noctilum.health()
    seen = found.worker_seen_seconds_ago
    parts = [
        found.status,
        f"version {found.version}" if found.version else "",
        f"records {'work' if found.records else 'fail'}",
        "worker not seen yet" if seen is None else f"worker seen {seen:.0f} s ago",
        f"{found.disk_free_bytes / (1 << 30):.1f} GiB free" if found.disk_free_bytes is not None else "",
        f"last whole night {found.last_whole_night}" if found.last_whole_night else "",
    ]
    print(" · ".join(part for part in parts if part))
    for trouble in found.troubles:
        print(f"! {trouble}")
    if found.status != "ok" and not token:
        print("  with NOCTILUM_TOKEN set it says what is wrong")
    return 0 if found.status == "ok" else 1
