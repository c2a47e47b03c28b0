"""`noctilum hand-over`: write a site's whole history to one file, or take such a file in."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path

from noctilum.cli.access import add_access, service
from noctilum.cli.follow import follow
from noctilum.cli.output import count
from noctilum.client import Noctilum
from noctilum.core.errors import Nonsense
from noctilum.wire.operating import AskBringIn


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site", help="the site; or with --in, the file")
    parser.add_argument("--to", type=Path, default=Path(), metavar="PATH", help="file or folder (default here)")
    parser.add_argument("--in", dest="bring_in", action="store_true", help="take a hand-over file in")
    parser.add_argument("--client", help="with --in: another client's key than the one it names")
    add_access(parser)


def run(asked: argparse.Namespace) -> int:
    """Hand over, or take in."""
    with service(asked) as noctilum:
        return _take_in(noctilum, asked) if asked.bring_in else _give(noctilum, asked)


def _give(noctilum: Noctilum, asked: argparse.Namespace) -> int:
    job = follow(noctilum, noctilum.start_hand_over(asked.site), "steps")
    if job.state != "done":
        print(job.fault, file=sys.stderr)
        return 1
    path = asked.to / str(job.result["file"]) if asked.to.is_dir() else asked.to
    print(f"{path}: {count(noctilum.fetch(job.id, path))} bytes; it holds the history and no secrets")
    return 0


def _take_in(noctilum: Noctilum, asked: argparse.Namespace) -> int:
    path = Path(asked.site)
    if not path.is_file():
        raise Nonsense("no-such-file", f"There is no file {path}.", remedy="check the path")
    found = noctilum.bring_in(AskBringIn(upload=noctilum.upload(path).id, client=asked.client))
    print(f"{found.site} came in for {found.client}: {count(found.days)} days, {found.first} to {found.last}")
    for number in found.locked:
        print(f"enter the secret of source {number}: noctilum source {number} --secret")
    return 0
