"""Reading one file as typed rows: recognised once, then streamed in bounded memory."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc

from noctilum.core.errors import Nonsense, worded
from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset, Dimension, Measure
from noctilum.sources.files import listing, records, text, values
from noctilum.sources.files.chunks import Chunk, Rejected
from noctilum.sources.files.mapping import Mapping
from noctilum.sources.files.opening import guarded, readable
from noctilum.sources.files.recognise import Recognised, recognise
from noctilum.sources.files.words import MADE_FROM

Ints = npt.NDArray[np.int64]
Figures = npt.NDArray[np.float64] | Ints
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

    days: proleptic ordinals. figures: measure → as it is told; averages are 0 without weight.
    """

    dims: dict[str, Any]
    days: Ints
    figures: dict[str, Figures]
    lines: Ints
    rejected: tuple[Rejected, ...]
    read: int


def form_of(path: Path, mapping: Mapping) -> Form:
    """Find out how a file is laid out; raises Nonsense for kinds that are not read."""
    if not path.is_file():
        raise Nonsense("no-such-file", worded("There is no file {name}.", name=path.name), where=str(path))
    suffix = (Path(path.stem) if path.suffix == ".gz" else path).suffix.lower()
    kind = KINDS.get(suffix)
    if kind is None:
        known = ", ".join(sorted(KINDS))
        raise Nonsense(
            "file-kind-unknown",
            worded("{name} is of no kind that is read.", name=path.name),
            remedy=worded("one of {known}, .gz", known=known),
        )
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
    return form, _with_newest(path, form, found) if found.header("last_seen") and found.listed else found


def _every_date(path: Path, form: Form, found: Recognised) -> Recognised:
    """Look at every day of a file for one that tells day from month."""
    seen: set[str] = set()
    for chunk in chunks(path, form, found.dated):
        for header in found.dated:
            seen.update(filter(None, chunk.columns[header].unique().to_pylist()))
        fitting = values.date_forms(list(seen))
        if len(fitting) == 1:
            return replace(found, dates=next(iter(fitting)), questions=())
    return found


def _with_newest(path: Path, form: Form, found: Recognised) -> Recognised:
    """Find the last day on which a list of what stood was looked at."""
    header = found.header("last_seen") or ""
    newest = 0
    for chunk in chunks(path, form, (header,)):
        texts = chunk.columns[header].unique().to_pylist()
        known = [day for text in texts if (day := values.parse_day(text, found.dates))]
        newest = max([newest, *(day.toordinal() for day, _ in known)])
    return replace(found, newest=newest)


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
        figures={name: column[part] for name, column in first.figures.items()},
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

    days = values.days(column("began" if found.listed else "day"), found.dates, found.monthly, faults)
    kept = DATASETS[found.grain]
    dims = {name: _dim(kept.dimension(name), column(name), found, len(chunk), faults) for name in kept.dims}
    ends = listing.ends(days, column, found, faults) if found.listed else None
    figures: dict[str, Figures] = _figures(kept, column, found, faults) if ends is None else {}
    keep = faults.good
    rejected = _rejected(name, chunk, found, faults)
    if ends is None:
        rows = np.flatnonzero(keep)
        figures = {measure: column_[rows] for measure, column_ in figures.items()}
        days = days[rows]
    else:
        rows, days, turned = listing.turns(kept, days, ends, keep)
        figures = {**turned}
    place = pa.array(rows)
    return Typed(
        {dim: values_.take(place) for dim, values_ in dims.items()},
        days,
        figures,
        chunk.lines[rows],
        tuple(sorted((*chunk.rejected, *rejected), key=lambda each: each.line)),
        chunk.read,
    )


def _dim(dimension: Dimension, column: Any, found: Recognised, size: int, faults: values.Faults) -> Any:
    if column is not None:
        return values.texts_of(column, dimension, faults)
    default = found.fixed.get(dimension.name, dimension.default or "")
    return pa.array([default], pa.string()).take(pa.array(np.zeros(size, dtype=np.int64)))


def _figures(
    kept: Dataset, column: Callable[[str], Any], found: Recognised, faults: values.Faults
) -> dict[str, Figures]:
    """Read every measure of a dataset, averages last as they need their weights; rows nobody can mean are refused."""
    figures: dict[str, Figures] = {}
    for measure in sorted(kept.measures, key=lambda each: bool(each.weight)):
        written = column(measure.name)
        if measure.weight:
            figures[measure.name] = _average(measure, written, figures[measure.weight], found, faults)
        elif measure.scale > 1:
            figures[measure.name] = _money(measure, written, found, faults)
        elif written is not None or measure.name not in MADE_FROM:
            figures[measure.name] = values.counts(written, measure.name, found.decimal, faults)
    for name, (rate, whole) in MADE_FROM.items():
        if name not in figures and whole in figures:
            figures[name] = _made(column(rate), figures[whole], found, faults)
    for measure in kept.measures:
        if measure.most:
            _check_most(measure, figures[measure.name], figures[measure.most], faults)
    return {measure.name: figures[measure.name] for measure in kept.measures}


def _average(
    measure: Measure, column: Any, weight: Figures, found: Recognised, faults: values.Faults
) -> npt.NDArray[np.float64]:
    average, none = values.decimals(column, measure.name, found.decimal, faults)
    lacking = none & (weight > 0)
    what = f"the {measure.name} is missing, with"
    faults.note(lacking, lambda row: f"{what} {weight[row]} {measure.weight}")
    if (least := measure.least) is not None:
        low = (average < least) & (weight > 0) & ~none
        faults.note(low, lambda row: f"the {measure.name} is {average[row]:g}; none is below {least:g}")
    return np.where(weight > 0, average, 0.0)


def _money(measure: Measure, column: Any, found: Recognised, faults: values.Faults) -> npt.NDArray[np.float64]:
    figures, _ = values.decimals(column, measure.name, found.decimal, faults, signed=measure.signed)
    exact = figures * measure.scale
    odd = np.abs(exact - np.rint(exact)) > 1e-6 * np.maximum(np.abs(exact), 1.0)
    faults.note(odd, lambda row: f"{measure.name} is {figures[row]:g}, which is no whole number of 1/{measure.scale}")
    return np.rint(exact) / measure.scale


def _made(rates: Any, whole: Figures, found: Recognised, faults: values.Faults) -> Ints:
    rate, _ = values.decimals(rates, "ctr", found.decimal, faults, share=True)
    faults.note(rate > MOST_CLICK_RATE, lambda row: f"the click-through rate is {rate[row]:.0%}")
    return np.rint(rate * whole).astype(np.int64)


def _check_most(measure: Measure, figures: Figures, most: Figures, faults: values.Faults) -> None:
    faults.note(figures > most, lambda row: f"{figures[row]} {measure.name} are more than {most[row]} {measure.most}")


def _rejected(name: str, chunk: Chunk, found: Recognised, faults: values.Faults) -> list[Rejected]:
    out = []
    for row, reason in faults.reasons.items():
        shown = ",".join(str(chunk.columns[header][row].as_py()) for header in found.wanted)
        where = f"sheet {chunk.part}: {reason}" if chunk.part else reason
        out.append(Rejected(name, int(chunk.lines[row]), where, shown))
    return out
