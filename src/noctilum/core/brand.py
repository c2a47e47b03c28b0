"""Telling brand queries: the client's name as whole words, accents folded, one slip of the finger allowed."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

SLIP_FROM = 5
"""Words of a brand term with so many letters are also known with one letter wrong, missing or too many."""
_WORD = re.compile(r"\w+")


def folded(text: str) -> str:
    """Fold case and accents.

    >>> folded("Fähre STENNA")
    'fahre stenna'
    """
    split = unicodedata.normalize("NFKD", text.casefold())
    return "".join(letter for letter in split if not unicodedata.combining(letter))


@dataclass(frozen=True)
class BrandRule:
    """Hold the terms of a brand, and the phrases that hold a term but do not mean it."""

    terms: tuple[str, ...] = ()
    exceptions: tuple[str, ...] = ()

    @classmethod
    def read(cls, text: str) -> BrandRule:
        """Read terms between commas; one with a leading minus is an exception.

        >>> BrandRule.read("skerry, skerry ferries, -skerry rock")
        BrandRule(terms=('skerry', 'skerry ferries'), exceptions=('skerry rock',))
        """
        found = [term.strip() for term in text.split(",") if term.strip(" -")]
        terms = tuple(term for term in found if not term.startswith("-"))
        return cls(terms, tuple(term[1:].strip() for term in found if term.startswith("-")))


def brand_mask(queries: Sequence[str], rule: BrandRule) -> npt.NDArray[np.bool_]:
    """Mark the queries that hold a brand term; no terms mark none. Shape (len(queries),).

    Words of five letters and more match within one edit (Levenshtein 1966); exceptions match as written.

    >>> rule = BrandRule.read("skerry, -skerry rock")
    >>> brand_mask(["skery ferry", "skerry rock walk", "merry"], rule).tolist()
    [True, False, False]
    """
    plain = [folded(query) for query in queries]
    known = {word for query in plain for word in _WORD.findall(query)} if rule.terms else set()
    wanted = [_pattern(term, known) for term in rule.terms]
    found = _holding(plain, wanted)
    return found & ~_holding(plain, [_pattern(term, ()) for term in rule.exceptions])


def _holding(texts: Sequence[str], patterns: Sequence[str]) -> npt.NDArray[np.bool_]:
    if not patterns:
        return np.zeros(len(texts), dtype=bool)
    pattern = re.compile(rf"(?<!\w)(?:{'|'.join(patterns)})(?!\w)")
    return np.fromiter((bool(pattern.search(text)) for text in texts), dtype=bool, count=len(texts))


def _pattern(term: str, known: Iterable[str]) -> str:
    """Write a term as a pattern: its words in order, each with the known words that are one edit away."""
    words = _WORD.findall(folded(term))
    return r"\W+".join("(?:" + "|".join(_forms(word, known)) + ")" for word in words) or r"(?!)"


def _forms(word: str, known: Iterable[str]) -> list[str]:
    slips = [other for other in known if one_edit(word, other)] if len(word) >= SLIP_FROM else []
    return [re.escape(form) for form in sorted({word, *slips}, key=len, reverse=True)]


def one_edit(left: str, right: str) -> bool:
    """Say whether two words differ by one letter put in, left out or changed.

    >>> one_edit("skerry", "skery"), one_edit("skerry", "skarry"), one_edit("skerry", "scary")
    (True, True, False)
    """
    if abs(len(left) - len(right)) > 1 or left == right:
        return False
    short, long = sorted((left, right), key=len)
    at = next((n for n, (a, b) in enumerate(zip(short, long, strict=False)) if a != b), len(short))
    return short[at:] == long[at + 1 :] or (len(short) == len(long) and short[at + 1 :] == long[at + 1 :])
