"""The JSON form of a filter, for programs that build one."""

from __future__ import annotations

from typing import Any

from noctilum.core.errors import Nonsense, worded
from noctilum.core.filters.fields import FIELDS
from noctilum.core.filters.periods import period
from noctilum.core.filters.tree import (
    DAY_TESTS,
    NUMBER_TESTS,
    TEXT_TESTS,
    And,
    Node,
    Not,
    Or,
    SetTest,
    Test,
    both,
    either,
)

Form = dict[str, Any]


def to_form(node: Node) -> Form:
    """Write a filter as JSON values; from_form gives it back."""
    match node:
        case And(parts):
            return {"and": [to_form(part) for part in parts]}
        case Or(parts):
            return {"or": [to_form(part) for part in parts]}
        case Not(of):
            return {"not": to_form(of)}
        case SetTest(name):
            return {"set": name}
        case Test():
            form: Form = {"field": node.field, "test": node.op}
            if node.values:
                form["values"] = list(node.values)
            return form | ({"exactly": True} if node.exactly else {})


def from_form(form: object, where: str = "filter") -> Node:
    """Read the JSON form. Raises Nonsense naming the part at fault."""
    if not isinstance(form, dict):
        raise _unusable("an object is wanted", where)
    for name, join in (("and", both), ("or", either)):
        if name in form:
            return join(*_parts(form[name], f"{where}.{name}"))
    if "not" in form:
        return Not(from_form(form["not"], f"{where}.not"))
    if "set" in form:
        return SetTest(str(form["set"]))
    return _test(form, where)


def _parts(forms: object, where: str) -> list[Node]:
    if not isinstance(forms, list) or not forms:
        raise _unusable("a list of parts is wanted", where)
    return [from_form(form, f"{where}[{n}]") for n, form in enumerate(forms)]


def _test(form: Form, where: str) -> Test:
    field = FIELDS.get(str(form.get("field")))
    if field is None:
        raise _unusable(f"there is no field {form.get('field')!r}", where)
    op, values = form.get("test"), form.get("values", [])
    if field.kind == "flag":
        return Test(field.name, "holds")
    known = {"number": NUMBER_TESTS, "day": DAY_TESTS, "text": TEXT_TESTS}[field.kind]
    if op not in known:
        raise _unusable(f"{field.name} takes {', '.join(known)}, not {op!r}", where)
    wanted = 2 if op == "between" else 1
    if not isinstance(values, list) or len(values) < wanted or (op != "in" and len(values) > wanted):
        raise _unusable(f"{op} takes {'at least one value' if op == 'in' else f'{wanted} value(s)'}", f"{where}.values")
    if field.kind == "text":
        return Test(field.name, str(op), tuple(map(str, values)), form.get("exactly") is True)
    if field.kind == "day":
        return Test(field.name, str(op), _periods(values, f"{where}.values"))
    if not all(isinstance(value, int | float) and not isinstance(value, bool) for value in values):
        raise _unusable("numbers are wanted", f"{where}.values")
    return Test(field.name, str(op), tuple(map(float, values)))


def _periods(values: list[Any], where: str) -> tuple[str, ...]:
    texts = tuple(map(str, values))
    try:
        found = [period(text) for text in texts]
    except ValueError as why:
        raise _unusable(str(why), where) from why
    if found[-1][1] < found[0][0]:
        raise _unusable("the range ends before it begins", where)
    return texts


def _unusable(why: str, where: str) -> Nonsense:
    return Nonsense("filter-unusable", worded("The filter cannot be used: {why}.", why=why), where=where)
