"""Following a job to its end with a progress bar."""

from __future__ import annotations

from rich.console import Console
from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

from noctilum.cli.output import count
from noctilum.client import Noctilum
from noctilum.wire.setup import Job


def follow(noctilum: Noctilum, job: Job, unit: str) -> Job:
    """Show a job's progress on the terminal until it has ended; gives it as it ended."""
    out = Console(stderr=True)
    columns = (TextColumn("{task.description}"), BarColumn(bar_width=28), TextColumn("{task.percentage:>3.0f}%"))
    more = (TextColumn("{task.fields[said]}"), TimeRemainingColumn(compact=True))
    last = job
    with Progress(*columns, *more, console=out, transient=True, disable=not out.is_terminal) as progress:
        task = progress.add_task("queued", total=None, said="")
        for last in noctilum.follow(job, every=0.3):
            said = f"{count(last.done)} of {count(last.due)} {unit} · {count(last.rows)} rows"
            progress.update(task, description=last.stage, total=last.due or None, completed=last.done, said=said)
    return last
