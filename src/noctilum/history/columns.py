"""Decoded columns kept in memory, up to a bound, for all readers of a process.

A segment never changes once it is written and its number is never given again, so what is kept is
always right; what was not asked for longest goes first.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Hashable, Sequence

import numpy as np
import numpy.typing as npt
from sqlalchemy import Connection

from noctilum.history import segments as seg
from noctilum.history.datasets import Dataset
from noctilum.history.rows import Rows, joined

Ints = npt.NDArray[np.int64]
BOUND_BYTES = 160 << 20


class ColumnCache:
    """Keep decoded columns by (segment, column), at most bound bytes. Safe to share between threads.

    A segment is named together with its opened file.
    """

    def __init__(self, bound: int = BOUND_BYTES) -> None:
        self._bound = bound
        self._held: OrderedDict[tuple[Hashable, str], Ints] = OrderedDict()
        self._bytes = 0
        self._lock = threading.Lock()

    def find(self, segment: Hashable, columns: Sequence[str]) -> dict[str, Ints]:
        """Give those of the columns that are kept."""
        with self._lock:
            found = {name: self._held[segment, name] for name in columns if (segment, name) in self._held}
            for name in found:
                self._held.move_to_end((segment, name))
        return found

    def keep(self, segment: Hashable, columns: dict[str, Ints]) -> None:
        """Keep columns, letting go of what was not asked for longest."""
        with self._lock:
            for name, values in columns.items():
                if (segment, name) not in self._held and values.nbytes <= self._bound // 8:
                    self._held[segment, name] = values
                    self._bytes += values.nbytes
            while self._bytes > self._bound:
                _, gone = self._held.popitem(last=False)
                self._bytes -= gone.nbytes

    @property
    def nbytes(self) -> int:
        """How much is kept."""
        return self._bytes


def read_segments(
    connection: Connection, cache: ColumnCache, dataset: Dataset, found: Sequence[seg.Segment], columns: Sequence[str]
) -> list[Rows]:
    """Read whole columns of segments, one Rows each; only what is not kept is read and decoded."""
    parts = []
    for segment in found:
        name_of = (connection.engine, segment.id)
        held = cache.find(name_of, columns)
        missing = [name for name in columns if name not in held]
        if missing:
            blocks = list(seg.read_blocks(connection, dataset, [segment], missing))
            fresh = dict(joined(blocks).columns)
            cache.keep(name_of, fresh)
            held = held | fresh
        parts.append(Rows(held, segment.position_scale))
    return parts
