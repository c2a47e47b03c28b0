"""Answers kept until the next change, up to a bound: sorting or paging a table asks the same again."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable

from noctilum.core.table import Grouped
from noctilum.history.scan import Question

BOUND_BYTES = 48 << 20


class AnswerCache:
    """Keep answers by the store's generation and the question. Safe to share between threads."""

    def __init__(self, bound: int = BOUND_BYTES) -> None:
        self._bound = bound
        self._held: OrderedDict[Hashable, Grouped] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()

    def get(self, generation: int, question: Question, make: Callable[[], Grouped]) -> Grouped:
        """Give the kept answer, or make it and keep it; what was not asked for longest goes first."""
        key = (generation, *_key(question))
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                return self._held[key]
        made = make()
        with self._lock:
            if key not in self._held and made.nbytes <= self._bound // 4:
                self._held[key] = made
                self._bytes += made.nbytes
            while self._bytes > self._bound:
                _, gone = self._held.popitem(last=False)
                self._bytes -= gone.nbytes
        return made


def _key(question: Question) -> tuple[Hashable, ...]:
    where = tuple(sorted(question.where.items()))
    return question.dataset, question.first, question.last, question.by, where, question.out, question.sources
