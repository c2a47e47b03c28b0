"""`noctilum notes`: list dated notes, keep one, take them from a file, read the effect of one."""

from __future__ import annotations

import argparse
import sys
from datetime import date
from pathlib import Path
from typing import Any, get_args

from noctilum.cli.access import add_access, add_language, service
from noctilum.cli.output import Column, add_output, count, print_out, said_lines, signed_percent
from noctilum.client import Noctilum
from noctilum.core.errors import Nonsense
from noctilum.wire.noted import AskNotes, NewNote, NoteEffect, NoteKind


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument("site", nargs="?", help="those that concern a site; all without")
    parser.add_argument("--add", metavar="TEXT", help="keep a note: on the site, else on --client, else on the agency")
    parser.add_argument(
        "--change", type=int, metavar="NUMBER", help="change a note: --text, --on, --to, --kind, --page"
    )
    parser.add_argument("--text", help="its new text, with --change")
    parser.add_argument("--on", type=day_of, metavar="DAY", help="its day, like 2026-03-20")
    parser.add_argument("--to", type=day_of, metavar="DAY", help="its last day, when it has several")
    parser.add_argument("--kind", choices=get_args(NoteKind), help="other without")
    parser.add_argument("--page", help="the page it is on")
    parser.add_argument("--set", help="the set it is on")
    parser.add_argument("--client", help="the client it is on, by key")
    parser.add_argument("--take", type=Path, metavar="FILE", help="take notes from a .csv or .ics file")
    parser.add_argument("--effect", type=int, metavar="NUMBER", help="what was before and after a note")
    add_language(parser)
    parser.add_argument("--days", type=int, default=28, help="days on either side, with --effect (default 28)")
    parser.add_argument("--drop", type=int, metavar="NUMBER", help="delete a note")
    add_access(parser)
    add_output(parser)


def day_of(text: str) -> date:
    """Read a day as it is typed; raises ArgumentTypeError."""
    try:
        return date.fromisoformat(text)
    except ValueError as why:
        raise argparse.ArgumentTypeError(f"{text!r} is not a day; like 2026-03-20") from why


def run(asked: argparse.Namespace) -> None:
    """List notes, after what else was asked for."""
    with service(asked) as noctilum:
        if asked.effect is not None:
            _show_effect(asked, noctilum)
            return
        if asked.add:
            noctilum.add_note(_new(asked))
        if asked.take:
            _take(asked, noctilum)
        if asked.change is not None:
            noctilum.change_note(asked.change, **_changes(asked))
        if asked.drop is not None:
            noctilum.drop_note(asked.drop)
        _show(asked, noctilum)


def _new(asked: argparse.Namespace) -> NewNote:
    if asked.on is None:
        raise Nonsense("day-missing", "A note has a day.", where="--on", remedy="--on 2026-03-20")
    try:
        return NewNote(
            first=asked.on,
            last=asked.to,
            kind=asked.kind or "other",
            text=asked.add,
            client=asked.client,
            site=asked.site,
            page=asked.page,
            set=asked.set,
        )
    except ValueError as why:
        said = str(why).split("Value error, ")[-1].split(" [type")[0]
        raise Nonsense("note-unusable", f"The note cannot be kept: {said}.") from why


def _changes(asked: argparse.Namespace) -> dict[str, Any]:
    """Give what --change is to change; raises Nonsense for nothing."""
    named = {"text": asked.text, "first": asked.on, "last": asked.to, "kind": asked.kind}
    named |= {"page": asked.page, "set": asked.set}
    found = {name: value for name, value in named.items() if value is not None}
    if not found:
        raise Nonsense("nothing-to-change", "What is to change is not said.", where="--change", remedy="add --text")
    return found


def _take(asked: argparse.Namespace, noctilum: Noctilum) -> None:
    path: Path = asked.take
    try:
        text = path.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as why:
        raise Nonsense("file-unreadable", f"{path} cannot be read: {why}.", where="--take") from why
    form = "icalendar" if path.suffix.lower() in (".ics", ".ical") else "csv"
    taken = noctilum.take_notes(
        AskNotes.model_validate(
            {
                "format": form,
                "text": text,
                "client": asked.client,
                "site": asked.site,
                "kind": asked.kind or "other",
                "origin": path.name[:200],
            }
        )
    )
    print(f"{count(taken.added)} notes added, {count(taken.repeated)} there already", file=sys.stderr)
    for line in taken.refused:
        print(f"{path.name}, {line}", file=sys.stderr)


def _show(asked: argparse.Namespace, noctilum: Noctilum) -> None:
    found = noctilum.notes(asked.site)
    rows = [note.model_dump(mode="json") for note in found]
    columns = [Column("number"), Column("day", right=False), Column("kind", right=False)]
    columns += [Column("on", right=False, most=40), Column("note", right=False, most=70)]
    cells = []
    for note in found:
        days = f"{note.first}" if note.first == note.last else f"{note.first} to {note.last}"
        on = note.page or note.set or note.site or note.client or "the agency"
        cells.append((str(note.id), days, note.kind, on, note.text))
    print_out(asked, rows, rows, columns, cells, above=[] if found else ["No dated note yet."])


def _show_effect(asked: argparse.Namespace, noctilum: Noctilum) -> None:
    if not asked.site:
        raise Nonsense("site-missing", "An effect is read on a site.", where="site", remedy="name the site first")
    found = noctilum.note_effect(asked.site, asked.effect, days=asked.days, language=asked.language)
    plain = found.model_dump(mode="json")
    columns = [Column("", right=False), Column("before"), Column("after"), Column("change")]
    print_out(asked, plain, [plain], columns, _sides(found), above=_above(found), below=_below(found))


def _sides(found: NoteEffect) -> list[tuple[str, ...]]:
    if not found.now or not found.before:
        return []
    change = found.change.clicks_ratio if found.change else None
    rows: list[tuple[str, ...]] = [
        (f"clicks of {found.of}", count(found.before.clicks), count(found.now.clicks), signed_percent(change))
    ]
    if found.rest_now is not None and found.rest_before:
        ratio = found.rest_now / found.rest_before - 1
        rows.append((found.beside or "", count(found.rest_before), count(found.rest_now), signed_percent(ratio)))
    if found.own_season is not None:
        held = "a year before" if found.years == 1 else f"{found.years} earlier years"
        rows.append((f"its own season, from {held}", "", "", signed_percent(found.own_season)))
    return rows


def _above(found: NoteEffect) -> list[str]:
    lines = [f"{found.note.first}: {found.note.text}", *said_lines(found)]
    if found.window and found.against:
        after, before = found.window, found.against
        lines.append(f"{after.first} to {after.last} against {before.first} to {before.last}")
    return [*lines, ""]


def _below(found: NoteEffect) -> list[str]:
    lines = [f"! {caution.text}" for caution in found.cautions]
    if found.others:
        lines.append("also in these days:")
        lines += [f"  {note.first} {note.kind}: {note.text}" for note in found.others]
    return lines
