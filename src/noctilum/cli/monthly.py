"""`noctilum monthly`: how far the clients' months were gone through, and noting a step."""

from __future__ import annotations

import argparse
from collections.abc import Sequence

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.core.errors import Nonsense
from noctilum.wire.monthly import STEPS, Monthly, MonthlyAtAGlance


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("client", nargs="?", help="steps of a client's month; every client at a glance without")
    parser.add_argument("--month", metavar="YYYY-MM", help="the last whole one without")
    parser.add_argument("--done", choices=STEPS, metavar="STEP", help=f"it was gone through: {', '.join(STEPS)}")
    parser.add_argument("--undo", choices=STEPS, metavar="STEP", help="it was not, after all")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """Print a month, after what was to be noted of it."""
    with service(asked) as noctilum:
        if asked.client is None:
            if asked.done or asked.undo:
                raise Nonsense("client-missing", "A step is of a client's month.", where="CLIENT", remedy="name it")
            show_all(asked, noctilum.months(asked.month))
            return
        if asked.done:
            noctilum.see_to_month(asked.client, asked.done, month=asked.month)
        if asked.undo:
            noctilum.see_to_month(asked.client, asked.undo, done=False, month=asked.month)
        show(asked, noctilum.month(asked.client, asked.month))


def show(asked: argparse.Namespace, found: Monthly) -> None:
    """Print the steps of one month."""
    rows = [step.model_dump(mode="json") for step in found.steps]
    cells = [(step.step, _state(step.done, step.why), f"{step.at:%Y-%m-%d}" if step.at else "", step.by or "")
             for step in found.steps]  # fmt: skip
    columns = [Column("step", right=False), Column("state", right=False), Column("on"), Column("by", right=False)]
    print_out(asked, found.model_dump(mode="json"), rows, columns, cells)


def show_all(asked: argparse.Namespace, found: Sequence[MonthlyAtAGlance]) -> None:
    """Print every client's month in a line."""
    rows = [each.model_dump(mode="json") for each in found]
    cells = [
        (each.client, each.month, f"{each.done} of {each.of}", each.next or "through", ", ".join(each.by))
        for each in found
    ]
    columns = [Column("client", right=False), Column("month"), Column("done"), Column("next", right=False)]
    print_out(asked, rows, rows, [*columns, Column("by", right=False)], cells)


def _state(done: bool, why: str) -> str:
    return "gone through" if done else why.rstrip(".").lower() if why else "open"
