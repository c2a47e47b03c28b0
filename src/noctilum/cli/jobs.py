"""`noctilum jobs`: list the newest jobs, or cancel one."""

from __future__ import annotations

import argparse

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.wire.setup import Job


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("--cancel", type=int, metavar="NUMBER", help="at once while it waits, at its next step else")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """Cancel what was asked, and list the newest jobs."""
    with service(asked) as noctilum:
        if asked.cancel:
            noctilum.stop_job(asked.cancel)
        found = noctilum.jobs()
    rows = [job.model_dump(mode="json") for job in found]
    columns = [Column("number"), *(Column(n, right=False, most=60) for n in ("job", "state", "site", "begun", "what"))]
    cells = [
        (str(j.id), j.name, _state(j), j.site or "–", f"{j.started_at or j.created_at:%m-%d %H:%M}", _what(j))
        for j in found
    ]
    print_out(asked, rows, rows, columns, cells)


def _state(job: Job) -> str:
    return "stopping" if job.stopping else f"waits until {job.waits_until:%H:%M}" if job.waits_until else job.state


def _what(job: Job) -> str:
    if job.fault:
        return job.fault.splitlines()[0]
    return f"{job.done} of {job.due}" if job.due else ""
