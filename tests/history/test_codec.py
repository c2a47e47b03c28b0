"""Columns come back as they went in, and damage is told."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from noctilum.core.errors import StoreFault
from noctilum.history import codec

column = st.lists(st.integers(-(2**62), 2**62), max_size=80)


@given(column)
def test_any_column_comes_back(values):
    assert codec.decode(codec.encode(np.array(values, dtype=np.int64))).tolist() == values


@given(column)
def test_any_sorted_column_comes_back(values):
    values.sort()
    assert codec.decode_sorted(codec.encode_sorted(np.array(values, dtype=np.int64))).tolist() == values


@given(st.lists(column, min_size=1, max_size=5))
def test_a_packet_gives_the_frames_asked_for(columns):
    packet = codec.pack([codec.encode(np.array(c, dtype=np.int64)) for c in columns])
    last = len(columns) - 1
    found = codec.unpack(packet, {"last": last})
    assert codec.decode(found["last"]).tolist() == columns[last]


@given(st.lists(st.integers(0, 900), min_size=1, max_size=80), st.data())
def test_a_flipped_bit_is_never_read_as_data(values, data):
    frame = bytearray(codec.encode(np.array(values, dtype=np.int64)))
    body = data.draw(st.integers(codec._HEAD.size, len(frame) - 1))
    frame[body] ^= 1 << data.draw(st.integers(0, 7))
    try:
        found = codec.decode(bytes(frame)).tolist()
    except StoreFault as fault:
        assert fault.code == "frame-damaged"
    else:
        assert found == values


@pytest.mark.parametrize("packet", [b"", b"\x02\x00", b"\x05\x00\x00\x00\x01"])
def test_a_packet_cut_short_is_told(packet):
    with pytest.raises(StoreFault, match="cut short"):
        codec.unpack(packet, {"a": 0})
