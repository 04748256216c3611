"""Moved lanes, against sorting everything anew."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import frame_tables
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.shifting import shift_lanes

LANES = tuple(Lane(f"lane {number}") for number in range(8))
MOVES = st.dictionaries(st.integers(0, 7), st.integers(-(10**6), 10**6), max_size=3)


@given(frame_tables(), MOVES)
def test_moved_lanes_are_where_sorting_puts_them(table, moves):
    capture = Capture.from_table(table, LANES)
    moved = shift_lanes(capture, moves)
    before = capture.table
    shift = np.array([moves.get(lane, 0) for lane in range(8)], np.int64)
    times = before.time_ns + shift[before.lane]
    assert (moved.table.time_ns == np.sort(times)).all()
    after = moved.table
    rows = [(int(after.time_ns[n]), int(after.lane[n]), after.payload_of(n)) for n in range(len(moved))]
    wanted = [(int(times[n]), int(before.lane[n]), before.payload_of(n)) for n in range(len(capture))]
    assert sorted(rows) == sorted(wanted)
    assert moved.kinds.keys == capture.kinds.keys
    for kind in range(len(moved.kinds.keys)):
        old, new = capture.kind_frames(kind), moved.kind_frames(kind)
        lane = moved.kinds.keys[kind].lane
        assert (new.matrix == old.matrix).all() and (new.time_ns == old.time_ns + shift[lane]).all()
        assert (np.diff(new.rows.astype(np.int64)) > 0).all(), "rows of a kind rise"


@given(frame_tables())
def test_nothing_moved_is_the_same_capture(table):
    capture = Capture.from_table(table, LANES)
    assert shift_lanes(capture, {0: 0}) is capture
