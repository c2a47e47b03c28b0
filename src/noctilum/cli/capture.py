"""`noctilum capture`: a kept result page, or two beside each other."""

from __future__ import annotations

import argparse
import json
from datetime import date

from rich.text import Text

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, console, print_out
from noctilum.core.errors import NotThere
from noctilum.wire.captures import Capture, CaptureLine


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site")
    parser.add_argument("keyword", type=int, help="its number")
    parser.add_argument("--list", action="store_true", help="list the days that are kept")
    parser.add_argument(
        "--on", type=date.fromisoformat, metavar="DAY", help="the last one up to a day; the newest without"
    )
    parser.add_argument(
        "--beside", type=date.fromisoformat, metavar="DAY", help="set the last one up to this day beside it"
    )
    add_access(parser)
    add_output(parser)


def _day(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError as why:
        raise argparse.ArgumentTypeError(f"{text!r} is not a day; like 2026-03-20") from why


def run(asked: argparse.Namespace) -> None:
    """Show it, in the order of the page."""
    with service(asked) as noctilum:
        lines = noctilum.captures(asked.keyword)
        if asked.list:
            rows = [each.model_dump(mode="json") for each in lines]
            columns = [Column("number"), Column("day", right=False), Column("taken at", right=False)]
            print_out(asked, rows, rows, columns, [(str(e.id), str(e.day), f"{e.taken_at:%H:%M}") for e in lines])
            return
        found = noctilum.capture(asked.site, _upto(lines, asked.on).id)
        other = noctilum.capture(asked.site, _upto(lines, asked.beside).id) if asked.beside else None
    if asked.output != "table":
        both = [each.model_dump(mode="json") for each in (found, other) if each]
        print(json.dumps(both, ensure_ascii=False, indent=2))
        return
    _draw(found, other)


def _upto(lines: list[CaptureLine], day: date | None) -> CaptureLine:
    for line in lines:
        if day is None or line.day <= day:
            return line
    raise NotThere("no-such-capture", "No result page is kept up to that day.", remedy="see --list")


def _draw(found: Capture, other: Capture | None) -> None:
    out = console()
    place = found.place or found.track
    head = f"{found.keyword} · {found.engine} · {place} · {found.device} · {found.day} {found.taken_at:%H:%M}"
    out.print(head if other is None else f"{head}, beside {other.day}", markup=False, soft_wrap=True)
    was = {each.url: each.rank for each in other.results} if other else {}
    for result in found.results:
        for feature in found.features:
            if feature.above == result.rank:
                owners = ", ".join(dict.fromkeys(owner.domain for owner in feature.owners))
                out.print(Text(f"      [{feature.kind}] {owners}", style="dim"), soft_wrap=True)
        moved = _moved(result.rank, was.get(result.url)) if other else ""
        style = "bold" if result.own else ""
        out.print(Text(f"{result.rank:>4}  {result.url[:70]:72}{moved}".rstrip(), style=style), soft_wrap=True)
    gone = [each for each in other.results if each.url not in {now.url for now in found.results}] if other else []
    for result in gone:
        out.print(Text(f"   –  {result.url[:70]:72}was {result.rank}", style="dim"), soft_wrap=True)
    for doubt in found.doubts:
        out.print(f"! {doubt}", markup=False, soft_wrap=True)


def _moved(now: int, before: int | None) -> str:
    if before is None:
        return "new"
    return "" if before == now else f"{'▲' if now < before else '▼'} {abs(before - now)}"
