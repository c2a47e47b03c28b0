"""Rows of the open feed: one JSON object a line."""

from __future__ import annotations

from datetime import date
from typing import Any

import orjson

from noctilum.core.batch import DayBatch, batch_of
from noctilum.core.errors import FeedFault
from noctilum.wire.plain_text import cleaned, unkeepable

DIMS: dict[str, tuple[str, ...]] = {
    "site": ("country", "device", "kind"),
    "query": ("query", "country", "device", "kind"),
    "page": ("page", "country", "device", "kind"),
    "pair": ("query", "page", "country", "device", "kind"),
    "look": ("look", "country", "device", "kind"),
}


def parse_rows(body: bytes, day: date, grain: str) -> DayBatch:
    """Parse NDJSON rows of one day and grain.

    Raises FeedFault naming the line and field of the first value that cannot be used. No lines
    give an empty batch.
    """
    lines = body.splitlines()
    try:
        rows = [orjson.loads(line) for line in lines]
        dims = {name: [row[name] for row in rows] for name in DIMS[grain]}
        clicks = [row["clicks"] for row in rows]
        impressions = [row["impressions"] for row in rows]
        position = [row["position"] for row in rows]
        if not _all_plain(dims, clicks, impressions, position):
            raise TypeError
        return batch_of(grain, day, dims, clicks, impressions, position)
    except (KeyError, TypeError, ValueError, OverflowError) as why:
        raise _first_fault(lines, day, grain) from why


def _all_plain(dims: dict[str, list[Any]], *measures: list[Any]) -> bool:
    texts = all(set(map(type, column)) <= {str} for column in dims.values())
    if texts and any(unkeepable(text) for column in dims.values() for text in set(column)):
        return False
    counts = all(set(map(type, column)) <= {int} for column in measures[:2])
    return texts and counts and set(map(type, measures[2])) <= {int, float}


def _first_fault(lines: list[bytes], day: date, grain: str) -> FeedFault:
    kinds: dict[str, tuple[type, ...]] = dict.fromkeys(DIMS[grain], (str,))
    kinds |= {"clicks": (int,), "impressions": (int,), "position": (int, float)}
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
        f"The feed's {grain} rows of {day} hold {what}.",
        where=where,
        remedy="ask the provider; nothing of this day was kept",
    )
