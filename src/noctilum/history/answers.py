"""Answers kept until the next change, up to a bound: sorting or paging a table asks the same again."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable

from noctilum.core.table import Grouped
from noctilum.history.scan import Question

BOUND_BYTES = 48 << 20


class AnswerCache:
    """Keep answers by the file, its generation and the question. Safe to share between threads and files."""

    def __init__(self, bound: int = BOUND_BYTES) -> None:
        self._bound = bound
        self._held: OrderedDict[Hashable, Grouped] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()

    def get(self, file: Hashable, generation: int, question: Question, make: Callable[[], Grouped]) -> Grouped:
        """Give the kept answer, or make it and keep it; what was not asked for longest goes first.

        file: what stands for one opened history.
        """
        key = (file, generation, *_key(question))
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

    @property
    def nbytes(self) -> int:
        """How much is kept."""
        return self._bytes


def _key(question: Question) -> tuple[Hashable, ...]:
    where = tuple(sorted(question.where.items()))
    span = (question.dataset, question.first, question.last)
    return *span, question.by, where, question.out, question.sources, question.measures
