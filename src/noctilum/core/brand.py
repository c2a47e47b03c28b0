"""Telling brand queries: the client's name as whole words, accents folded, one slip of the finger allowed."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import numpy.typing as npt

SLIP_FROM = 5
"""Words of a brand term with so many letters are also known with one letter wrong, missing or too many."""
_WORD = re.compile(r"\w+")
_GAP = re.compile(r"[\W_]+")
_GAP_IN_LINE = re.compile(r"(?:[^\w\n]|_)+")
How = Literal["written", "slip", "exception"]


def folded(text: str) -> str:
    """Fold case and accents.

    >>> folded("Fähre STENNA")
    'fahre stenna'
    """
    if text.isascii():
        return text.lower()
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
    known = _words(plain) if rule.terms else set()
    found = _holding(plain, [_pattern(term, known) for term in rule.terms])
    kept_out = np.flatnonzero(found)
    found[kept_out] = ~_holding([plain[n] for n in kept_out], [_pattern(term, ()) for term in rule.exceptions])
    return found


@dataclass(frozen=True)
class Known:
    """Say which term or exception a query was told by, and how: as written, by a slip, or as an exception."""

    term: str
    how: How


def known_by(query: str, rule: BrandRule) -> Known | None:
    """Say what makes a query brand, or keeps it from being so; None when it holds no term.

    >>> rule = BrandRule.read("skerry, -skerry rock")
    >>> known_by("Skery ferry", rule)
    Known(term='skerry', how='slip')
    >>> known_by("skerry rock walk", rule).how
    'exception'
    """
    if not brand_mask([query], BrandRule(rule.terms))[0]:
        return None
    for term in rule.exceptions:
        if _holding([folded(query)], [_pattern(term, ())])[0]:
            return Known(term, "exception")
    for term in rule.terms:
        if _holding([folded(query)], [_pattern(term, ())])[0]:
            return Known(term, "written")
    return next(Known(term, "slip") for term in rule.terms if brand_mask([query], BrandRule((term,)))[0])


def slips(queries: Sequence[str], rule: BrandRule) -> list[tuple[int, str]]:
    """Find the queries that are brand only by a slip of the finger, by number, with the words that slipped.

    >>> slips(["skerry ferry", "the skery ferry"], BrandRule.read("skerry"))
    [(1, 'skery')]
    """
    held = np.flatnonzero(brand_mask(queries, rule)).tolist()
    plain = [folded(queries[n]) for n in held]
    known = _words(plain)
    pattern = _whole([_pattern(term, known) for term in rule.terms])
    written = _holding(plain, [_pattern(term, ()) for term in rule.terms])
    found = ((n, pattern.search(query)) for n, query, as_is in zip(held, plain, written, strict=True) if not as_is)
    return [(n, match.group()) for n, match in found if match]


def near(queries: Sequence[str], rule: BrandRule) -> list[tuple[int, str]]:
    """Find what is not brand though a term's letters stand in it, run together, split or within a longer word.

    Returns queries by number with the words that hold the letters. Terms of fewer than SLIP_FROM letters
    are left out: they stand in too much.

    >>> near(["skerryferry 2026", "my hive wright", "merry"], BrandRule.read("skerry ferry, hivewright"))
    [(0, 'skerryferry'), (1, 'hive wright')]
    """
    runs = [run for term in rule.terms if len(run := _GAP.sub("", folded(term))) >= SLIP_FROM]
    if not runs:
        return []
    pattern = re.compile("|".join(map(re.escape, runs)))
    plain = [folded(query) for query in queries]
    run_together = _GAP_IN_LINE.sub("", "\n".join(query.replace("\n", " ") for query in plain)).split("\n")
    close = [n for n, query in enumerate(run_together) if pattern.search(query)]
    brand = brand_mask([queries[n] for n in close], BrandRule(rule.terms)).tolist()
    return [(n, _words_over(plain[n], pattern)) for n, is_brand in zip(close, brand, strict=True) if not is_brand]


def _words_over(query: str, pattern: re.Pattern[str]) -> str:
    """Give the fewest neighbouring words of a query whose letters, run together, hold a pattern."""
    words = [word for word in _GAP.split(query) if word]
    spans = sorted((j - i, i, j) for i in range(len(words)) for j in range(i + 1, len(words) + 1))
    found = (words[i:j] for _, i, j in spans if pattern.search("".join(words[i:j])))
    return " ".join(next(found))


def _holding(texts: Sequence[str], patterns: Sequence[str]) -> npt.NDArray[np.bool_]:
    if not patterns:
        return np.zeros(len(texts), dtype=bool)
    pattern = _whole(patterns)
    return np.fromiter((bool(pattern.search(text)) for text in texts), dtype=bool, count=len(texts))


def _whole(patterns: Sequence[str]) -> re.Pattern[str]:
    """Look for any of some patterns, never within a word."""
    return re.compile(rf"(?<!\w)(?:{'|'.join(patterns)})(?!\w)")


def _words(texts: Sequence[str]) -> set[str]:
    return set(_WORD.findall("\n".join(texts)))


def _pattern(term: str, known: Iterable[str]) -> str:
    """Write a term as a pattern: its words in order, each with the known words that are one edit away."""
    words = _WORD.findall(folded(term))
    return r"\W+".join("(?:" + "|".join(_forms(word, known)) + ")" for word in words) or r"(?!)"


def _forms(word: str, known: Iterable[str]) -> list[str]:
    """Give a word and the known ones that are one edit away; one edit leaves one half of the word as it is."""
    head, tail = word[: len(word) // 2], word[len(word) // 2 :]
    halves = (other for other in known if other.startswith(head) or other.endswith(tail))
    slips = [other for other in halves if one_edit(word, other)] if len(word) >= SLIP_FROM else []
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
