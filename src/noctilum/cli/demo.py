"""`noctilum demo`: start the demo agency with its stand-in feed."""

from __future__ import annotations

import argparse
from datetime import date
from pathlib import Path

from noctilum.demo.run import run_demo


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--data", type=Path, default=Path(".demo"), help="where the demo lives (default .demo)")
    parser.add_argument("--port", type=int, default=8417, help="of the service; the stand-in takes the next one")
    parser.add_argument("--today", type=date.fromisoformat, help="the demo's today; the real day by default")
    parser.add_argument("--prepare", action="store_true", help="fill the history and stop")


def run(asked: argparse.Namespace) -> int:
    """Start everything and print the address and log-ins."""
    return run_demo(asked.data, asked.port, asked.today, prepare_only=asked.prepare)
