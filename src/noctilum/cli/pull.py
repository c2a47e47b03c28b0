"""`noctilum pull`: fetch every day due, with progress."""

from __future__ import annotations

import argparse
import json
import sys

from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

from noctilum.cli.access import add_access, service
from noctilum.cli.output import add_output, count
from noctilum.client import Noctilum
from noctilum.wire.setup import Job


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("source", type=int, nargs="*", help="which sources; all of them without any")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> int:
    """Pull, and show progress until every pull has ended."""
    with service(asked) as noctilum:
        numbers = asked.source or [source.id for source in noctilum.sources()]
        if not numbers:
            print("no source is connected yet; connect one with: noctilum connect", file=sys.stderr)
            return 4
        numbers = [number for number in numbers if asked.source or noctilum.source(number).connector != "files"]
        jobs = [noctilum.start_pull(number) for number in numbers]
        return show_ended(noctilum, jobs, numbers, asked.output)


def show_ended(noctilum: Noctilum, jobs: list[Job], numbers: list[int], output: str) -> int:
    """Follow pulls to their end and say what each came to; returns the exit code."""
    ended = _follow(noctilum, jobs)
    sources = {number: noctilum.source(number) for number in numbers}
    if output != "table":
        print(json.dumps([job.model_dump(mode="json") for job in ended], indent=2))
    else:
        for job in ended:
            print(_sentence(job, sources[job.source or 0].complete_through))
    for number, source in sources.items():
        if source.fault:
            print(f"! source {number}: {source.fault}", file=sys.stderr)
    return 7 if any(job.state != "done" for job in ended) else 0


def _follow(noctilum: Noctilum, jobs: list[Job]) -> list[Job]:
    ended = []
    out = Console(stderr=True)
    columns = (
        TextColumn("{task.description}"),
        BarColumn(bar_width=28),
        MofNCompleteColumn(),
        TextColumn("days · {task.fields[rows]} rows"),
        TimeRemainingColumn(compact=True),
        TextColumn("{task.fields[hurry]}"),
    )
    with Progress(*columns, console=out, transient=True, disable=not out.is_terminal) as progress:
        for job in jobs:
            task = progress.add_task(job.site or "pull", total=None, rows="0", hurry="")
            last = job
            for last in noctilum.follow(job, every=0.3):
                progress.update(
                    task, total=last.due or None, completed=last.done, rows=count(last.rows), hurry=_hurry(last)
                )
            ended.append(last)
    return ended


def _hurry(job: Job) -> str:
    if job.expires_in is None or job.expires_in > 7:
        return ""
    return f"oldest day expires in {job.expires_in} days"


def _sentence(job: Job, through: object) -> str:
    if job.state != "done":
        return f"{job.site}: the pull failed. {job.fault}"
    if job.due == 0:
        return f"{job.site}: nothing was due; complete through {through}"
    rate = f" at {count(job.rows_per_second)} rows a second" if job.rows_per_second else ""
    return f"{job.site}: {job.done} of {job.due} days, {count(job.rows)} rows{rate}; complete through {through}"
