"""A digest of rows that does not depend on their order nor on how texts were numbered."""

from __future__ import annotations

from collections.abc import Sequence
from hashlib import blake2b

import numpy as np
import numpy.typing as npt

Hashes = npt.NDArray[np.uint64]


def text_hash(text: str) -> int:
    """Hash a text to 64 bits (BLAKE2b), the same on every machine. Range 0 … 2**64 − 1."""
    return int.from_bytes(blake2b(text.encode(), digest_size=8).digest(), "little")


def text_hashes(texts: Sequence[str]) -> Hashes:
    """Hash many texts; shape (len(texts),)."""
    return np.fromiter((text_hash(t) for t in texts), dtype=np.uint64, count=len(texts))


def mixed(values: Hashes) -> Hashes:
    """Scatter 64-bit values with the finaliser of splitmix64 (Steele, Lea, Flood 2014)."""
    z = values + np.uint64(0x9E3779B97F4A7C15)
    z = (z ^ (z >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    z = (z ^ (z >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return z ^ (z >> np.uint64(31))


def rows_digests(columns: Sequence[Hashes], sizes: Sequence[int]) -> list[str]:
    """Digest rows given as equally long 64-bit columns, in parts that follow one another; 32 hex digits a part.

    sizes: how many rows each part has. A row's hash folds its columns in order; rows are joined by sum and by
    exclusive or, so order does not matter but repeats do. No rows give the digest of nothing, not an error.
    """
    rows = np.zeros(sum(sizes), dtype=np.uint64)
    for column in columns:
        rows = mixed(rows ^ column)
    totals, folded = _reduced(np.add, rows, sizes), _reduced(np.bitwise_xor, rows, sizes)
    return [_stamped(*part) for part in zip(sizes, totals, folded, strict=True)]


def _reduced(join: np.ufunc, rows: Hashes, sizes: Sequence[int]) -> list[int]:
    """Join the rows of each part; nothing gives 0."""
    found = np.zeros(len(sizes), dtype=np.uint64)
    some = np.flatnonzero(sizes)
    if some.size:
        starts = np.cumsum([0, *sizes[:-1]])
        found[some] = join.reduceat(rows, starts[some], dtype=np.uint64)
    joined: list[int] = found.tolist()
    return joined


def _stamped(size: int, total: int, folded: int) -> str:
    stamp = b"".join(value.to_bytes(8, "little") for value in (size, total, folded))
    return blake2b(stamp, digest_size=16).hexdigest()
