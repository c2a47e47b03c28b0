"""Monthly CSV files of older days: Noctilum's own long format, one file a month and grain.

Header: day, then the grain's dimensions, then clicks, impressions, position (average place).
UTF-8, comma (RFC 4180). The grain is told by which of query and page are there.
"""

from __future__ import annotations

import csv
from collections.abc import Iterator, Sequence
from datetime import date
from pathlib import Path

from noctilum.core.batch import DayBatch, batch_of
from noctilum.core.errors import Nonsense
from noctilum.sources.ndjson import DIMS

MEASURES = ("clicks", "impressions", "position")


def header(grain: str) -> tuple[str, ...]:
    """Give the columns of a grain's file."""
    return ("day", *DIMS[grain], *MEASURES)


def read_file(path: Path) -> Iterator[DayBatch]:
    """Read a file day by day, in order of first appearance; rows of one day must lie together.

    Raises Nonsense naming the line of the first row that cannot be used; nothing is half read.
    """
    try:
        with path.open(encoding="utf-8-sig", newline="") as stream:
            rows = csv.reader(stream)
            grain = _grain(next(rows, []), path)
            width = len(header(grain))
            day, start, held = "", 2, list[list[str]]()
            seen: set[str] = set()
            for number, row in enumerate(rows, start=2):
                if len(row) != width:
                    raise _bad(path, number, f"it has {len(row)} fields, not {width}")
                if row[0] != day:
                    if held:
                        yield _batch(path, grain, day, start, held)
                    if row[0] in seen:
                        raise _bad(
                            path,
                            number,
                            f"{row[0]} came before, with another day between",
                        )
                    seen.add(row[0])
                    day, start, held = row[0], number, []
                held.append(row)
            if held:
                yield _batch(path, grain, day, start, held)
    except UnicodeDecodeError as why:
        raise Nonsense(
            "file-unreadable",
            f"{path.name} is not UTF-8.",
            remedy="save it as UTF-8 CSV",
        ) from why
    except (OSError, csv.Error) as why:
        raise Nonsense("file-unreadable", f"{path.name} cannot be read: {why}.") from why


def _grain(columns: Sequence[str], path: Path) -> str:
    for grain in DIMS:
        if tuple(columns) == header(grain):
            return grain
    wanted = "; ".join(",".join(header(grain)) for grain in DIMS)
    raise Nonsense(
        "header-unknown",
        f"{path.name} has a header that is not known.",
        where="line 1",
        remedy=f"one of: {wanted}",
    )


def _batch(path: Path, grain: str, day: str, start: int, rows: list[list[str]]) -> DayBatch:
    names = header(grain)
    columns = dict(zip(names, zip(*rows, strict=True), strict=True))
    try:
        measured = date.fromisoformat(day)
        counts = {name: [int(text) for text in columns[name]] for name in ("clicks", "impressions")}
        position = [float(text) for text in columns["position"]]
    except ValueError as why:
        raise _bad(path, start + _first_bad(rows), str(why)) from why
    dims = {name: columns[name] for name in DIMS[grain]}
    return batch_of(grain, measured, dims, counts["clicks"], counts["impressions"], position)


def _first_bad(rows: list[list[str]]) -> int:
    for place, row in enumerate(rows):
        try:
            date.fromisoformat(row[0]), int(row[-3]), int(row[-2]), float(row[-1])
        except ValueError:
            return place
    return 0


def _bad(path: Path, line: int, why: str) -> Nonsense:
    return Nonsense(
        "row-unreadable",
        f"A row of {path.name} cannot be used: {why}.",
        where=f"line {line}",
        remedy="mend the file and import it again; nothing of it was kept",
    )
