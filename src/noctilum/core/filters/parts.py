"""Telling the part of a filter that narrows what is counted from the part that narrows what is listed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from noctilum.core.errors import Nonsense, worded
from noctilum.core.filters.fields import FIELDS, Fields
from noctilum.core.filters.text import written
from noctilum.core.filters.tree import And, Node, Not, Or, SetTest, Test, both

SetItem = Callable[[str], str]
"""Says of a set's name whether it names queries or pages."""


@dataclass(frozen=True)
class Parts:
    """Hold both parts of a filter; None where there is none."""

    rows: Node | None = None
    results: Node | None = None


def divide(node: Node, fields: Fields = FIELDS) -> Parts:
    """Divide a filter at its top-level ands.

    Raises Nonsense when an or (or a not) mixes the two kinds: rows cannot be counted by what they add up to.
    """
    rows: list[Node] = []
    results: list[Node] = []
    for part in node.parts if isinstance(node, And) else (node,):
        sorts = _sorts(part, fields)
        if len(sorts) == 2:
            raise Nonsense(
                "filter-mixed",
                worded("{part!r} mixes what is counted with what it adds up to.", part=written(part)),
                where="filter",
                remedy="join the two with and, or ask twice",
            )
        (results if True in sorts else rows).append(part)
    return Parts(both(*rows) if rows else None, both(*results) if results else None)


def _sorts(node: Node, fields: Fields) -> set[bool]:
    """Say which kinds of field a filter names: True for fields of results."""
    match node:
        case Test():
            return {fields[node.field].of_results}
        case SetTest():
            return {False}
        case Not(of):
            return _sorts(of, fields)
        case And(parts) | Or(parts):
            return set().union(*(_sorts(part, fields) for part in parts))


def dimensions(node: Node, set_item: SetItem, fields: Fields = FIELDS) -> set[str]:
    """Name the dimensions that a filter on rows looks at."""
    match node:
        case Test():
            dimension = fields[node.field].dimension
            return {dimension} if dimension else set()
        case SetTest(name):
            return {set_item(name)}
        case Not(of):
            return dimensions(of, set_item, fields)
        case And(parts) | Or(parts):
            return set().union(*(dimensions(part, set_item, fields) for part in parts))
