"""`noctilum sets`: list saved sets, save one, try a rule, delete one."""

from __future__ import annotations

import argparse
from pathlib import Path

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, count, print_out
from noctilum.client import Noctilum
from noctilum.core.errors import Nonsense
from noctilum.wire.noted import FilterTry, NewSet


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("of", nargs="?", metavar="site", help="list only those its filters may name")
    parser.add_argument("--save", metavar="NAME", help="save a set by --rule, --list, or both")
    parser.add_argument("--item", choices=("query", "page"), default="query", help="what it names (default query)")
    parser.add_argument("--rule", help="in the filter language, like 'query has timetable'")
    parser.add_argument("--list", type=Path, metavar="FILE", help="a file with a query or page a line")
    parser.add_argument("--client", help="its client, by key; the whole agency's without")
    parser.add_argument("--try", dest="site", metavar="SITE", help="show what --rule finds on a site, and save nothing")
    parser.add_argument("--drop", type=int, metavar="NUMBER", help="delete a set")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List sets, after what else was asked for."""
    with service(asked) as noctilum:
        if asked.site:
            _show_try(asked, noctilum.try_filter(asked.site, asked.rule or "", asked.item))
            return
        if asked.save:
            noctilum.save_set(_new(asked))
        if asked.drop is not None:
            noctilum.drop_set(asked.drop)
        _show(asked, noctilum)


def _new(asked: argparse.Namespace) -> NewSet:
    members = []
    if asked.list:
        try:
            members = asked.list.read_text(encoding="utf-8").splitlines()
        except (OSError, UnicodeDecodeError) as why:
            raise Nonsense("list-unreadable", f"{asked.list} cannot be read: {why}.", where="--list") from why
    if not members and not asked.rule:
        raise Nonsense("set-empty", "A set needs a rule or a list.", where="--save", remedy="add --rule or --list")
    return NewSet(name=asked.save, item=asked.item, client=asked.client, rule=asked.rule or "", members=members)


def _show(asked: argparse.Namespace, noctilum: Noctilum) -> None:
    found = noctilum.sets(noctilum.site(asked.of).client if asked.of else asked.client)
    rows = [each.model_dump(mode="json") for each in found]
    columns = [Column("number"), Column("set", right=False), Column("of", right=False), Column("whose", right=False)]
    columns += [Column("rule", right=False, most=70), Column("listed")]
    cells = [
        (str(each.id), each.name, each.item, each.client or "the agency", each.rule or "–", count(len(each.members)))
        for each in found
    ]
    print_out(asked, rows, rows, columns, cells, above=[] if found else ["No set is saved yet."])


def _show_try(asked: argparse.Namespace, found: FilterTry) -> None:
    rows = [{asked.item: text, "found": True} for text in found.samples]
    rows += [{asked.item: text, "found": False} for text in found.others]
    ones = {"query": "queries", "page": "pages"}[found.item]
    above = [found.text, f"{count(found.matching)} of {count(found.known)} {ones} this site was ever shown for.", ""]
    longest = max(len(found.samples), len(found.others))
    pad = [*found.samples, *[""] * longest][:longest], [*found.others, *[""] * longest][:longest]
    columns = [Column("found", right=False, most=50), Column("not found", right=False, most=50)]
    print_out(asked, found.model_dump(mode="json"), rows, columns, list(zip(*pad, strict=True)), above=above)
