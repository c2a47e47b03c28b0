"""`noctilum check`: look keywords up now."""

from __future__ import annotations

import argparse
import json
import sys

from noctilum.cli.access import add_access, service
from noctilum.cli.follow import follow
from noctilum.cli.output import add_output, count
from noctilum.wire.jobs import ChecksDone


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    parser.add_argument("keyword", type=int, nargs="*", help="these, whether due or not; all that are due without")
    parser.add_argument("--yes", action="store_true", help="without asking, where it costs lookups")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> int:
    """Say what it costs, look up, and say what came of it."""
    with service(asked) as noctilum:
        cost = noctilum.lookup_cost(asked.site)
        left = "" if cost.left is None else f", {count(cost.left)} are left this month"
        if asked.keyword and not asked.yes and sys.stdin.isatty():
            said = input(f"This costs {len(asked.keyword)} lookups{left}. Go on? [y/N] ")
            if said.strip().lower() not in ("y", "yes"):
                return 0
        job = follow(noctilum, noctilum.start_checks(asked.site, asked.keyword or None), "keywords")
        if job.state != "done":
            print(f"! {job.fault or job.state}", file=sys.stderr)
            return 7
        found = noctilum.result(job)
    assert isinstance(found, ChecksDone)
    if asked.output != "table":
        print(json.dumps(found.model_dump(mode="json"), indent=2))
        return 0
    if not found.due:
        print("Nothing was due.")
        return 0
    print(f"{count(found.found)} of {count(found.due)} keywords looked up.")
    if found.failed:
        print(f"! {count(found.failed)} could not be looked up; they are due again with the next run")
    if found.waiting:
        print(f"! {count(found.waiting)} wait: the lookups of this month are used up")
    return 0
