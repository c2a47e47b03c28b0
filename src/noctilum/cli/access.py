"""Which service a command talks to, and as whom."""

from __future__ import annotations

import argparse
import os

from noctilum.client import Noctilum
from noctilum.core.errors import Refused
from noctilum.wire.questions import FILTERS

DEFAULT_URL = "http://127.0.0.1:8417"


def add_access(parser: argparse.ArgumentParser) -> None:
    """Add --url and --token."""
    parser.add_argument("--url", default=None, help=f"the service; NOCTILUM_URL, or {DEFAULT_URL}")
    parser.add_argument("--token", default=None, help="a bearer token; NOCTILUM_TOKEN by default")


def service(asked: argparse.Namespace) -> Noctilum:
    """Open the service that the arguments or the environment name; raises Refused without a token."""
    token = asked.token or os.environ.get("NOCTILUM_TOKEN", "")
    if not token:
        raise Refused("no-token", "No token is given.", remedy="export NOCTILUM_TOKEN, made with `noctilum token`")
    return Noctilum(asked.url or os.environ.get("NOCTILUM_URL", DEFAULT_URL), token)


def add_frame(parser: argparse.ArgumentParser, *, where: bool = True) -> None:
    """Add --window, --against and the filters."""
    parser.add_argument("--window", default="P28D", help="P28D, month, 2026-03, 2026-Q1, 2026-01-01/2026-03-31, all")
    parser.add_argument("--against", default="before", help="before, year, none or a window (default before)")
    if where:
        for name in FILTERS:
            parser.add_argument(f"--{name}", default=None, help=f"only rows of this {name}")
        parser.add_argument("--filter", default=None, help="only rows that pass, like 'words >= 4 and not brand'")
        parser.add_argument("--engine", default=None, help="only sources of this engine")
        parser.add_argument("--source", default=None, help="only this source, also one kept apart")
        add_language(parser)


def add_language(parser: argparse.ArgumentParser) -> None:
    """Add --language, of what a reading says of itself."""
    parser.add_argument(
        "--language", choices=("en", "de", "fr", "es", "nb"), default="en", help="of sentences, reasons and stems"
    )
