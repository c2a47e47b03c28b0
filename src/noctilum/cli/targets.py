"""`noctilum targets`: list targets, set one, change one, delete one."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from datetime import timedelta
from typing import Any, get_args

from pydantic import ValidationError

from noctilum import machine_time
from noctilum.cli.access import add_access, service
from noctilum.cli.notes import day_of
from noctilum.cli.output import Column, add_output, count, print_out
from noctilum.client import Noctilum
from noctilum.core.errors import Nonsense
from noctilum.wire.targets import Metric, NewTarget, TargetOut

_SAID = ("metric", "over", "filter", "tagged", "value", "starts", "by")


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site", nargs="?", help="targets of a site; of all without")
    parser.add_argument("--add", metavar="NAME", help="set a target")
    parser.add_argument(
        "--change", type=int, metavar="NUMBER", help="change one, by its number; what is not named stays"
    )
    parser.add_argument("--drop", type=int, metavar="NUMBER", help="delete one")
    said = parser.add_argument_group("what is to be reached")
    said.add_argument("--metric", choices=get_args(Metric), help="default clicks; top10: keywords in the top ten")
    said.add_argument("--value", type=float, help="in the 28 days up to the day; keywords: on the day")
    said.add_argument("--by", type=day_of, metavar="DAY", help="the day by which it is to be reached")
    said.add_argument("--starts", type=day_of, metavar="DAY", help="the first day of the way; today without")
    said.add_argument("--over", choices=("site", "client"), help="client: all sites of its client together")
    said.add_argument("--filter", help='only a part, in the filter language, as set "Guides"')
    said.add_argument("--tag", dest="tagged", metavar="TAG", help="only tracked keywords with this tag")
    said.add_argument("--name", help="with --change: another name")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List targets, after what else was asked for."""
    with service(asked) as noctilum:
        if asked.add:
            noctilum.add_target(_new(asked, noctilum))
        if asked.change is not None:
            _changed(asked, noctilum)
        if asked.drop is not None:
            noctilum.drop_target(asked.drop)
        show(asked, noctilum.targets(asked.site))


def _given(asked: argparse.Namespace) -> dict[str, Any]:
    return {name: value for name in _SAID if (value := getattr(asked, name)) is not None}


def _new(asked: argparse.Namespace, noctilum: Noctilum) -> NewTarget:
    if not asked.site or asked.value is None or asked.by is None:
        raise Nonsense(
            "target-unsaid",
            "A target is of a site, has a value, and a day to reach it by.",
            where="--add",
            remedy="name the site, --value and --by",
        )
    today = noctilum.me().today or machine_time.moment().date()
    told = {"site": asked.site, "name": asked.add, "starts": today, **_given(asked)}
    try:
        return NewTarget.model_validate(told)
    except ValidationError as why:
        first = why.errors()[0]
        where = f"--{first['loc'][0]}" if first["loc"] else "--by"
        raise Nonsense("input-unusable", str(first["msg"]).removeprefix("Value error, "), where=where) from why


def _changed(asked: argparse.Namespace, noctilum: Noctilum) -> None:
    changes = _given(asked) | ({"name": asked.name} if asked.name else {})
    if not changes:
        raise Nonsense("nothing-to-change", "Nothing is said to change.", where="--change", remedy="as --value 12000")
    days = {name: value.isoformat() for name in ("starts", "by") if (value := changes.get(name)) is not None}
    noctilum.change_target(asked.change, **changes | days)


def show(asked: argparse.Namespace, found: Sequence[TargetOut]) -> None:
    """Show targets."""
    rows = [each.model_dump(mode="json") for each in found]
    columns = [Column("number"), Column("site", right=False, most=28), Column("target", right=False, most=36)]
    columns += [Column("figure", right=False), Column("of", right=False, most=30), Column("to reach")]
    columns += [Column("from", right=False), Column("by", right=False), Column("days")]
    cells = [
        (
            str(each.id),
            each.site,
            each.name,
            each.metric,
            each.filter or each.tagged or (f"all of {each.client}" if each.over == "client" else "–"),
            count(each.value),
            str(each.starts),
            str(each.by),
            count((each.by - each.starts + timedelta(1)).days),
        )
        for each in found
    ]
    none = ["No target yet. Set one: noctilum targets SITE --add NAME --value 12000 --by 2026-06-30"]
    below = ["", "how they stand: noctilum course SITE"] if found else []
    print_out(asked, rows, rows, columns, cells, above=[] if found else none, below=below)
