"""Rows of the open feed: one JSON object a line, of one grain or of several with a head before each."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

import orjson

from noctilum.core.batch import DayBatch, batch_of
from noctilum.core.errors import FeedFault, worded
from noctilum.core.reconcile import Promised
from noctilum.datasets import DATASETS
from noctilum.datasets.declaring import Dataset, Measure
from noctilum.wire.plain_text import cleaned, unkeepable


def parse_rows(body: bytes, day: date, grain: str) -> DayBatch:
    """Parse NDJSON rows of one day and grain.

    Raises FeedFault naming the line and field of the first value that cannot be used. No lines
    give an empty batch.
    """
    lines, kept = body.splitlines(), DATASETS[grain]
    try:
        rows = [orjson.loads(line) for line in lines]
        dims = {name: [row[name] for row in rows] for name in kept.dims}
        told = {measure.name: [row[measure.name] for row in rows] for measure in kept.measures}
        if not _all_plain(kept, dims, told):
            raise TypeError
        _refuse_currencies(rows, kept, day)
        return batch_of(kept, day, dims, told)
    except (KeyError, TypeError, ValueError, OverflowError) as why:
        raise _first_fault(lines, day, kept) from why


@dataclass(frozen=True)
class Part:
    """The rows of one grain out of an answer of several, and what its head says they add up to."""

    grain: str
    body: bytes
    promised: Promised


def parted(body: bytes, day: date, grains: Sequence[str]) -> list[Part]:
    """Part an answer of several grains: before the rows of each stands a line with its name, rows and totals.

    Returns them in the order asked. Raises FeedFault where one is missing, comes twice or was not asked for, or where
    rows are missing or too many.
    """
    lines, at = body.splitlines(keepends=True), 0
    found: dict[str, Part] = {}
    while at < len(lines):
        grain, promised = _head(lines[at], day, at + 1)
        if grain not in grains or grain in found:
            again = grain in found
            held = "a head for the second time" if again else "a head that was not asked for"
            raise _fault(held, day, cleaned(grain, 40), f"line {at + 1}")
        rows = lines[at + 1 : at + 1 + (promised.rows or 0)]
        if len(rows) < (promised.rows or 0):
            raise short(day, grain, len(rows), promised.rows or 0)
        found[grain] = Part(grain, b"".join(rows), promised)
        at += 1 + len(rows)
    if missing := [grain for grain in grains if grain not in found]:
        raise _fault("no head", day, missing[0], f"{len(lines)} lines")
    return [found[grain] for grain in grains]


def _head(line: bytes, day: date, number: int) -> tuple[str, Promised]:
    try:
        told = orjson.loads(line)
        grain, rows, totals = told["grain"], told["rows"], told.get("totals", {})
        if type(grain) is not str or type(rows) is not int or rows < 0:
            raise TypeError
        sums = {name: totals[name] for name in counted(grain) if type(totals.get(name)) is int}
    except (KeyError, TypeError, ValueError, AttributeError) as why:
        raise _fault("a line that is no head where one is due", day, "several", f"line {number}") from why
    return grain, Promised(rows, sums)


def counted(grain: str) -> tuple[str, ...]:
    """Name the measures of a grain of which a provider may say what its rows add up to: whole counts."""
    known = DATASETS.get(grain)
    return tuple(m.name for m in known.measures if m.merge == "sum" and m.scale == 1) if known else ()


def short(day: date, grain: str, lines: int, rows: int) -> FeedFault:
    """Say that fewer rows came than the feed says there are."""
    what = worded("{day} {grain} came with {lines} rows of {rows}.", day=day, grain=grain, lines=lines, rows=rows)
    return FeedFault("feed-short", what, remedy="pull again")


def _refuse_currencies(rows: list[dict[str, Any]], kept: Dataset, day: date) -> None:
    """Refuse a day whose money is of several currencies: their sum would be of none. Rows may leave it out."""
    if all(measure.kind != "money" for measure in kept.measures):
        return
    found = sorted({str(row["currency"]) for row in rows if row.get("currency")})
    if len(found) > 1:
        raise FeedFault(
            "two-currencies",
            worded(
                "The feed's {grain} rows of {day} have money in {currencies}.",
                grain=kept.name,
                day=day,
                currencies=cleaned(", ".join(found), 80),
            ),
            where=f"{day} {kept.name}",
            remedy="connect a property for each currency; nothing of this day was kept",
        )


def _numbers(measure: Measure) -> tuple[type, ...]:
    """Say how a measure's figures may be written: counts as whole numbers, averages and money also with decimals."""
    return (int, float) if measure.has_decimals else (int,)


def _all_plain(kept: Dataset, dims: dict[str, list[Any]], told: dict[str, list[Any]]) -> bool:
    texts = all(set(map(type, column)) <= {str} for column in dims.values())
    if texts and any(unkeepable(text) for column in dims.values() for text in set(column)):
        return False
    return texts and all(set(map(type, told[each.name])) <= {*_numbers(each)} for each in kept.measures)


def _first_fault(lines: list[bytes], day: date, kept: Dataset) -> FeedFault:
    kinds: dict[str, tuple[type, ...]] = dict.fromkeys(kept.dims, (str,))
    kinds |= {measure.name: _numbers(measure) for measure in kept.measures}
    grain = kept.name
    for number, line in enumerate(lines, start=1):
        try:
            row = orjson.loads(line)
        except orjson.JSONDecodeError as why:
            return _fault(f"a line that is not JSON ({why})", day, grain, f"line {number}")
        if not isinstance(row, dict):
            return _fault("a line that is not an object", day, grain, f"line {number}")
        for name, allowed in kinds.items():
            if name not in row:
                return _fault(
                    "a row without this field",
                    day,
                    grain,
                    f"line {number}, field {name}",
                )
            if allowed == (str,) and isinstance(row[name], str) and (sign := unkeepable(row[name])):
                return _fault(f"a text with {sign}, which cannot be kept", day, grain, f"line {number}, field {name}")
            if type(row[name]) not in allowed:
                wanted = "a text" if allowed == (str,) else "a number"
                return _fault(
                    f"a value that is not {wanted}: {cleaned(repr(row[name]), 80)}",
                    day,
                    grain,
                    f"line {number}, field {name}",
                )
    return _fault("a number out of range", day, grain, "an unknown line")


def _fault(what: str, day: date, grain: str, where: str) -> FeedFault:
    return FeedFault(
        "feed-unreadable",
        worded("The feed's {grain} rows of {day} hold {what}.", grain=grain, day=day, what=what),
        where=where,
        remedy="ask the provider; nothing of this day was kept",
    )
