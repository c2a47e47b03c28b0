"""Turning integer columns into small frames of bytes and back.

A frame is little-endian: one byte of width, eight bytes of minimum, four of count, then a
Zstandard frame (RFC 8878) with its own checksum, holding value − minimum in that width. A packet
is several frames with their lengths in front, so that a reader decodes only what it needs.
"""

from __future__ import annotations

import struct
import threading
from collections.abc import Mapping, Sequence

import numpy as np
import numpy.typing as npt
import zstandard

from noctilum.core.errors import StoreFault, worded

Ints = npt.NDArray[np.int64]

_HEAD = struct.Struct("<BqI")
_LENGTH = struct.Struct("<I")
_WIDTHS: dict[int, type[np.unsignedinteger]] = {
    1: np.uint8,
    2: np.uint16,
    4: np.uint32,
    8: np.uint64,
}
LEVEL = 1
MOST_VALUES = 1 << 27
"""No frame holds more values; one that says so is damaged, and is not unpacked to find out."""


class _Tools(threading.local):
    """Hold one compressor and one decompressor a thread; they are not safe to share."""

    def __init__(self) -> None:
        self.compressor = zstandard.ZstdCompressor(level=LEVEL, write_checksum=True)
        self.decompressor = zstandard.ZstdDecompressor()


_tools = _Tools()


def encode(values: Ints) -> bytes:
    """Write integers (any shape-(n,) int64) as one frame; decode gives them back exactly."""
    low = int(values.min()) if values.size else 0
    span = int(values.max()) - low if values.size else 0
    width = next(w for w in _WIDTHS if span < 1 << (8 * w))
    shifted = (values.astype(np.uint64) - np.uint64(low & 0xFFFFFFFFFFFFFFFF)).astype(_WIDTHS[width])
    return _HEAD.pack(width, low, values.size) + _tools.compressor.compress(shifted.tobytes())


Narrow = npt.NDArray[np.unsignedinteger]


def decode(frame: bytes | memoryview) -> Ints:
    """Read one frame; raises StoreFault when it is damaged."""
    narrow, low = decode_narrow(frame)
    values = narrow.astype(np.int64)
    if low:
        values += low
    return values


def decode_narrow(frame: bytes | memoryview) -> tuple[Narrow, int]:
    """Read one frame as it is kept: (value − minimum in its own width, minimum). Read-only."""
    try:
        width, low, count = _HEAD.unpack_from(frame)
        packed = frame[_HEAD.size :]
        if count > MOST_VALUES or zstandard.frame_content_size(packed) != width * count:
            raise ValueError("the size does not fit")
        raw = _tools.decompressor.decompress(packed)
        narrow = np.frombuffer(raw, dtype=_WIDTHS[width])
        if narrow.size != count:
            raise ValueError("the count does not fit")
    except (zstandard.ZstdError, struct.error, ValueError, KeyError) as why:
        raise StoreFault(
            "frame-damaged",
            worded("A stored column cannot be read: {why}.", why=why),
            remedy="run `noctilum verify`; it names the days, and a pull can restore those still offered",
        ) from why
    return narrow, low


def encode_sorted(values: Ints) -> bytes:
    """Write a sorted column as the steps between its distinct values and the length of each run."""
    if not values.size:
        return _join([encode(values), encode(values)])
    starts = np.flatnonzero(np.concatenate([[True], values[1:] != values[:-1]]))
    steps = np.diff(values[starts], prepend=0)
    runs = np.diff(starts, append=values.size)
    return _join([encode(steps), encode(runs)])


def decode_runs(frame: bytes | memoryview) -> tuple[Ints, Ints]:
    """Read a sorted column as (distinct values, run lengths)."""
    steps, runs = (decode(part) for part in _split(frame))
    return np.cumsum(steps), runs


def decode_sorted(frame: bytes | memoryview) -> Ints:
    """Read a sorted column in full; raises StoreFault when it is damaged."""
    values, runs = decode_runs(frame)
    if values.size != runs.size or (runs < 0).any() or int(runs.sum()) > MOST_VALUES:
        raise StoreFault("frame-damaged", "A stored column cannot be read: its runs do not fit.")
    return np.repeat(values, runs)


def pack(frames: Sequence[bytes]) -> bytes:
    """Join frames into one packet."""
    return _join(frames)


def unpack(packet: bytes, wanted: Mapping[str, int]) -> dict[str, memoryview]:
    """Take the wanted frames (name → place) out of a packet without touching the others."""
    parts = _split(packet)
    return {name: parts[place] for name, place in wanted.items()}


def frames_of(packet: bytes) -> Sequence[memoryview]:
    """Take a packet apart into its frames; raises StoreFault when it is cut short."""
    return _split(packet)


def _join(frames: Sequence[bytes]) -> bytes:
    lengths = b"".join(_LENGTH.pack(len(frame)) for frame in frames)
    return _LENGTH.pack(len(frames)) + lengths + b"".join(frames)


def _split(packet: bytes | memoryview) -> list[memoryview]:
    view = memoryview(packet)
    try:
        (count,) = _LENGTH.unpack_from(view)
        lengths = struct.unpack_from(f"<{count}I", view, 4)
    except struct.error as why:
        raise StoreFault(
            "packet-damaged",
            "A stored block is cut short.",
            remedy="run `noctilum verify`",
        ) from why
    parts, at = [], 4 + 4 * count
    for length in lengths:
        parts.append(view[at : at + length])
        at += length
    return parts
