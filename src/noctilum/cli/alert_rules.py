"""`noctilum alert-rules`: list what calls out and by which rule, switch one, narrow one, add one of one's own."""

from __future__ import annotations

import argparse
from typing import Any

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.client import Noctilum
from noctilum.core.errors import Nonsense, NotThere, worded
from noctilum.wire.alert_rules import AlertRuleOut, NewAlertRule
from noctilum.wire.breaks import RULES


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    doing = parser.add_mutually_exclusive_group()
    doing.add_argument("--off", metavar="NAME", help="ask a rule no more")
    doing.add_argument("--on", metavar="NAME", help="ask a rule again")
    doing.add_argument("--change", metavar="NAME", help="change a shipped rule or an own one")
    doing.add_argument("--add", metavar="NAME", help="keep a rule of one's own")
    doing.add_argument("--drop", metavar="NAME", help="delete an own rule; bring a shipped one back as it ships")
    what = parser.add_argument_group("what it says")
    what.add_argument("--reading", help="whose rows are looked through")
    what.add_argument("--condition", help="on its columns, in the filter language")
    what.add_argument("--window", help="over which it is asked, up to the day, as P28D")
    what.add_argument("--ask", nargs="+", metavar="NAME=VALUE", help="what else the reading is asked")
    what.add_argument("--about", metavar="COLUMN", help="the column that says what a row is about")
    what.add_argument("--since", metavar="COLUMN", help="the column that says since when")
    what.add_argument("--lasting", type=int, metavar="DAYS", help="on so many complete days in a row it must hold")
    what.add_argument("--sites", nargs="*", metavar="SITE", help="only of these; of all where none is named")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List rules, after what else was asked for."""
    with service(asked) as noctilum:
        kept = {rule.name: rule for rule in noctilum.alert_rules()}
        if asked.add:
            noctilum.add_alert_rule(NewAlertRule.model_validate({"name": asked.add, **_said(asked)}))
        elif name := asked.off or asked.on or asked.change:
            change = _said(asked) | ({} if asked.change else {"on": asked.on is not None})
            _changed(noctilum, kept, name, change)
        elif asked.drop:
            if asked.drop not in kept:
                raise NotThere(
                    "no-such-rule",
                    worded("Nothing is kept of a rule {name!r}.", name=asked.drop),
                    where="--drop",
                    remedy="list them with `noctilum alert-rules`",
                )
            noctilum.drop_alert_rule(kept[asked.drop].id)
        show(asked, noctilum.alert_rules())


def _changed(noctilum: Noctilum, kept: dict[str, AlertRuleOut], name: str, change: dict[str, Any]) -> None:
    if name in kept:
        noctilum.change_alert_rule(kept[name].id, seen=kept[name], **change)
        return
    if name not in {rule.name for rule in RULES}:
        raise NotThere(
            "no-such-rule",
            worded("There is no rule {number}.", number=name),
            remedy="list them with `noctilum alert-rules`",
        )
    noctilum.add_alert_rule(NewAlertRule.model_validate({"name": name, **change}))


def _said(asked: argparse.Namespace) -> dict[str, Any]:
    told = {"reading": asked.reading, "condition": asked.condition, "window": asked.window, "key": asked.about}
    told |= {"since": asked.since, "lasting": asked.lasting, "sites": asked.sites}
    if asked.ask:
        told["asked"] = dict(_pair(text) for text in asked.ask)
    return {name: value for name, value in told.items() if value is not None}


def _pair(text: str) -> tuple[str, str]:
    name, sign, value = text.partition("=")
    if not sign:
        raise Nonsense("no-pair", worded("{text} is no NAME=VALUE.", text=text), where="--ask")
    return name, value


def show(asked: argparse.Namespace, kept: list[AlertRuleOut]) -> None:
    """Print every rule, shipped ones as they are asked now."""
    known = {rule.name: rule for rule in kept}
    rows, cells = [], []
    for rule in RULES:
        change = known.get(rule.name)
        told = rule.model_dump(mode="json") | {"shipped": True, "on": change.on if change else True}
        told |= {"sites": change.sites if change else [], "lasting": change.lasting if change else 1}
        told |= {"condition": (change.condition if change else "") or rule.condition}
        rows.append(told)
    rows += [rule.model_dump(mode="json") for rule in kept if not rule.shipped]
    for row in rows:
        sites = ", ".join(row["sites"]) or "all"
        cells.append(
            (row["name"], "on" if row["on"] else "off", row["reading"], row["condition"], sites, row["lasting"])
        )
    columns = [Column("rule", right=False), Column("is", right=False), Column("reading", right=False)]
    columns += [Column("calls where", right=False, most=80), Column("sites", right=False, most=40), Column("days")]
    print_out(asked, rows, rows, columns, [tuple(map(str, each)) for each in cells])
