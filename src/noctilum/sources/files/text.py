"""Text files with delimiters: CSV in any of the usual encodings and signs, read block by block."""

from __future__ import annotations

import codecs
import csv
import io
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

import numpy as np
import pyarrow as pa
import pyarrow.csv as arrow_csv

from noctilum.core.errors import Nonsense, worded
from noctilum.sources.files.chunks import Chunk, Rejected
from noctilum.sources.files.mapping import Mapping
from noctilum.sources.files.opening import line_too_long, opened
from noctilum.sources.files.words import role_of_header

BLOCK_BYTES = 3 << 20
SAMPLE_BYTES = 1 << 18
STRAY_AFTER = 4
LONGEST_ROW = 48 << 20
DELIMITERS = (",", ";", "\t", "|")
HEADER_WITHIN = 20
"""Lines within which the header must come; exports often begin with a title."""


@dataclass(frozen=True)
class TextForm:
    """How a text file is written. header_line: counted from 1."""

    encoding: str
    delimiter: str
    headers: tuple[str, ...]
    header_line: int


def text_form(path: Path, mapping: Mapping) -> TextForm:
    """Find out how a file is written; raises Nonsense when no header can be found."""
    with opened(path) as stream:
        sample = stream.read(SAMPLE_BYTES)
    if not sample.strip():
        raise Nonsense("file-empty", worded("{name} holds nothing.", name=path.name), remedy="export it again")
    encoding = mapping.encoding or _encoding(sample)
    lines = _text(sample, encoding).splitlines()[:HEADER_WITHIN]
    tried = (mapping.delimiter,) if mapping.delimiter else DELIMITERS
    found = max((_header(lines, sign, mapping) for sign in tried), key=lambda header: header[0])
    score, delimiter, number, headers = found
    if score < 2:
        raise Nonsense(
            "header-unknown",
            worded(
                "{name} has no line that names columns Noctilum knows, within {header_within} lines.",
                name=path.name,
                header_within=HEADER_WITHIN,
            ),
            where=f"line 1: {lines[0][:80]!r}",
            remedy="name at least a day, clicks and impressions, or say what columns are with --column HEADER=ROLE",
        )
    if len(set(headers)) < len(headers):
        twice = next(name for name in headers if headers.count(name) > 1)
        raise Nonsense(
            "header-repeated",
            worded("{name} has two columns {twice!r}.", name=path.name, twice=twice),
            where=f"line {number}",
        )
    return TextForm(encoding, delimiter, headers, number)


def _encoding(sample: bytes) -> str:
    if sample.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        return "utf-16"
    try:
        codecs.getincrementaldecoder("utf-8")().decode(sample)
    except UnicodeDecodeError:
        return "latin-1"
    return "utf-8"


def _text(sample: bytes, encoding: str) -> str:
    return codecs.getincrementaldecoder(encoding)(errors="replace").decode(sample).removeprefix("\ufeff")


def _header(lines: Sequence[str], delimiter: str, mapping: Mapping) -> tuple[int, str, int, tuple[str, ...]]:
    """Score the best header line under a delimiter: how many of its columns are known."""
    best = (0, delimiter, 1, tuple[str, ...]())
    for number, line in enumerate(lines, start=1):
        fields = tuple(field.strip() for field in next(csv.reader([line], delimiter=delimiter), []))
        known = {mapping.columns.get(f) or role_of_header(f) for f in fields} - {None}
        if len(known) > best[0]:
            best = (len(known), delimiter, number, fields)
    return best


def read_text(path: Path, form: TextForm, wanted: Sequence[str]) -> Iterator[Chunk]:
    """Read a file block by block; only the wanted columns come out."""
    line = 1
    with opened(path) as stream:
        for body, read in _blocks(stream, form.encoding, path):
            block, first = body, line
            line += body.count(b"\n")
            skip = max(0, form.header_line - first + 1)
            for _ in range(skip):
                block = block.partition(b"\n")[2]
            if block:
                yield _chunk(block, first + skip, path.name, form, wanted, read)


