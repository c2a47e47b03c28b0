"""The commands of readings: arguments from the question, table from the columns; some are drawn in their own way."""

from __future__ import annotations

import argparse
import importlib
from collections.abc import Sequence
from datetime import date
from pathlib import Path
from types import ModuleType
from typing import Any, get_args, get_origin

from pydantic import BaseModel
from pydantic.fields import FieldInfo

from noctilum.cli.access import add_access, service
from noctilum.cli.exporting import FORMATS, write
from noctilum.cli.output import Column, add_output, caution_lines, print_out, said_lines, window_line
from noctilum.cli.written import written
from noctilum.wire import columns as wire
from noctilum.wire.catalogue import READINGS
from noctilum.wire.columns import filled
from noctilum.wire.questions import FILTERS, choices
from noctilum.wire.specs import ReadingSpec
from noctilum.words.describe import title_of
from noctilum.words.speech import Speech

DRAWN = {
    "timeline", "breakdown", "cross", "bands", "weekdays", "life", "drivers", "fading", "overlap", "ledger", "day",
    "reconcile", "changes", "ladder", "keyword", "domain", "share-of-voice", "local-grid",
}  # fmt: skip
"""Readings with a module of their own for the terminal: show(asked, found), and add_arguments(parser) for more."""
WIDEST = {"text": 44, "texts": 50}
NARROW = "narrowing"


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add a reading's arguments."""
    spec = READINGS[parser.get_default("command")]
    parser.add_argument("site")
    groups = {NARROW: parser.add_argument_group(NARROW)}
    for name, field in spec.question.model_fields.items():
        into = groups[NARROW] if name in (*FILTERS, "filter", "engine", "source") else parser
        _add(into, spec, name, field)
    if spec.tables:
        parser.add_argument("--table", choices=tuple(spec.tables), help="another of its tables than its rows")
    drawn = _drawn(spec)
    if drawn is not None and hasattr(drawn, "add_arguments"):
        drawn.add_arguments(parser)
    parser.add_argument("--to", type=Path, metavar="PATH", help="write every row to a file or folder instead")
    parser.add_argument("--format", choices=FORMATS, default=None, help="of the file; its ending tells without, or csv")
    add_access(parser)
    add_output(parser)


def _add(into: Any, spec: ReadingSpec, name: str, field: FieldInfo) -> None:
    """Add one parameter: by its place, or as an option named like it."""
    needed = field.is_required()
    said = (field.description or "").replace("%", "%%")
    given: dict[str, Any] = {"default": None, "help": said if needed else _with_default(said, field.default)}
    if known := choices(field.annotation):
        given["choices"] = known
    given |= _form(field.annotation)
    if name in spec.positional:
        into.add_argument(name, **({"nargs": None if needed else "?"} | given))
    else:
        into.add_argument(f"--{name.replace('_', '-')}", dest=name, required=needed, **given)


def _with_default(said: str, default: object) -> str:
    return f"{said} (default {default})" if default not in (None, "", []) else said


def _form(annotation: Any) -> dict[str, Any]:
    """Say how a parameter's text becomes its value."""
    if get_origin(annotation) is list:
        return {"nargs": "+"}
    types = {annotation, *get_args(annotation)}
    if bool in types:
        return {"action": argparse.BooleanOptionalAction}
    return {"type": date.fromisoformat} if date in types else {"type": int} if int in types else {}


def run(asked: argparse.Namespace) -> int:
    """Ask, and show what comes back or write it to a file."""
    spec = READINGS[asked.command]
    given = {n: v for n in spec.question.model_fields if (v := getattr(asked, n, None)) is not None}
    if asked.to is not None:
        return write(asked, spec.name, given, table=getattr(asked, "table", None) or "")
    with service(asked) as noctilum:
        found = noctilum.read(spec.name, asked.site, **given)
    drawn = _drawn(spec)
    if drawn is not None:
        drawn.show(asked, found)
    else:
        show(asked, spec, found)
    return 0


def _drawn(spec: ReadingSpec) -> ModuleType | None:
    if spec.name not in DRAWN:
        return None
    return importlib.import_module(f"noctilum.cli.{spec.name.replace('-', '_')}")


def show(asked: argparse.Namespace, spec: ReadingSpec, found: BaseModel) -> None:
    """Show any reading as the table of its columns, or as its plain rows where it has none."""
    table = getattr(asked, "table", None) or ""
    speech = Speech(getattr(asked, "language", None) or "en")
    rows = spec.found(found, table)
    rows = rows[: asked.limit] if table and getattr(asked, "limit", None) else rows
    above = [*([window_line(found)] if hasattr(found, "complete_through") else []), *said_lines(found)]
    columns = filled(spec.shown(table), rows)
    heads = [Column(title_of(each, speech, found), each.is_number, WIDEST.get(each.kind)) for each in columns]
    cells = [[written(each, each.value(row), speech) for each in columns] for row in rows]
    if not columns:
        heads, cells = _on_its_side(found, speech) if wire.shown_of(type(found)) else _plain(spec.plain(found))
    print_out(
        asked,
        found.model_dump(mode="json"),
        spec.plain(found, table),
        heads,
        cells,
        above=[*above, ""] if above else [],
        below=caution_lines(found),
    )


def _on_its_side(found: BaseModel, speech: Speech) -> tuple[list[Column], list[list[Any]]]:
    """Lay the figures of an answer that has no rows out one a line."""
    columns = wire.shown_of(type(found))
    cells = [[title_of(each, speech, found), written(each, each.value(found), speech)] for each in columns]
    return [Column("", right=False), Column("", right=False, most=80)], cells


def _plain(rows: Sequence[dict[str, Any]]) -> tuple[list[Column], list[list[Any]]]:
    """Lay plain rows out on their sides, one value a line: readings without columns have a row or two."""
    pairs = [(name, value) for row in rows for name, value in row.items()]
    cells = [[name, written(wire.Column("text", ""), value, Speech("en"))] for name, value in pairs]
    return [Column("", right=False), Column("", right=False, most=80)], cells
