"""Columns as data: what a field of a row is, said once, for terminal, files, console table and report.

A column is declared where its field is, with column(); a field that holds figures of its own (now, before, mobile)
is a group, and its figures become columns with the group's name as an ending.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache
from typing import Any, Literal, get_args, get_origin

from pydantic import BaseModel, Field
from pydantic.config import JsonDict
from pydantic.fields import FieldInfo

Kind = Literal[
    "text", "count", "rate", "money", "place", "places", "points", "number", "share", "day", "month", "verdict", "flag",
    "series", "texts", "weekday",
]  # fmt: skip
"""What the values of a column are, and with it how every door writes and aligns them.

count: whole things. rate: clicks over impressions, 0 to 1. place: on a result page, 1 is the top. places and points:
differences of the two. share: of a whole, 0 to 1. money: in units of its currency. number: anything
else. series: numbers in the order of time, null for what is not held.
"""
Better = Literal["higher", "lower"]
MARK = "x-column"
GROUP = "x-group"
NUMBERS: frozenset[Kind] = frozenset({"count", "rate", "money", "place", "places", "points", "number", "share"})


@dataclass(frozen=True)
class Column:
    """Describe one column. name: in files; path: the fields that lead to the value; signed: a difference.

    title and how are messages of the catalogs. group, of_group: the title of the group it stands in, and what is said
    of it, also messages. words: what its values may be, where they are few and messages too.
    titled_by: the field of the whole answer whose value titles the column; named_by: that names it in files too.
    """

    kind: Kind
    title: str
    how: str = ""
    better: Better | None = None
    decimals: int | None = None
    signed: bool = False
    titled_by: str = ""
    named_by: str = ""
    group: str = ""
    of_group: str = ""
    name: str = ""
    path: tuple[str, ...] = ()
    words: tuple[str, ...] = ()

    @property
    def is_number(self) -> bool:
        """Whether its values are numbers, set to the right."""
        return self.kind in NUMBERS

    def value(self, row: Any) -> Any:
        """Look its value up in a row; None where a group on the way is not there."""
        for part in self.path:
            if row is None:
                return None
            row = row[part] if isinstance(row, Mapping) else getattr(row, part)
        return row


def column(
    kind: Kind,
    title: str,
    how: str = "",
    *,
    better: Better | None = None,
    decimals: int | None = None,
    signed: bool = False,
    titled_by: str = "",
    named_by: str = "",
    words: Sequence[str] = (),
    default: Any = ...,
) -> Any:
    """Declare a field as a column; how is its description in the OpenAPI document too.

    words: of a verdict's values, those that are known, where its type does not say them.
    """
    said: JsonDict = {"kind": kind, "title": title, "better": better, "decimals": decimals, "signed": signed}
    said |= {"titled_by": titled_by, "named_by": named_by, "words": list(words)}
    kept: JsonDict = {name: value for name, value in said.items() if value}
    return Field(default, description=how or None, json_schema_extra={MARK: kept})


def group(
    title: str = "", how: str = "", *, ending: str | None = None, signed: bool = False, default: Any = ...
) -> Any:
    """Declare a field whose own figures are columns. ending: of their names in files, the field's name without one."""
    kept: JsonDict = {"title": title, "ending": ending, "signed": signed}
    return Field(default, description=how or None, json_schema_extra={GROUP: kept})


@cache
def columns_of(row: type[BaseModel]) -> tuple[Column, ...]:
    """Give the columns of a model of rows, those of groups included, in the order of their fields."""
    return tuple(_columns(row))


def _columns(row: type[BaseModel]) -> Iterator[Column]:
    for name, field in row.model_fields.items():
        extra = field.json_schema_extra
        if not isinstance(extra, dict):
            continue
        if MARK in extra:
            yield _declared(name, field, extra[MARK])
        elif GROUP in extra:
            yield from _grouped(name, field, extra[GROUP])


def _declared(name: str, field: FieldInfo, said: Any) -> Column:
    told = {key: value for key, value in said.items() if key != "words"}
    words = tuple(said.get("words", ())) or (_words_in(field.annotation) if said["kind"] == "verdict" else ())
    return Column(**told, how=field.description or "", name=name, path=(name,), words=words)


def _words_in(annotation: Any) -> tuple[str, ...]:
    """Give the texts that an annotation like Literal["up", "down"] | None allows."""
    if get_origin(annotation) is Literal:
        return tuple(map(str, get_args(annotation)))
    return tuple(word for part in get_args(annotation) for word in _words_in(part))


def _grouped(name: str, field: FieldInfo, said: Any) -> Iterator[Column]:
    ending = said["ending"] if said["ending"] is not None else f"_{name}"
    for inner in columns_of(model_in(field.annotation)):
        yield replace(
            inner,
            of_group=field.description or "",
            name=f"{inner.name}{ending}",
            path=(name, *inner.path),
            group=said["title"],
            signed=inner.signed or said["signed"],
        )


def model_in(annotation: Any) -> type[BaseModel]:
    """Find the model in an annotation like Figures | None or list[Row]; raises LookupError."""
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return annotation
    if get_origin(annotation) is not None:
        for part in get_args(annotation):
            if part is not type(None):
                return model_in(part)
    raise LookupError(f"no model in {annotation!r}")


def shown_of(row: type[BaseModel]) -> tuple[Column, ...]:
    """Give the columns that a table for people shows: those its model lists in SHOWN, else all."""
    every = columns_of(row)
    wanted: Sequence[str] = getattr(row, "SHOWN", ())
    by_name = {column.name: column for column in every}
    by_name |= {".".join(column.path): column for column in every}
    return tuple(by_name[name] for name in wanted) if wanted else every


def flat(row: BaseModel, whole: BaseModel | None = None) -> dict[str, Any]:
    """Write a row as plain values by the names of its columns; whole: the answer it stands in, which may name some."""
    return {str(named(column, whole)): column.value(row) for column in columns_of(type(row))}


def named(column: Column, whole: BaseModel | None) -> str:
    """Name a column in files; some are named by the answer, as the key of a breakdown by its dimension."""
    return str(getattr(whole, column.named_by)) if column.named_by and whole is not None else column.name


def filled(columns: Sequence[Column], rows: Sequence[Any]) -> Sequence[Column]:
    """Leave out, of a table for people, columns in which no row has anything; the first stays, and all without rows."""
    if not rows:
        return columns
    return [each for n, each in enumerate(columns) if not n or any(each.value(row) is not None for row in rows)]
