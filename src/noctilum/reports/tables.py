"""What a block shows as a table: which readings, which columns, which rows."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

from noctilum.reports.blocks import HEADLINE, NOTES
from noctilum.reports.document import Made
from noctilum.wire.catalogue import READINGS
from noctilum.wire.columns import Column, filled
from noctilum.wire.readings import Timeline
from noctilum.wire.specs import ReadingSpec
from noctilum.words.teller import message


def rows_of(made: Made, answer: Any) -> Sequence[Any]:
    """Give the rows of one of a block's readings in the order that the block asks for, else as they are given.

    Largest first, texts from A on, turned round by a minus before the column; what is not known stands last.
    """
    reading = READINGS.of(answer)
    rows = reading.found(answer)
    name = made.spec.order.removeprefix("-")
    column = next((each for each in reading.columns() if each.name == name), None)
    if column is None:
        return rows
    known = [row for row in rows if column.value(row) is not None]
    if any(isinstance(column.value(row), list | tuple) for row in known):
        return rows
    down = not all(isinstance(column.value(row), str) for row in known)
    ordered = sorted(known, key=column.value, reverse=down != made.spec.order.startswith("-"))
    return [*ordered, *(row for row in rows if column.value(row) is None)]


def columns_of(made: Made) -> Sequence[Column]:
    """Give the columns of a block that is one reading's table: those chosen, else those shown that are filled."""
    answer = made.answers["answer"]
    reading = READINGS.of(answer)
    chosen = _chosen(reading, made.spec.columns)
    return chosen if made.spec.columns else filled(chosen, reading.found(answer))


def _chosen(reading: ReadingSpec, names: Sequence[str]) -> Sequence[Column]:
    if names:
        every = {each.name: each for each in reading.columns()}
        return [every[name] for name in names]
    return [each for each in reading.shown() if each.kind != "series"]


@dataclass(frozen=True)
class Headline:
    """One measure of the headline."""

    measure: str
    now: float | None
    before: float | None


HEADLINE_COLUMNS = (
    Column("text", message("Measure"), name="measure", path=("measure",)),
    Column("number", message("Now"), name="now", path=("now",)),
    Column("number", message("Before"), name="before", path=("before",)),
)


def _headline(line: Timeline) -> list[Headline]:
    """Give the four figures of a report's head, as they are."""
    before = line.before
    return [
        Headline(name, getattr(line.now, name), getattr(before, name) if before is not None else None)
        for name in ("clicks", "impressions", "ctr", "position")
    ]


def tables(made: Made) -> Iterator[tuple[str, Sequence[Column], Sequence[Any], Any]]:
    """Give (reading, columns, rows, answer) of each reading of a block that has rows; notes have none of their own."""
    for name, answer in made.answers.items():
        if made.block.readings[name].reading == NOTES or made.why:
            continue
        reading = READINGS.of(answer)
        if made.spec.kind == HEADLINE.name:
            yield reading.name, HEADLINE_COLUMNS, _headline(answer), answer
            continue
        rows = rows_of(made, answer)
        if rows and reading.row() is not None:
            chosen = _chosen(reading, made.spec.columns)
            yield reading.name, chosen if made.spec.columns else filled(chosen, rows), rows, answer
