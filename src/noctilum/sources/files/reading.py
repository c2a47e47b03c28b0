"""Reading one file as typed rows: recognised once, then streamed in bounded memory."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from noctilum.core.errors import Nonsense
from noctilum.sources.files import records, text, values
from noctilum.sources.files.chunks import Chunk, Rejected
from noctilum.sources.files.mapping import Mapping
from noctilum.sources.files.opening import guarded, readable
from noctilum.sources.files.recognise import Recognised, recognise
from noctilum.sources.ndjson import DIMS

Ints = npt.NDArray[np.int64]
KINDS = {
    ".csv": "text", ".tsv": "text", ".txt": "text", ".xlsx": "workbook", ".ndjson": "ndjson", ".jsonl": "ndjson",
    ".parquet": "parquet",
}  # fmt: skip
SAMPLE_ROWS = 5000
MOST_CLICK_RATE = 1.0


@dataclass(frozen=True)
class Form:
    """How a file is laid out: its kind, its headers, and what its kind needs besides."""

    kind: str
    headers: tuple[str, ...]
    text: text.TextForm | None = None
    sheets: dict[str, tuple[int, tuple[str, ...]]] | None = None

    @property
    def said(self) -> str:
        """Say the form in a few words."""
        if self.text:
            signs = {"\t": "tab", ",": "comma", ";": "semicolon", "|": "bar"}
            return f"{self.text.encoding}, {signs.get(self.text.delimiter, self.text.delimiter)}"
        return f"sheets {', '.join(self.sheets)}" if self.sheets else self.kind


@dataclass(frozen=True)
class Typed:
    """Hold typed rows of one file. dims: dimension → Arrow strings; the others numpy, shape (rows,).

    days: proleptic ordinals. position: average places, 0 where there are no impressions.
    """

    dims: dict[str, Any]
    days: Ints
    clicks: Ints
    impressions: Ints
    position: npt.NDArray[np.float64]
    lines: Ints
    rejected: tuple[Rejected, ...]
    read: int


def form_of(path: Path, mapping: Mapping) -> Form:
    """Find out how a file is laid out; raises Nonsense for kinds that are not read."""
    if not path.is_file():
        raise Nonsense("no-such-file", f"There is no file {path.name}.", where=str(path))
    suffix = (Path(path.stem) if path.suffix == ".gz" else path).suffix.lower()
    kind = KINDS.get(suffix)
    if kind is None:
        known = ", ".join(sorted(KINDS))
        raise Nonsense("file-kind-unknown", f"{path.name} is of no kind that is read.", remedy=f"one of {known}, .gz")
    with readable(path):
        return _form(path, kind, mapping)


def _form(path: Path, kind: str, mapping: Mapping) -> Form:
    if kind == "text":
        found = text.text_form(path, mapping)
        return Form(kind, found.headers, text=found)
    if kind == "workbook":
        sheets = records.workbook_sheets(path, mapping)
        return Form(kind, next(iter(sheets.values()))[1], sheets=sheets)
    headers = records.ndjson_headers(path) if kind == "ndjson" else records.parquet_headers(path)
    return Form(kind, headers)


def chunks(path: Path, form: Form, wanted: tuple[str, ...]) -> Iterator[Chunk]:
    """Read a file's wanted columns as text, chunk by chunk; raises Nonsense where it is damaged."""
    return guarded(path, _chunks(path, form, wanted))


def _chunks(path: Path, form: Form, wanted: tuple[str, ...]) -> Iterator[Chunk]:
    if form.text:
        return text.read_text(path, form.text, wanted)
    if form.sheets:
        return records.read_workbook(path, form.sheets, wanted)
    return records.read_ndjson(path, wanted) if form.kind == "ndjson" else records.read_parquet(path, wanted)


def look(path: Path, mapping: Mapping) -> tuple[Form, Recognised]:
    """Recognise a file from its first rows; where those leave the order of dates open, from all of them."""
    form = form_of(path, mapping)
    headers = tuple(filter(None, form.headers))
    first = next(chunks(path, form, headers), None)
    samples = {header: first.columns[header].slice(0, SAMPLE_ROWS).to_pylist() if first else [] for header in headers}
    found = recognise(headers, samples, mapping, path.name)
    if any(question.code == "date-order" for question in found.questions):
        found = _every_date(path, form, found)
    return form, found


