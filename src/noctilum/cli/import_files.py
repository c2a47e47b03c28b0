"""`noctilum import`: bring files of figures in: CSV, XLSX, NDJSON, Parquet."""

from __future__ import annotations

import argparse
import json
import sys
from pathlib import Path

from rich.console import Console

from noctilum.cli.access import add_access, service
from noctilum.cli.follow import follow
from noctilum.cli.output import Column, add_output, count, number, print_table
from noctilum.client import Noctilum
from noctilum.core.errors import Nonsense
from noctilum.wire.imports import AskImport, AskPreview, ImportDone, ImportPreview, Mapping
from noctilum.wire.setup import Job


def add_arguments(parser: argparse.ArgumentParser) -> None:
    """Add this command's arguments."""
    parser.add_argument(
        "source", type=int, help="the source whose days these are; see add-files for one without a feed"
    )
    parser.add_argument(
        "files", type=Path, nargs="+", help="files of one kind: .csv .tsv .xlsx .ndjson .parquet, also .gz"
    )
    parser.add_argument("--look", action="store_true", help="show what the first file is taken for, and keep nothing")
    parser.add_argument("--dry", action="store_true", help="read everything, say what would come of it, keep nothing")
    parser.add_argument("--strict", action="store_true", help="keep nothing if any row cannot be used")
    parser.add_argument("--over", action="store_true", help="replace days that are held already")
    parser.add_argument("--rejects", type=Path, metavar="PATH", help="where to write rows that could not be used")
    reading = parser.add_argument_group("how the files are read; what is not said is recognised")
    reading.add_argument("--column", action="append", default=[], metavar="HEADER=ROLE", help="what a column is")
    reading.add_argument(
        "--fixed", action="append", default=[], metavar="DIMENSION=VALUE", help="for what is not in it"
    )
    reading.add_argument("--dates", choices=("iso", "dmy", "mdy"), help="the order of numeric dates")
    reading.add_argument("--decimal", choices=(".", ","), help="the sign before decimals")
    reading.add_argument("--sheets", metavar="PATTERN", help="which sheets of a workbook")
    reading.add_argument("--monthly", action="store_true", default=None, help="rows are totals of whole months")
    reading.add_argument("--using", metavar="NAME", help="read them with a kept mapping")
    reading.add_argument("--keep-as", metavar="NAME", help="keep this way of reading under a name")
    add_access(parser)
    add_output(parser)


def run(asked: argparse.Namespace) -> int:
    """Send the files, and look at them or bring them in."""
    for path in asked.files:
        if not path.is_file():
            raise Nonsense("no-such-file", f"There is no file {path}.", remedy="check the path")
    mapping = _mapping(asked)
    with service(asked) as noctilum:
        if asked.keep_as:
            noctilum.keep_mapping(asked.keep_as, mapping)
        uploads = _send(noctilum, asked.files[:1] if asked.look else asked.files)
        if asked.look:
            found = noctilum.preview(AskPreview(upload=uploads[0], mapping=mapping, using=asked.using))
            _show_preview(found, asked.output)
            return 0
        job = noctilum.start_import(
            asked.source,
            AskImport(
                uploads=uploads, mapping=mapping, using=asked.using, strict=asked.strict, dry=asked.dry, over=asked.over
            ),
        )
        ended = follow(noctilum, job, "steps")
        return _show_done(noctilum, ended, asked)


def _mapping(asked: argparse.Namespace) -> Mapping:
    given = {
        "columns": dict(_pair(text, "--column") for text in asked.column),
        "fixed": dict(_pair(text, "--fixed") for text in asked.fixed),
        "dates": asked.dates,
        "decimal": asked.decimal,
        "monthly": asked.monthly,
    } | ({"sheets": asked.sheets} if asked.sheets else {})
    try:
        return Mapping.model_validate(given)
    except ValueError as why:
        raise Nonsense(
            "mapping-unusable",
            "A column's role is not known.",
            where="--column",
            remedy="day, query, page, country, device, kind, clicks, impressions, ctr, position or ignore",
        ) from why


def _pair(text: str, option: str) -> tuple[str, str]:
    name, sign, value = text.rpartition("=")
    if not sign or not name:
        raise Nonsense("pair-unusable", f"{text!r} is not NAME=VALUE.", where=option)
    return name, value


def _send(noctilum: Noctilum, paths: list[Path]) -> list[str]:
    out = Console(stderr=True)
    with out.status("sending files …") if out.is_terminal else _Quiet():
        return [noctilum.upload(path).id for path in paths]


class _Quiet:
    def __enter__(self) -> None:
        pass

    def __exit__(self, *_: object) -> None:
        pass


def _show_preview(found: ImportPreview, output: str) -> None:
    if output == "json":
        print(found.model_dump_json(indent=2))
        return
    months = ", whole months" if found.monthly else ""
    above = [f"{found.name} · {count(found.size)} bytes · {found.form} · grain {found.grain}{months}"]
    above += [f"dates {found.dates}, decimal sign {found.decimal}"]
    columns = [Column(name, right=False, most=60) for name in ("column", "taken for", "because of its", "values")]
    cells = [(c.header, c.role, {"given": "mapping"}.get(c.by, c.by), " · ".join(c.sample)) for c in found.columns]
    print_table(columns, cells, above, [f"? {q.text} Say --dates {' or '.join(q.choices)}" for q in found.questions])
    if found.rows:
        first = found.rows[0]
        heads = [Column("line"), Column("day", right=False), *(Column(n, right=False, most=40) for n in first.dims)]
        heads += [Column(name) for name in first.figures]
        lines = [(str(r.line), str(r.day), *r.dims.values(), *map(number, r.figures.values())) for r in found.rows]
        print_table(heads, lines, ["", "as it would be kept:"], [])
    for each in found.rejected:
        print(f"! line {each.line}: {each.reason}")


def _show_done(noctilum: Noctilum, job: Job, asked: argparse.Namespace) -> int:
    if job.state != "done":
        print(job.fault, file=sys.stderr)
        return 2
    done = ImportDone.model_validate_json(json.dumps(job.result))
    if asked.rejects and done.rejected:
        asked.rejects.write_bytes(noctilum.rejects(job.id))
    if asked.output != "table":
        print(done.model_dump_json(indent=2))
        return 0
    for line in done_lines(done):
        print(line)
    if done.rejected:
        where = str(asked.rejects) if asked.rejects else f"noctilum import … --rejects PATH, or job {job.id}"
        print(f"all rejected rows with file, line and reason: {where}")
    return 0


def done_lines(done: ImportDone) -> list[str]:
    """Say in a few lines what an import came to."""
    verb = "would be imported" if done.dry else "imported"
    span = f", {done.first} to {done.last}" if done.first else ""
    lines = [f"{count(done.days)} days at grain {done.grain} {verb}{span}: {count(done.rows)} rows"]
    if done.already:
        differ = sum(not day.same for day in done.left)
        lines.append(f"{count(done.already)} days were held already and stay as they are")
        if differ:
            day = next(day for day in done.left if not day.same)
            lines.append(
                f"! {differ} of them say otherwise here, {day.day} (held from {day.origin}); --over replaces them"
            )
    if done.repeats:
        lines.append(f"{count(done.repeats)} repeated rows dropped")
    if done.rejected:
        lines.append(f"! {count(done.rejected)} rows could not be used:")
        lines += [f"  {each.file} line {each.line}: {each.reason}" for each in done.rejects[:8]]
    return lines
