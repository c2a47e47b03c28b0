"""Text that can be kept: the one place that says which signs no text may hold, and cleans what is shown of strangers.

Lone surrogates cannot be written as UTF-8; control characters mean something to terminals, logs, headers and style
sheets. Texts of several lines may hold tabs and line ends, names may not.
"""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

_UNKEEPABLE = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\ud800-\udfff\ufffe\uffff]")
_NOT_IN_A_LINE = re.compile("[\x00-\x1f\x7f-\x9f\ud800-\udfff\u2028\u2029\ufffe\uffff]")
MOST_DEPTH = 30


def unkeepable(text: str, *, line: bool = False) -> str | None:
    """Name the first sign of a text that cannot be kept; None when there is none. line: it must be one line.

    >>> unkeepable("two\\nlines"), unkeepable("two\\nlines", line=True)
    (None, 'U+000A')
    """
    found = (_NOT_IN_A_LINE if line else _UNKEEPABLE).search(text)
    return f"U+{ord(found[0]):04X}" if found else None


def unkeepable_in(found: Any, depth: int = 0) -> str | None:
    """Name the first such sign in any text of nested mappings and lists, keys included; None when there is none.

    Raises ValueError for what is nested deeper than anything that is asked here.
    """
    if isinstance(found, str):
        return unkeepable(found)
    if depth > MOST_DEPTH:
        raise ValueError(f"it is nested deeper than {MOST_DEPTH} times")
    if isinstance(found, Mapping):
        parts = [*found.keys(), *found.values()]
    elif isinstance(found, list | tuple | set | frozenset):
        parts = list(found)
    else:
        return None
    return next((sign for part in parts if (sign := unkeepable_in(part, depth + 1))), None)


def cleaned(text: str, most: int = 500) -> str:
    """Give a stranger's text as one line that can be shown: other signs become blanks, and it is cut.

    >>> cleaned("no\\r\\nSet-Cookie: x", 12)
    'no  Set-Cook…'
    """
    plain = _NOT_IN_A_LINE.sub(" ", text)
    return plain if len(plain) <= most else plain[:most] + "…"


def keepable(found: Any) -> Any:
    """Give nested mappings and lists with every sign that cannot be kept replaced, as for what older versions kept."""
    if isinstance(found, str):
        return _UNKEEPABLE.sub("\ufffd", found)
    if isinstance(found, Mapping):
        return {keepable(name): keepable(value) for name, value in found.items()}
    return [keepable(part) for part in found] if isinstance(found, list) else found
