"""Telling brand queries: whole words of the client's name, accents folded."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence

import numpy as np
import numpy.typing as npt


def folded(text: str) -> str:
    """Fold case and accents.

    >>> folded("Fähre STENNA")
    'fahre stenna'
    """
    split = unicodedata.normalize("NFKD", text.casefold())
    return "".join(letter for letter in split if not unicodedata.combining(letter))


def brand_mask(queries: Sequence[str], terms: Iterable[str]) -> npt.NDArray[np.bool_]:
    """Mark the queries that hold a brand term as whole words; no terms mark none. Shape (len(queries),)."""
    wanted = [re.escape(folded(term.strip())) for term in terms if term.strip()]
    if not wanted:
        return np.zeros(len(queries), dtype=bool)
    pattern = re.compile(rf"(?<!\w)(?:{'|'.join(wanted)})(?!\w)")
    return np.fromiter((bool(pattern.search(folded(q))) for q in queries), dtype=bool, count=len(queries))