def _blocks(stream: IO[bytes], encoding: str, path: Path) -> Iterator[tuple[bytes, int]]:
    """Give UTF-8 blocks that end with a row, with how many bytes of the file are behind."""
    decoder = None if encoding == "utf-8" else codecs.getincrementaldecoder(encoding)(errors="replace")
    rest, read, first = b"", 0, True
    while True:
        piece = stream.read(BLOCK_BYTES)
        read += len(piece)
        done = not piece
        if decoder:
            piece = decoder.decode(piece, done).encode()
        if first:
            piece, first = piece.removeprefix(codecs.BOM_UTF8), False
        rest = (rest + piece).replace(b"\r\n", b"\n")
        if done:
            if rest:
                yield (rest if rest.endswith(b"\n") else rest + b"\n"), read
            return
        cut = _row_end(rest)
        if cut:
            yield rest[:cut], read
            rest = rest[cut:]
        elif len(rest) > LONGEST_ROW:
            raise line_too_long(path, 0)


def _row_end(text: bytes) -> int:
    """Find where the last whole row ends: the last line end with an even number of quotes before it; 0 for none.

    After several blocks without one, a quote must be a stray one, and any line end will do.
    """
    end = text.rfind(b"\n") + 1
    quotes = text.count(b'"', 0, end)
    tried = 0
    cut = end
    while cut and quotes % 2 and tried < 2000:
        before = text.rfind(b"\n", 0, cut - 1) + 1
        quotes -= text.count(b'"', before, cut)
        cut, tried = before, tried + 1
    if cut and quotes % 2 == 0:
        return cut
    return end if len(text) > STRAY_AFTER * BLOCK_BYTES else 0


def _chunk(block: bytes, first: int, name: str, form: TextForm, wanted: Sequence[str], read: int) -> Chunk:
    wrong: list[Any] = []

    def aside(row: Any) -> str:
        wrong.append(row)
        return "skip"

    try:
        table = arrow_csv.read_csv(
            pa.BufferReader(block),
            read_options=arrow_csv.ReadOptions(use_threads=False, column_names=form.headers, block_size=len(block) + 1),
            parse_options=arrow_csv.ParseOptions(
                delimiter=form.delimiter,
                newlines_in_values=True,
                ignore_empty_lines=False,
                invalid_row_handler=aside,
            ),
            convert_options=arrow_csv.ConvertOptions(
                column_types=dict.fromkeys(wanted, pa.string()), include_columns=list(wanted), strings_can_be_null=False
            ),
        )
    except pa.ArrowInvalid:
        return _slowly(block, first, name, form, wanted, read)
    if table.num_rows + len(wrong) != block.count(b"\n"):
        return _slowly(block, first, name, form, wanted, read)
    numbers = np.arange(first, first + table.num_rows + len(wrong))
    places = np.array([row.number - 1 for row in wrong], dtype=np.int64)
    rejected = tuple(_misshaped(name, first + row.number - 1, row.actual_columns, form, row.text) for row in wrong)
    columns = {header: table.column(header).combine_chunks() for header in wanted}
    real = tuple(each for each in rejected if each.text.strip())
    return Chunk(columns, np.delete(numbers, places), real, read)


def _misshaped(name: str, line: int, fields: int, form: TextForm, text: str) -> Rejected:
    return Rejected(name, line, f"it has {fields} fields, not {len(form.headers)}", text)


def _slowly(block: bytes, first: int, name: str, form: TextForm, wanted: Sequence[str], read: int) -> Chunk:
    """Read a block row by row: for values with line ends in them, and for bytes that are not UTF-8."""
    text = block.decode("utf-8", errors="surrogateescape")
    rows = csv.reader(io.StringIO(text, newline=""), delimiter=form.delimiter)
    places = [form.headers.index(header) for header in wanted]
    columns: list[list[str]] = [[] for _ in wanted]
    lines: list[int] = []
    rejected: list[Rejected] = []
    before = 0
    while True:
        try:
            row = next(rows)
        except StopIteration:
            break
        except csv.Error as why:
            rejected.append(Rejected(name, first + before, f"it cannot be read: {why}", ""))
            before = rows.line_num
            continue
        line, before = first + before, rows.line_num
        shown = form.delimiter.join(row).encode("utf-8", "replace").decode()
        if len(row) != len(form.headers):
            if any(row):
                rejected.append(_misshaped(name, line, len(row), form, shown))
        elif any("\udc80" <= sign <= "\udcff" for field in row for sign in field):
            rejected.append(Rejected(name, line, "it holds bytes that are not UTF-8", shown))
        else:
            lines.append(line)
            for column, place in zip(columns, places, strict=True):
                column.append(row[place])
    made = {header: pa.array(column, pa.string()) for header, column in zip(wanted, columns, strict=True)}
    return Chunk(made, np.array(lines, dtype=np.int64), tuple(rejected), read)
