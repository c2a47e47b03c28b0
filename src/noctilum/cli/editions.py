"""`noctilum editions`: list editions of reports, write their summary, sign them off, get their files."""

from __future__ import annotations

import argparse
from collections.abc import Sequence
from pathlib import Path
from typing import get_args

from noctilum.cli.access import add_access, service
from noctilum.cli.output import Column, add_output, print_out
from noctilum.core.errors import Nonsense, NotThere
from noctilum.wire.reports import DeliveryOut, EditionOut, EditionRevised, EditionsCompared, ReportFile, State

FORMATS: tuple[ReportFile, ...] = get_args(ReportFile)


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("number", nargs="?", type=int, help="one edition, for what follows")
    parser.add_argument("--site", help="only of this site")
    parser.add_argument("--state", choices=get_args(State), help="only those that are so")
    parser.add_argument("--find", default="", help="only those whose title, report, site or client holds this")
    doing = parser.add_mutually_exclusive_group()
    doing.add_argument("--summary", nargs="+", metavar="TEXT", help="write a draft's summary, a paragraph each")
    doing.add_argument("--approve", action="store_true", help="sign it off")
    doing.add_argument("--send", action="store_true", help="send it to its report's recipients, once each")
    doing.add_argument("--mails", action="store_true", help="list whom it went to")
    doing.add_argument("--test", metavar="ADDRESS", help="send it to one address as a test, also a draft")
    doing.add_argument("--returned", type=Path, metavar="FILE", help="note a mail that came back, from its message")
    doing.add_argument("--drop", action="store_true", help="throw a draft away")
    doing.add_argument("--revised", action="store_true", help="say what was revised since")
    doing.add_argument("--compare", type=int, metavar="NUMBER", help="say how another edition differs from it")
    parser.add_argument("--chart", type=int, metavar="BLOCK", help="with --to FILE.svg or .png: the chart of a block")
    doing.add_argument("--to", type=Path, metavar="FILE", help="write it: .pdf, .html, .xlsx, or .zip with CSV files")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> None:
    """List editions, or do with one what was asked for."""
    with_number = (
        asked.summary,
        asked.approve,
        asked.send,
        asked.mails,
        asked.test,
        asked.drop,
        asked.revised,
        asked.to,
    )
    if any(with_number) and asked.number is None:
        raise Nonsense("no-edition", "Of which edition?", where="number", remedy="list them with `noctilum editions`")
    with service(asked) as noctilum:
        if asked.summary:
            noctilum.write_summary(asked.number, asked.summary)
        if asked.approve:
            noctilum.approve(asked.number)
        if asked.send:
            noctilum.send_edition(asked.number)
        if asked.test:
            print(f"sent to {(sent := noctilum.test_mail(asked.number, asked.test)).to}: {sent.said}")
            return
        if asked.returned:
            came = noctilum.bounce(_text(asked.returned))
            print(f"edition {came.edition} came back from {came.email}: {came.why}")
            return
        if asked.mails:
            _print_mails(asked, noctilum.deliveries(asked.number))
            return
        if asked.drop:
            noctilum.drop_edition(asked.number)
        if asked.revised:
            _say(noctilum.revised(asked.number))
            return
        if asked.compare is not None:
            _say_compared(noctilum.compare_editions(asked.number, asked.compare))
            return
        if asked.to and asked.chart is not None:
            suffix = asked.to.suffix.lstrip(".")
            if suffix not in ("svg", "png"):
                raise Nonsense("format-unknown", f"A chart cannot be written as {suffix!r}.", where="--to",
                               remedy="end the name in .svg or .png")  # fmt: skip
            _write(asked.to, noctilum.edition_chart(asked.number, asked.chart, "svg" if suffix == "svg" else "png"))
            return
        if asked.to:
            kind = _kind(asked.to)
            _write(asked.to, noctilum.edition_file(asked.number, kind))
            return
        every = asked.number is None or asked.drop
        found = (
            noctilum.editions(asked.site, state=asked.state, find=asked.find)
            if every
            else [noctilum.edition(asked.number)]
        )
    rows = [each.model_dump(mode="json") for each in found]
    names = ("number", "site", "report", "window", "state", "title", "left out")
    columns = [Column(name, right=name in ("number", "left out"), most=60) for name in names]
    cells = [
        (
            str(each.id),
            each.site,
            each.name,
            f"{each.first} to {each.last}",
            _state(each),
            each.title,
            str(sum(not block.comes_in for block in each.blocks)),
        )
        for each in found
    ]
    none = ["There is no edition yet. Draft one with: noctilum reports --draft NUMBER"]
    below = [] if every or not found else ["", *found[0].summary]
    print_out(asked, rows, rows, columns, cells, above=[] if found else none, below=below)


def _state(each: EditionOut) -> str:
    if each.state == "draft":
        return "draft" if not each.looked_by else f"draft, looked at by {each.looked_by}"
    if each.state == "approved":
        return f"approved by {each.approved_by}"
    return f"sent to {each.reached} of {each.to}"


def _print_mails(asked: argparse.Namespace, found: Sequence[DeliveryOut]) -> None:
    """List whom an edition went to, with what became of each mail."""
    rows = [each.model_dump(mode="json") for each in found]
    names = ("number", "to", "state", "tries", "when", "why")
    columns = [Column(name, right=name in ("number", "tries"), most=60) for name in names]
    cells = [
        (
            str(each.id),
            f"{each.name} <{each.email}>" if each.name else each.email,
            each.state,
            str(each.attempts),
            f"{each.sent_at or each.next_try_at:%Y-%m-%d %H:%M}",
            each.why,
        )
        for each in found
    ]
    none = ["It was sent to nobody yet. Send it with: noctilum editions NUMBER --send"]
    print_out(asked, rows, rows, columns, cells, above=[] if found else none)


def _text(path: Path) -> str:
    try:
        return path.read_text(encoding="utf-8", errors="replace")
    except OSError as why:
        raise NotThere("no-such-file", f"{path} cannot be read: {why.strerror}.", where="--returned") from why


def _say_compared(found: EditionsCompared) -> None:
    print(f"{found.first.first} to {found.first.last} → {found.second.first} to {found.second.last}")
    for name in found.went:
        print(f"− {name}")
    for name in found.came:
        print(f"+ {name}")
    for each in found.changed:
        print(f"{each.block}: {each.what}: {each.then} → {each.now}")
    if found.more:
        print(f"and {found.more} more")


def _say(found: EditionRevised) -> None:
    if found.same:
        print("Nothing it shows was revised since.")
    for each in found.changed:
        print(f"{each.block or 'head'}: {each.what}: {each.then} → {each.now}")


def _kind(path: Path) -> ReportFile:
    named = path.suffix.lstrip(".")
    kind = next((known for known in FORMATS if known == named), None)
    if kind is None:
        what = f"An edition cannot be written as {named!r}."
        raise Nonsense("format-unknown", what, where="--to", remedy="end the name in .pdf, .html, .xlsx or .zip")
    return kind


def _write(path: Path, body: bytes) -> None:
    try:
        path.write_bytes(body)
    except OSError as why:
        raise Nonsense("file-unwritable", f"{path} cannot be written: {why.strerror}.", where="--to") from why
    print(f"{path} · {len(body) / 1000:,.0f} kB")
