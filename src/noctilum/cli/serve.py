"""`noctilum serve`: start the service and its worker."""

from __future__ import annotations

import argparse

from noctilum.cli.local import add_data, settings
from noctilum.service.serve import run as serve


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--host", help="where to listen (default 127.0.0.1)")
    parser.add_argument("--port", type=int, help="where to listen (default 8417)")
    add_data(parser)


def run(asked: argparse.Namespace) -> int:
    """Serve until Ctrl-C."""
    found = settings(asked, host=asked.host, port=asked.port)
    return serve(found, when_up=lambda: print(f"http://{found.host}:{found.port} · Ctrl-C stops it", flush=True))
