"""Trying filters on texts, once per distinct term; imported late, as Arrow takes memory that few questions need."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable, Sequence
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from noctilum.core.errors import Nonsense, worded
from noctilum.core.filters.rows import Mask, compared
from noctilum.core.filters.tree import Test


def comparable(texts: Sequence[str], *, exactly: bool = False) -> pa.StringArray:
    """Bring texts to the form they are compared in, as an Arrow array."""
    return pa.array((compared(text, exactly=exactly) for text in texts), pa.string(), size=len(texts))


def text_mask(test: Test, texts: pa.StringArray) -> Mask:
    """Say which texts, already in the form they are compared in, pass a text test; shape (texts,).

    Patterns are of RE2, whose time is linear in the text. Raises Nonsense for a pattern it cannot read.
    """
    values = [compared(str(value), exactly=test.exactly) for value in test.values]
    if test.op in ("is", "is not", "in"):
        found = pc.is_in(texts, value_set=pa.array(values, pa.string()))
        return _mask(found) ^ (test.op == "is not")
    if test.op == "matches":
        return _mask(_matching(texts, test))
    tests: dict[str, Callable[..., Any]] = {
        "has": pc.match_substring,
        "starts": pc.starts_with,
        "ends": pc.ends_with,
    }
    return _mask(tests[test.op](texts, values[0]))


def _matching(texts: pa.StringArray, test: Test) -> Any:
    pattern = unicodedata.normalize("NFC", str(test.values[0]))
    try:
        return pc.match_substring_regex(texts, pattern, ignore_case=not test.exactly)
    except pa.ArrowInvalid as why:
        said = re.sub(r"^Invalid regular expression:?\s*", "", str(why))
        raise Nonsense(
            "pattern-unusable",
            worded("The pattern /{pattern}/ cannot be read: {said}.", pattern=pattern, said=said),
            where="filter",
        ) from why


def _mask(found: Any) -> Mask:
    mask: Mask = found.to_numpy(zero_copy_only=False)
    return mask
