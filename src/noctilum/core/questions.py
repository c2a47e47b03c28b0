"""Telling questions and counting words."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

from noctilum.core.brand import folded

FIRST_WORDS = {
    "en": ("what when where which who whom whose why how can could do does did is are was were will would should"),
    "de": (
        "was wann wo wohin woher welche welcher welches wer wem wen wessen warum wieso weshalb wie kann darf ist sind"
    ),
    "fr": "que quoi quand ou quel quelle quels quelles qui pourquoi comment combien est-ce peut-on",
    "es": ("que cuando donde adonde cual cuales quien quienes por porque como cuanto cuanta cuantos cuantas"),
    "nb": "hva nar hvor hvilken hvilke hvem hvorfor hvordan kan er",
    "sv": "vad nar var vilken vilka vem varfor hur kan",
    "da": "hvad hvornar hvor hvilken hvilke hvem hvorfor hvordan kan",
    "nl": "wat wanneer waar welke wie waarom hoe kan is",
}
"""First words of questions by language, accents folded (ours)."""
_ALL = frozenset(word for words in FIRST_WORDS.values() for word in words.split())


def question_mask(queries: Sequence[str]) -> npt.NDArray[np.bool_]:
    """Mark questions: a first word of a question in any known language, or a question mark. Shape (queries,).

    >>> question_mask(["how to tune a hive", "hive tool", "skerry wreck?"]).tolist()
    [True, False, True]
    """
    return np.fromiter((_is_question(query) for query in queries), dtype=bool, count=len(queries))


def _is_question(query: str) -> bool:
    words = folded(query).split()
    return "?" in query or (len(words) > 1 and words[0] in _ALL)


def word_counts(queries: Sequence[str]) -> npt.NDArray[np.float64]:
    """Count the words of queries: one or two are the head, three the middle, more the tail. Shape (queries,)."""
    return np.fromiter((len(query.split()) for query in queries), dtype=np.float64, count=len(queries))
