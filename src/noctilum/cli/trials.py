"""`noctilum trials`: list trials, plan one, note what was changed, end one before its time."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from datetime import date, timedelta

from pydantic import ValidationError

from noctilum import machine_time
from noctilum.cli.access import add_access, service
from noctilum.cli.notes import day_of
from noctilum.cli.output import Column, add_output, count, print_out
from noctilum.client import Noctilum
from noctilum.core.errors import Nonsense
from noctilum.wire.trials import LogLine, NewTrial, TrialOut


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site", nargs="?", help="trials of a site; of all without")
    planning = parser.add_argument_group("planning one; see first what it could show: noctilum trial-plan")
    planning.add_argument("--add", metavar="NAME", help="plan a trial")
    planning.add_argument("--what", default="", help="what is changed")
    planning.add_argument("--of", choices=("page", "query"), default="page", help="what is treated (default page)")
    planning.add_argument("--treated", nargs="+", default=[], help="the pages or queries that are changed")
    planning.add_argument(
        "--control", nargs="+", default=[], help="those left as they are; the rest of the site without"
    )
    planning.add_argument("--starts", type=day_of, metavar="DAY", help="the first day with the change")
    planning.add_argument("--weeks", type=int, default=4, help="how many weeks are read (default 4)")
    changing = parser.add_argument_group("changing one, by its number")
    changing.add_argument("--log", nargs=2, metavar=("NUMBER", "TEXT"), help="note what was changed, --on a day")
    changing.add_argument("--end", type=int, metavar="NUMBER", help="end it before its time, --on a day")
    changing.add_argument("--on", type=day_of, metavar="DAY", help="the day; today without")
    changing.add_argument("--drop", type=int, metavar="NUMBER", help="delete it")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List trials, after what else was asked for."""
    with service(asked) as noctilum:
        if asked.add:
            noctilum.add_trial(_new(asked))
        if asked.log:
            _note(asked, noctilum)
        if asked.end is not None:
            noctilum.change_trial(asked.end, ended_on=asked.on or _today(noctilum))
        if asked.drop is not None:
            noctilum.drop_trial(asked.drop)
        show(asked, noctilum.trials(asked.site))


def _new(asked: argparse.Namespace) -> NewTrial:
    if not asked.site or asked.starts is None:
        raise Nonsense(
            "trial-unsaid", "A trial is on a site and starts on a day.", where="--starts", remedy="name both"
        )
    named = ("what", "of", "treated", "control", "starts", "weeks")
    try:
        return NewTrial.model_validate(
            {"site": asked.site, "name": asked.add} | {name: getattr(asked, name) for name in named}
        )
    except ValidationError as why:
        first = why.errors()[0]
        where = f"--{first['loc'][0]}" if first["loc"] else "--treated"
        raise Nonsense("input-unusable", str(first["msg"]).removeprefix("Value error, "), where=where) from why


def _note(asked: argparse.Namespace, noctilum: Noctilum) -> None:
    """Add a line to what was changed, and when."""
    number, text = asked.log
    if not number.isdigit():
        raise Nonsense("input-unusable", f"{number!r} is no number of a trial.", where="--log")
    found = next((each for each in noctilum.trials() if each.id == int(number)), None)
    lines = [LogLine(day=line.day, text=line.text) for line in (found.log if found else [])]
    lines.append(LogLine(day=asked.on or _today(noctilum), text=text))
    noctilum.change_trial(int(number), seen=found, log=[line.model_dump(mode="json") for line in lines])


def _today(noctilum: Noctilum) -> date:
    """Give the day as the service has it."""
    return noctilum.me().today or machine_time.moment().date()


def show(asked: argparse.Namespace, found: Sequence[TrialOut]) -> None:
    """Show trials."""
    rows = [each.model_dump(mode="json") for each in found]
    columns = [Column("number"), Column("site", right=False, most=28), Column("trial", right=False, most=36)]
    columns += [Column("treated"), Column("control"), Column("starts", right=False), Column("to", right=False)]
    columns += [Column("what is changed", right=False, most=44)]
    cells = [
        (
            str(each.id),
            each.site,
            each.name,
            f"{count(len(each.treated))} {each.of}{'s' if each.of == 'page' and len(each.treated) > 1 else ''}",
            count(len(each.control)) if each.control else "the rest",
            str(each.starts),
            f"{each.ended_on} (ended)" if each.ended_on else str(each.starts + timedelta(each.weeks * 7 - 1)),
            each.what or "–",
        )
        for each in found
    ]
    none = ["No trial yet. See what one could show: noctilum trial-plan SITE PAGE …"]
    below = ["", "how one stands: noctilum trial SITE NUMBER"] if found else []
    print_out(asked, rows, rows, columns, cells, above=[] if found else none, below=below)
