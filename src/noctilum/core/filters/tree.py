"""What a filter is once it is read: tests joined by and, or, not."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

TEXT_TESTS = ("is", "is not", "has", "starts", "ends", "matches", "in")
DAY_TESTS = ("=", "!=", "<", "<=", ">", ">=", "between")
NUMBER_TESTS = ("=", "!=", "<", "<=", ">", ">=", "in", "between")


@dataclass(frozen=True)
class Test:
    """Try one field. A flag has op "holds" and no values; exactly: text is compared as it is written.

    Values of a field of days are ISO days, months or years, as texts.
    """

    __test__ = False

    field: str
    op: str
    values: tuple[str | float, ...] = ()
    exactly: bool = False


@dataclass(frozen=True)
class SetTest:
    """Ask whether the row's query or page is in a saved set."""

    name: str


@dataclass(frozen=True)
class Not:
    """Turn a test round."""

    of: Node


@dataclass(frozen=True)
class And:
    """Ask that all of at least two parts hold; none of them is an And itself."""

    parts: tuple[Node, ...]


@dataclass(frozen=True)
class Or:
    """Ask that one of at least two parts holds; none of them is an Or itself."""

    parts: tuple[Node, ...]


Node = Test | SetTest | Not | And | Or


def tests_of(node: Node) -> Iterator[Test | SetTest]:
    """Give every test of a filter, from left to right."""
    match node:
        case Not(of):
            yield from tests_of(of)
        case And(parts) | Or(parts):
            for part in parts:
                yield from tests_of(part)
        case _:
            yield node


def both(*parts: Node) -> Node:
    """Join by and, without needless nesting."""
    flat = tuple(inner for part in parts for inner in (part.parts if isinstance(part, And) else (part,)))
    return flat[0] if len(flat) == 1 else And(flat)


def either(*parts: Node) -> Node:
    """Join by or, without needless nesting."""
    flat = tuple(inner for part in parts for inner in (part.parts if isinstance(part, Or) else (part,)))
    return flat[0] if len(flat) == 1 else Or(flat)
