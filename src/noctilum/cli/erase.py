"""`noctilum erase`: delete a client, a site or a source for good."""

from __future__ import annotations

import argparse
import sys

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, count, print_out
from noctilum.wire.operating import Erased


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("kind", nargs="?", choices=("client", "site", "source"))
    parser.add_argument("key", nargs="?", help="the client's or site's key, or the source's number")
    parser.add_argument("--confirm", metavar="KEY", help="the key again; asked for in a terminal without")
    parser.add_argument("--list", action="store_true", help="list what was erased")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> int:
    """Erase, and say what went."""
    with service(asked) as noctilum:
        if asked.list or not (asked.kind and asked.key):
            return _list(asked, noctilum.erasures())
        confirm = asked.confirm
        if confirm is None and sys.stdin.isatty():
            confirm = input(
                f"This deletes {asked.kind} {asked.key} and its history for good. Type {asked.key} to go on: "
            )
        found = noctilum.erase(asked.kind, asked.key, confirm or "")
    print(f"erased {found.what}: {_went(found.went)}")
    print("backups and hand-over files still hold it; they are kept as long as you keep them")
    return 0


def _went(went: dict[str, object]) -> str:
    sites = went.get("sites")
    if isinstance(sites, list):
        return "; ".join(_went(each) for each in sites) or "it had no sites"
    said = [f"{count(float(str(went[name])))} {name.replace('_', ' ')}" for name in went if isinstance(went[name], int)]
    name = str(went.get("site") or went.get("source") or "")
    return f"{name} ({', '.join(said)})"


def _list(asked: argparse.Namespace, found: list[Erased]) -> int:
    rows = [each.model_dump(mode="json") for each in found]
    cells = [(f"{e.at:%Y-%m-%d %H:%M}", e.who, e.what, _went(e.went)) for e in found]
    columns = [Column(name, right=False) for name in ("when", "by", "what", "went")]
    print_out(asked, rows, rows, columns, cells, below=[] if found else ["nothing was erased"])
    return 0
