"""Writing a filter as its canonical text."""

from __future__ import annotations

import re
from decimal import Decimal

from noctilum.core.filters.fields import FIELDS
from noctilum.core.filters.tree import And, Node, Not, Or, SetTest, Test

_WORDS = ("and", "or", "not", "in", "is", "has", "starts", "ends", "matches", "exactly", "set", "change")
RESERVED = frozenset((*_WORDS, *FIELDS))
_BARE = re.compile(r"[^\W\d]\w*(?:-\w+)*")


def written(node: Node) -> str:
    """Write a filter; parse gives it back.

    >>> from noctilum.core.filters.parser import parse
    >>> written(parse('query has timetable AND NOT (brand or words>=4)'))
    'query has timetable and not (brand or words >= 4)'
    """
    match node:
        case And(parts):
            return " and ".join(_inside(part, Or) for part in parts)
        case Or(parts):
            return " or ".join(_inside(part, And) if isinstance(part, Or) else written(part) for part in parts)
        case Not(of):
            return f"not {_inside(of, (And, Or))}"
        case SetTest(name):
            return f"set {quoted(name)}"
        case Test():
            return _test(node)


def _inside(node: Node, wider: type | tuple[type, ...]) -> str:
    return f"({written(node)})" if isinstance(node, wider) else written(node)


def _test(test: Test) -> str:
    if test.op == "holds":
        return test.field
    exactly = "exactly " if test.exactly else ""
    days = test.field in FIELDS and FIELDS[test.field].kind == "day"
    values = [str(value) if days else _value(value) for value in test.values]
    if test.op == "between":
        return f"{test.field} in {values[0]}..{values[1]}"
    if test.op == "in":
        return f"{test.field} in {exactly}({', '.join(values)})"
    if test.op == "matches":
        pattern = str(test.values[0]).replace("/", "\\/")
        return f"{test.field} matches {exactly}/{pattern}/"
    return f"{test.field} {test.op} {exactly}{values[0]}"


def _value(value: str | float) -> str:
    if isinstance(value, str):
        return value if _BARE.fullmatch(value) and value.casefold() not in RESERVED else quoted(value)
    return number(value)


def number(value: float) -> str:
    """Write a number without exponent and without needless digits.

    >>> number(4.0), number(0.025)
    ('4', '0.025')
    """
    text = format(Decimal(repr(value)), "f")
    return text.rstrip("0").rstrip(".") if "." in text else text


def quoted(text: str) -> str:
    """Put a text in double quotes."""
    escaped = text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n")
    return f'"{escaped}"'
