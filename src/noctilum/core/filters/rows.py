"""Trying filters on numbers and on rows, by the ids of their terms; what texts pass is tried in texts."""

from __future__ import annotations

import unicodedata
from collections.abc import Callable, Mapping, Sequence
from functools import reduce

import numpy as np
import numpy.typing as npt

from noctilum.core.errors import Nonsense
from noctilum.core.filters.fields import Fields
from noctilum.core.filters.tree import And, Node, Not, Or, SetTest, Test

Mask = npt.NDArray[np.bool_]
Floats = npt.NDArray[np.float64]
TermMask = Callable[[Test | SetTest], tuple[str, Mask]]
"""Gives the dimension a test looks at, and for each of its terms by id whether it passes."""


def compared(text: str, *, exactly: bool = False) -> str:
    """Bring a text to the form it is compared in: Unicode NFC, and casefold unless exactly."""
    composed = unicodedata.normalize("NFC", text)
    return composed if exactly else composed.casefold()


def number_mask(test: Test, values: Floats) -> Mask:
    """Say which numbers pass a test; undefined ones (NaN) never do. Shape (values,)."""
    wanted = [float(value) for value in test.values]
    known = ~np.isnan(values)
    if test.op == "in":
        return known & np.isin(values, wanted)
    if test.op == "between":
        return known & (values >= wanted[0]) & (values <= wanted[1])
    tries: dict[str, Callable[[Floats, float], Mask]] = {
        "=": np.equal,
        "!=": np.not_equal,
        "<": np.less,
        "<=": np.less_equal,
        ">": np.greater,
        ">=": np.greater_equal,
    }
    return known & tries[test.op](values, wanted[0])


def row_mask(node: Node, terms: TermMask, columns: Mapping[str, npt.NDArray[np.int64]]) -> Mask:
    """Say which rows pass a filter on rows. columns: dimension → term ids, each of shape (rows,)."""

    def leaf(test: Test | SetTest) -> Mask:
        dimension, passing = terms(test)
        return picked(passing, columns[dimension])

    return _joined(node, leaf)


def picked(mask: Mask, ids: npt.NDArray[np.int64]) -> Mask:
    """Say which ids pass a mask of terms; a term that came after the mask was made does not. Shape (ids,).

    >>> picked(np.array([True, False]), np.array([0, 1, 2])).tolist()
    [True, False, False]
    """
    if not mask.size:
        return np.zeros(ids.shape, dtype=bool)
    found: Mask = np.take(mask, ids, mode="clip") & (ids < mask.size)
    return found


def result_mask(node: Node, columns: Mapping[str, Floats]) -> Mask:
    """Say which results pass a filter on results. columns: field → values, NaN where undefined; shape (rows,)."""

    def leaf(test: Test | SetTest) -> Mask:
        assert isinstance(test, Test)
        return number_mask(test, columns[test.field])

    return _joined(node, leaf)


def column_mask(node: Node, fields: Fields, columns: Mapping[str, Sequence[object]]) -> Mask:
    """Say which rows of a table pass a filter on its columns, whose values are as they are told; None is not known.

    Raises Nonsense for a set, or a field of days: neither is a column's.
    """

    def leaf(test: Test | SetTest) -> Mask:
        if not isinstance(test, Test) or fields[test.field].kind == "day":
            raise Nonsense("condition-unusable", "A condition asks of numbers, texts and flags.", where="condition")
        values = columns[test.field]
        match fields[test.field].kind:
            case "number":
                return number_mask(test, np.array([np.nan if each is None else each for each in values], dtype=float))
            case "flag":
                return np.array([bool(each) for each in values], dtype=bool)
            case _:
                texts = ["" if each is None else str(each) for each in values]
                from noctilum.core.filters.texts import comparable, text_mask

                return text_mask(test, comparable(texts, exactly=test.exactly))

    return _joined(node, leaf)


def term_mask(node: Node, terms: TermMask) -> Mask:
    """Say which terms pass a filter that looks at one dimension only; shape (terms,)."""
    return _joined(node, lambda test: terms(test)[1])


def _joined(node: Node, leaf: Callable[[Test | SetTest], Mask]) -> Mask:
    match node:
        case Not(of):
            return ~_joined(of, leaf)
        case And(parts):
            return reduce(np.logical_and, [_joined(part, leaf) for part in parts])
        case Or(parts):
            return reduce(np.logical_or, [_joined(part, leaf) for part in parts])
        case _:
            return leaf(node)
