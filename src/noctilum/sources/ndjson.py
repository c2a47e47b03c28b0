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
            raise _wrong_head(day, grain, again=grain in found, number=at + 1)
        rows = lines[at + 1 : at + 1 + (promised.rows or 0)]
        if len(rows) < (promised.rows or 0):
            raise short(day, grain, len(rows), promised.rows or 0)
        found[grain] = Part(grain, b"".join(rows), promised)
        at += 1 + len(rows)
    if missing := [grain for grain in grains if grain not in found]:
        what = worded("The feed's answer of {day} has no head for {grain}.", day=day, grain=missing[0])
        raise _unusable(what, f"{len(lines)} lines")
    return [found[grain] for grain in grains]


def _head(line: bytes, day: date, number: int) -> tuple[str, Promised]:
    try:
        told = orjson.loads(line)
        grain, rows, totals = told["grain"], told["rows"], told.get("totals", {})
        if type(grain) is not str or type(rows) is not int or rows < 0:
            raise TypeError
        sums = {name: totals[name] for name in counted(grain) if type(totals.get(name)) is int}
    except (KeyError, TypeError, ValueError, AttributeError) as why:
        what = worded("The feed's answer of {day} has a line that is no head where one is due.", day=day)
        raise _unusable(what, f"line {number}") from why
    return grain, Promised(rows, sums)


def _wrong_head(day: date, grain: str, *, again: bool, number: int) -> FeedFault:
    named = cleaned(grain, 40)
    if again:
        return _unusable(
            worded("The feed's answer of {day} heads {grain} twice.", day=day, grain=named), f"line {number}"
        )
    what = worded("The feed's answer of {day} heads {grain}, which was not asked for.", day=day, grain=named)
    return _unusable(what, f"line {number}")


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
    told = {"grain": kept.name, "day": day}
    for number, line in enumerate(lines, start=1):
        try:
            row = orjson.loads(line)
        except orjson.JSONDecodeError as why:
            what = worded("The feed's {grain} rows of {day} hold a line that is not JSON ({why}).", why=why, **told)
            return _unusable(what, f"line {number}")
        if not isinstance(row, dict):
            what = worded("The feed's {grain} rows of {day} hold a line that is not an object.", **told)
            return _unusable(what, f"line {number}")
        for name, allowed in kinds.items():
            if said := _field_fault(row, name, allowed, told):
                return _unusable(said, f"line {number}, field {name}")
    what = worded("The feed's {grain} rows of {day} hold a number out of range.", **told)
    return _unusable(what, "an unknown line")


def _field_fault(row: dict[str, Any], name: str, allowed: tuple[type, ...], told: dict[str, Any]) -> str | None:
    """Say what is wrong with a field of a row; None where nothing is."""
    if name not in row:
        return worded("The feed's {grain} rows of {day} hold a row without this field.", **told)
    value = row[name]
    if allowed == (str,) and isinstance(value, str) and (sign := unkeepable(value)):
        return worded(
            "The feed's {grain} rows of {day} hold a text with {sign}, which cannot be kept.", sign=sign, **told
        )
    if type(value) in allowed:
        return None
    shown = cleaned(repr(value), 80)
    if allowed == (str,):
        return worded("The feed's {grain} rows of {day} hold a value that is not a text: {value}.", value=shown, **told)
    return worded("The feed's {grain} rows of {day} hold a value that is not a number: {value}.", value=shown, **told)


def _unusable(what: str, where: str) -> FeedFault:
    remedy = "ask the provider; nothing of this day was kept"
    return FeedFault("feed-unreadable", what, where=where, remedy=remedy)
