"""`noctilum work`: list the worklist, put something on it, say what was done, write it as a calendar."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Iterator, Sequence
from datetime import date
from pathlib import Path
from typing import Any, get_args

from pydantic import ValidationError

from noctilum.cli.access import add_access, service
from noctilum.cli.notes import day_of
from noctilum.cli.output import Column, add_output, count, print_out
from noctilum.client import Noctilum
from noctilum.core.errors import Nonsense
from noctilum.wire.work import ManyWork, NewWork, WorkKind, WorkOut

ON = ("page", "query", "keyword", "set")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site", nargs="?", help="items of a site; of all without")
    which = parser.add_argument_group("which of them are listed")
    which.add_argument("--client", help="those of a client, by key")
    which.add_argument(
        "--state", choices=("open", "to do", "doing", "done", "dropped", "all"), default="open", help="which items"
    )
    which.add_argument("--find", default="", help="those that hold this text")
    doing = parser.add_argument_group("putting something on it")
    doing.add_argument("--add", metavar="WHAT", help="what to do; about the site unless --page, --query … say more")
    for each in ON:
        doing.add_argument(f"--{each}", nargs="+", default=[], help=f"the {each} it is about, or several")
    doing.add_argument("--why", help="the finding it is made on")
    doing.add_argument("--kind", choices=get_args(WorkKind), help="other without")
    doing.add_argument("--owner", metavar="EMAIL", help="who does it; when listing, only theirs")
    doing.add_argument("--due", type=day_of, metavar="DAY", help="like 2026-03-31")
    changing = parser.add_argument_group("changing items, by their numbers")
    changing.add_argument(
        "--change", nargs="+", type=int, metavar="NUMBER", help="change --owner, --due, --kind, --why"
    )
    changing.add_argument("--begin", nargs="+", type=int, metavar="NUMBER", help="say that they are being done")
    changing.add_argument("--done", nargs="+", type=int, metavar="NUMBER", help="say that they are done, today or --on")
    changing.add_argument("--on", type=day_of, metavar="DAY", help="with --done: the day it was")
    changing.add_argument("--drop", nargs="+", type=int, metavar="NUMBER", help="leave them undone, for a --reason")
    changing.add_argument("--reason", help="with --drop")
    changing.add_argument("--reopen", nargs="+", type=int, metavar="NUMBER", help="put them back on the list")
    changing.add_argument("--delete", nargs="+", type=int, metavar="NUMBER", help="delete them, as if they never were")
    other = parser.add_argument_group("as a calendar")
    other.add_argument("--ics", type=Path, metavar="FILE", help="write the items listed as to-dos (iCalendar)")
    other.add_argument("--calendar", action="store_true", help="print a new address for a calendar; the old one ends")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List items, after what else was asked for."""
    with service(asked) as noctilum:
        if asked.calendar:
            print(noctilum.calendar_address())
            return
        if asked.add:
            _add(asked, noctilum)
        for number, changes in _changes(asked):
            noctilum.change_work(number, **changes)
        for number in asked.delete or ():
            noctilum.drop_work(number)
        which = {"client": asked.client, "state": asked.state, "find": asked.find}
        if asked.owner and not (asked.add or asked.change):
            which["owner"] = asked.owner
        if asked.ics:
            named = {name: value for name, value in {"site": asked.site, **which}.items() if value}
            asked.ics.write_bytes(noctilum.work_calendar(**named))
            return
        show(asked, noctilum.work(asked.site, **which))


def _add(asked: argparse.Namespace, noctilum: Noctilum) -> None:
    """Put something on the list; raises Nonsense where what it is about is not said rightly."""
    if not asked.site:
        raise Nonsense("site-missing", "Work is on a site.", where="site", remedy="name the site first")
    named = [(each, getattr(asked, each)) for each in ON if getattr(asked, each)]
    if len(named) > 1:
        raise Nonsense("one-thing", "Work is about pages, queries, keywords or sets, not about two of these at once.")
    told = {"site": asked.site, "todo": asked.add, "why": asked.why or "", "kind": asked.kind or "other"}
    told |= {"owner": asked.owner, "due": asked.due}
    try:
        if not named:
            noctilum.add_work(NewWork(**told, of="site"))
            return
        of, keys = named[0]
        found = noctilum.take_work(ManyWork.model_validate({**told, "of": of, "keys": keys}))
    except ValidationError as why:
        raise Nonsense("input-unusable", str(why.errors()[0]["msg"]).removeprefix("Value error, ")) from why
    if found.repeated:
        print(f"on the list already, left as it is: {', '.join(found.repeated)}", file=sys.stderr)


def _changes(asked: argparse.Namespace) -> Iterator[tuple[int, dict[str, Any]]]:
    """Give what is to change of which item."""
    told = {"owner": asked.owner, "due": asked.due, "kind": asked.kind, "why": asked.why}
    given = {name: value for name, value in told.items() if value is not None}
    if asked.change and not given:
        raise Nonsense("nothing-to-change", "What is to change is not said.", where="--change", remedy="add --due DAY")
    if asked.drop and not asked.reason:
        raise Nonsense(
            "reason-missing", "An item is dropped with a reason.", where="--drop", remedy="add --reason TEXT"
        )
    yield from _each(asked.change, given)
    yield from _each(asked.begin, {"state": "doing"})
    yield from _each(asked.done, {"state": "done"} | ({"done_on": asked.on} if asked.on else {}))
    yield from _each(asked.drop, {"state": "dropped", "reason": asked.reason})
    yield from _each(asked.reopen, {"state": "to do"})


def _each(numbers: Sequence[int] | None, changes: dict[str, Any]) -> Iterator[tuple[int, dict[str, Any]]]:
    return ((number, changes) for number in numbers or ())


def show(asked: argparse.Namespace, found: Sequence[WorkOut]) -> None:
    """Show items."""
    rows = [each.model_dump(mode="json") for each in found]
    columns = [Column("number"), Column("state", right=False), Column("due", right=False)]
    columns += [Column("site", right=False, most=28)] if not asked.site else []
    columns += [Column("about", right=False, most=36), Column("what to do", right=False, most=48)]
    columns += [Column("why", right=False, most=44), Column("who", right=False, most=24), Column("clicks then")]
    cells = []
    for each in found:
        state = f"done {each.done_on}" if each.state == "done" else each.state
        then = count(each.baseline.clicks) if each.baseline else "–"
        about = (each.key or "the site", each.todo, each.reason or each.why or "–", each.owner or "–", then)
        due = _due(each.due)
        cells.append((str(each.id), state, due, *(() if asked.site else (each.site,)), *about))
    none = ["Nothing of the kind is on the worklist."]
    below = ["", "what came of what was done: noctilum worked SITE"] if any(e.state == "done" for e in found) else []
    print_out(asked, rows, rows, columns, cells, above=[] if found else none, below=below)


def _due(day: date | None) -> str:
    return str(day) if day else "–"