def _every_date(path: Path, form: Form, found: Recognised) -> Recognised:
    """Look at every day of a file for one that tells day from month."""
    header = found.header("day") or ""
    seen: set[str] = set()
    for chunk in chunks(path, form, (header,)):
        seen.update(chunk.columns[header].unique().to_pylist())
        fitting = values.date_forms(list(seen))
        if len(fitting) == 1:
            return replace(found, dates=next(iter(fitting)), questions=())
    return found


def typed(path: Path, form: Form, found: Recognised) -> Iterator[Typed]:
    """Read a file as typed rows; those that cannot be used are rejected with their line and reason."""
    for chunk in chunks(path, form, found.wanted):
        yield _typed(path.name, _without_blank(chunk), found)


def sample(path: Path, form: Form, found: Recognised, rows: int = 8) -> Typed | None:
    """Read the first typed rows."""
    first = next(islice(typed(path, form, found), 1), None)
    if first is None:
        return None
    part = slice(0, rows)
    return replace(
        first,
        dims={name: column.slice(0, rows) for name, column in first.dims.items()},
        days=first.days[part],
        clicks=first.clicks[part],
        impressions=first.impressions[part],
        position=first.position[part],
        lines=first.lines[part],
    )


def _without_blank(chunk: Chunk) -> Chunk:
    """Leave out rows in which nothing is written."""
    blank = np.ones(len(chunk), dtype=bool)
    for column in chunk.columns.values():
        if not blank.any():
            return chunk
        blank &= pc.equal(column, "").to_numpy(zero_copy_only=False)
    if not blank.any():
        return chunk
    mask = pa.array(~blank)
    kept = {header: column.filter(mask) for header, column in chunk.columns.items()}
    return replace(chunk, columns=kept, lines=chunk.lines[~blank])


def _typed(name: str, chunk: Chunk, found: Recognised) -> Typed:
    faults = values.Faults(len(chunk))

    def column(role: Any) -> Any:
        header = found.header(role)
        return None if header is None else chunk.columns[header]

    days = values.days(column("day"), found.dates, found.monthly, faults)
    dims = {dim: _dim(dim, column(dim), found, len(chunk), faults) for dim in DIMS[found.grain]}
    impressions = values.counts(column("impressions"), "impressions", found.decimal, faults)
    clicks = _clicks(column("clicks"), column("ctr"), impressions, found, faults)
    position, none = values.decimals(column("position"), "position", found.decimal, faults)
    _check(clicks, impressions, position, none, faults)
    keep = faults.good
    rejected = _rejected(name, chunk, found, faults)
    mask = pa.array(keep)
    return Typed(
        {dim: values_.filter(mask) for dim, values_ in dims.items()},
        days[keep],
        clicks[keep],
        impressions[keep],
        np.where(impressions > 0, position, 0.0)[keep],
        chunk.lines[keep],
        tuple(sorted((*chunk.rejected, *rejected), key=lambda each: each.line)),
        chunk.read,
    )


def _dim(dim: str, column: Any, found: Recognised, size: int, faults: values.Faults) -> Any:
    if column is not None:
        return values.texts_of(column, dim, faults)
    default = found.fixed.get(dim, "web" if dim == "kind" else "")
    return pa.array([default], pa.string()).take(pa.array(np.zeros(size, dtype=np.int64)))


def _clicks(column: Any, ctr: Any, impressions: Ints, found: Recognised, faults: values.Faults) -> Ints:
    if column is not None:
        return values.counts(column, "clicks", found.decimal, faults)
    rate, _ = values.decimals(ctr, "ctr", found.decimal, faults, share=True)
    faults.note(rate > MOST_CLICK_RATE, lambda row: f"the click-through rate is {rate[row]:.0%}")
    return np.rint(rate * impressions).astype(np.int64)


def _check(clicks: Ints, impressions: Ints, position: Any, none: Any, faults: values.Faults) -> None:
    """Refuse rows that no provider can mean."""
    faults.note(clicks > impressions, lambda row: f"{clicks[row]} clicks are more than {impressions[row]} impressions")
    lacking = none & (impressions > 0)
    faults.note(lacking, lambda row: f"the position is missing, with {impressions[row]} impressions")
    low = (position < 1) & (impressions > 0) & ~none
    faults.note(low, lambda row: f"the position is {position[row]:g}; the first place is 1")


def _rejected(name: str, chunk: Chunk, found: Recognised, faults: values.Faults) -> list[Rejected]:
    out = []
    for row, reason in faults.reasons.items():
        shown = ",".join(str(chunk.columns[header][row].as_py()) for header in found.wanted)
        where = f"sheet {chunk.part}: {reason}" if chunk.part else reason
        out.append(Rejected(name, int(chunk.lines[row]), where, shown))
    return out
