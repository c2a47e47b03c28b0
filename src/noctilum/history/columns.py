"""Columns kept in memory as they are stored, narrow, up to a bound, for all readers of a process.

A segment never changes once it is written and its number is never given again, so what is kept is
always right; what was not asked for longest goes first.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Hashable, Iterable, Mapping

import numpy as np
import numpy.typing as npt

Kept = tuple[npt.NDArray[np.integer], ...]
"""A column as taken out of its frame: one array, or the distinct values and run lengths of a sorted one."""
BOUND_BYTES = 160 << 20


class ColumnCache:
    """Keep columns by (block, column), at most bound bytes. Safe to share between threads.

    A block is named together with its opened file.
    """

    def __init__(self, bound: int = BOUND_BYTES) -> None:
        self._bound = bound
        self._held: OrderedDict[tuple[Hashable, str], Kept] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()

    def find(self, block: Hashable, columns: Iterable[str]) -> dict[str, Kept]:
        """Give those of the columns that are kept."""
        with self._lock:
            found = {name: self._held[block, name] for name in columns if (block, name) in self._held}
            for name in found:
                self._held.move_to_end((block, name))
        return found

    def keep(self, block: Hashable, columns: Mapping[str, Kept]) -> None:
        """Keep columns, letting go of what was not asked for longest."""
        with self._lock:
            for name, arrays in columns.items():
                size = _size(arrays)
                if (block, name) not in self._held and size <= self._bound // 8:
                    self._held[block, name] = arrays
                    self._bytes += size
            while self._bytes > self._bound:
                _, gone = self._held.popitem(last=False)
                self._bytes -= _size(gone)

    @property
    def nbytes(self) -> int:
        """How much is kept."""
        return self._bytes


def _size(arrays: Kept) -> int:
    return sum(array.nbytes for array in arrays)
