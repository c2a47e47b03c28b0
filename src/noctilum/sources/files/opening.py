"""Opening files on their way in: unpacked within limits, and every fault of a library a clear refusal.

Limits: unpacked, a file is at most so many times as large as packed, as real files are a tenth of that; small files
are let through whatever their ratio. No line is longer than a million signs.
"""

from __future__ import annotations

import csv
import gzip
import struct
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO, TypeVar, cast
from xml.etree.ElementTree import ParseError
from xml.parsers.expat import ExpatError

import pyarrow as pa
from openpyxl.utils.exceptions import InvalidFileException

from noctilum.core.errors import Nonsense, worded

MOST_RATIO = 200
SMALL = 64 << 20
"""Bytes unpacked up to which no ratio is asked."""
MOST_SHEETS_BYTES, MOST_SHEETS_RATIO, SMALL_SHEETS = 1 << 30, 100, 24 << 20
MOST_SHARED_BYTES = 256 << 20
LONGEST_LINE = 1 << 20
FAULTS = (
    OSError, EOFError, zlib.error, zipfile.BadZipFile, ParseError, ExpatError, pa.ArrowException, InvalidFileException,
    struct.error, KeyError, ValueError, TypeError, IndexError, AttributeError, RecursionError, NotImplementedError,
    RuntimeError, MemoryError, csv.Error,
)  # fmt: skip
"""What libraries raise for damaged files."""
T = TypeVar("T")


def unreadable(path: Path, why: BaseException | str) -> Nonsense:
    """Say that a file cannot be read."""
    said = why if isinstance(why, str) else f"{type(why).__name__}: {why}" if str(why) else type(why).__name__
    return Nonsense(
        "file-unreadable",
        worded("{name} cannot be read: {split}.", name=path.name, split=" ".join(said.split())[:200]),
        where=path.name,
        remedy="it is cut short or damaged: get it again",
    )


@contextmanager
def readable(path: Path) -> Iterator[None]:
    """Turn whatever a library raises about a file into a clear refusal."""
    try:
        yield
    except FAULTS as why:
        raise unreadable(path, why) from why


def guarded(path: Path, parts: Iterator[T]) -> Iterator[T]:
    """Give the parts of a file; what a library raises on the way is a clear refusal."""
    with readable(path):
        yield from parts


@contextmanager
def opened(path: Path) -> Iterator[IO[bytes]]:
    """Open a file, unpacking it where it is packed, within limits."""
    with readable(path):
        if path.suffix != ".gz":
            with path.open("rb") as stream:
                yield stream
        else:
            with gzip.open(path) as packed:
                yield cast(IO[bytes], _Bounded(packed, path))


class _Bounded:
    """Read a packed file; raises Nonsense where it unpacks to far more than such a file holds."""

    def __init__(self, stream: gzip.GzipFile, path: Path) -> None:
        self._stream, self._path = stream, path
        self._most = max(SMALL, MOST_RATIO * path.stat().st_size)
        self._taken = 0

    def read(self, size: int = -1) -> bytes:
        """Read at most so many bytes."""
        return self._counted(self._stream.read(size if size >= 0 else LONGEST_LINE))

    def readline(self, size: int = -1) -> bytes:
        """Read to the end of a line, or so many bytes."""
        return self._counted(self._stream.readline(size))

    def _counted(self, piece: bytes) -> bytes:
        self._taken += len(piece)
        if self._taken > self._most:
            raise _bomb(self._path, self._most)
        return piece


def lines(path: Path) -> Iterator[tuple[int, bytes]]:
    """Give a file's lines with their numbers; raises Nonsense for one that has no end."""
    with opened(path) as stream:
        number = 0
        while line := stream.readline(LONGEST_LINE + 1):
            number += 1
            if len(line) > LONGEST_LINE:
                raise line_too_long(path, number)
            yield number, line


def line_too_long(path: Path, number: int) -> Nonsense:
    """Say that a line has no end."""
    return Nonsense(
        "line-too-long",
        worded("{name} has a line of more than {longest_line:,} bytes.", name=path.name, longest_line=LONGEST_LINE),
        where=f"line {number}",
        remedy="it is no table of rows: export it again",
    )


def check_workbook(path: Path) -> None:
    """Refuse a workbook that unpacks to far more than one holds, before any of it is unpacked."""
    with readable(path), zipfile.ZipFile(path) as book:
        sizes = {each.filename: each.file_size for each in book.infolist()}
    whole = sum(sizes.values())
    shared = sum(size for name, size in sizes.items() if not name.startswith("xl/worksheets/"))
    if whole > MOST_SHEETS_BYTES or shared > MOST_SHARED_BYTES:
        raise _bomb(path, MOST_SHEETS_BYTES)
    if whole > SMALL_SHEETS and whole > MOST_SHEETS_RATIO * path.stat().st_size:
        raise _bomb(path, MOST_SHEETS_RATIO * path.stat().st_size)


def _bomb(path: Path, most: int) -> Nonsense:
    return Nonsense(
        "file-too-large",
        worded(
            "{name} unpacks to more than {most:,} MB, far more than such a file holds.", name=path.name, most=most >> 20
        ),
        where=path.name,
        remedy="send it unpacked, or in parts",
    )
