"""Bus load: bits of a frame against what a wave of it has, and seconds that are too busy."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.lines import drawing
from tests.problems.made import MS, capture_of, found, stream
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Lane
from zesty_abacus.core.problems.limits import Limit
from zesty_abacus.core.protocols.registry import protocol_named


@given(
    st.integers(0, 0x1FFF_FFFF), st.binary(max_size=8) | st.sampled_from([b"\x00" * 8, b"\xff" * 8, b"\x1f" * 5]),
    st.booleans(), st.booleans(),
)  # fmt: skip
def test_bits_of_a_frame_are_those_of_its_wave(number, data, extended, remote):
    number &= 0x1FFF_FFFF if extended else 0x7FF
    drawn = drawing.can_bits(number, b"" if remote else data, extended, remote)
    flags = (F.EXTENDED if extended else 0) | (F.REMOTE if remote else 0)
    capture = capture_of(stream([0], [b"" if remote else data], address=number, flags=flags))
    bits = protocol_named("can").line_bits(capture.frames.table(np.array([0])))
    assert bits.tolist() == [len(drawn)]


def test_a_busy_second_is_told_where_the_bit_rate_is_known():
    calm, busy = np.arange(0, 3000, 10) * MS, np.arange(1000, 2000, 1) * MS + 300_000
    streams = stream(calm), stream(busy, address=0x200)
    lanes = (Lane("deck", bit_rate=125_000),)
    assert not any(key[0] == "bus-load" for key in found(capture_of(*streams)))
    problem = found(capture_of(*streams, lanes=lanes))["bus-load", None]
    # 1000 frames of 111 bits, and 100 more, each with stuff bits, in a second of 125 000
    assert 1100 * 111 / 1250 < problem.worst < 1100 * 130 / 1250 and problem.count == 1100
    assert (problem.first_ns, problem.worst_ns) == (1000 * MS, 1000 * MS)
    high = [Limit(problem="bus-load", lane="deck", value=120)]
    assert ("bus-load", None) not in found(capture_of(*streams, lanes=lanes), limits=high)


def test_what_goes_at_another_rate_is_not_counted():
    data = [b"\x55" * 64]
    frame = capture_of(stream([0], data, flags=F.LONG | F.RATE_SWITCH))
    slow = capture_of(stream([0], data, flags=F.LONG))
    table, whole = (one.frames.table(np.array([0])) for one in (frame, slow))
    assert protocol_named("can").line_bits(table)[0] < 40
    assert protocol_named("can").line_bits(whole)[0] == pytest.approx(64 * 8 + 22 + 33 + 13, abs=8)
