"""Chunks: a run of rows of a file as text columns, with the line each row came from."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

Ints = npt.NDArray[np.int64]


@dataclass(frozen=True)
class Rejected:
    """One row that cannot be used. line: counted from 1, in the file (or sheet) it is of."""

    file: str
    line: int
    reason: str
    text: str


@dataclass(frozen=True)
class Chunk:
    """Hold rows as text columns: header → Arrow array of strings, all equally long.

    lines: shape (rows,). rejected: rows of this stretch that have not the right shape. read: how many
    bytes of the file are behind. part: the sheet they are of.
    """

    columns: dict[str, Any]
    lines: Ints
    rejected: tuple[Rejected, ...]
    read: int
    part: str = ""

    def __len__(self) -> int:
        return int(self.lines.size)
