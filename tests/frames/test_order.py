"""Captures of several segments with lanes moved, against one table that is sorted anew."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import frame_tables
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.activity import kind_activity
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.density import lane_density
from zesty_abacus.core.frames.kind_key import KindKey
from zesty_abacus.core.frames.segment import Placed, Segment, is_sorted
from zesty_abacus.core.frames.segment_frames import places_in

LANES = tuple(Lane(f"lane {number}") for number in range(8))
SHIFTS = st.lists(st.sampled_from([0, 0, 0, -5, 7, 10**6, -(10**9)]), min_size=8, max_size=8)
MOVES = st.dictionaries(st.integers(0, 7), st.integers(-(10**6), 10**6), max_size=3)
PIECES = st.lists(st.tuples(frame_tables(), SHIFTS, st.permutations(range(8))), max_size=4)


def put_together(pieces):
    """Return a capture of segments, and its frames as plain values in order of rows."""
    placed, plain = [], []
    for table, shifts, lanes in pieces:
        segment = Segment.of(table)
        placed.append(Placed(segment, 0, np.array(lanes, np.uint16), np.array(shifts, np.int64)))
        for row in range(len(segment)):
            lane = int(segment.table.lane[row])
            plain.append((
                int(segment.table.time_ns[row]) + shifts[lane], lanes[lane], int(segment.table.address[row]),
                int(segment.table.flags[row]), segment.table.payload_of(row),
            ))  # fmt: skip
    return Capture.of_segments(placed, LANES), plain


def sorted_rows(plain):
    return sorted(range(len(plain)), key=lambda row: (plain[row][0], row))


def check_all(capture, plain):
    order = sorted_rows(plain)
    assert len(capture) == len(plain) and capture.order.rows().tolist() == order
    frames = [capture.frames.at(row) for row in range(len(plain))]
    assert [(f.time_ns, f.lane, f.address, f.flags, f.payload) for f in frames] == plain
    table = capture.in_order()
    assert table.time_ns.tolist() == [plain[row][0] for row in order]
    assert [table.payload_of(place) for place in range(len(order))] == [plain[row][4] for row in order]
    keys = [KindKey(lane, address, flags & F.TELLS_KINDS_APART) for _, lane, address, flags, _ in plain]
    assert set(capture.kinds.keys) == set(keys)
    for kind, key in enumerate(capture.kinds.keys):
        wanted = [row for row in order if keys[row] == key]
        assert capture.kinds.rows(kind, 1, 3).tolist() == wanted[1:3]
        assert capture.kinds.rows(kind).tolist() == wanted == capture.order_of_kind(kind).rows().tolist()
        assert capture.kinds.count(kind) == len(wanted) and capture.kinds.find(key) == kind
        gathered = capture.kind_frames(kind)
        assert gathered.time_ns.tolist() == [plain[row][0] for row in wanted]
        payloads = [bytes(line[:size]) for line, size in zip(gathered.matrix, gathered.sizes, strict=True)]
        assert payloads == [plain[row][4] for row in wanted]
        assert capture.kind_size(kind) == max(map(len, payloads))
    assert [capture.kinds.keys[kind] for kind in capture.kinds_of(np.arange(len(plain)))] == keys


@given(PIECES)
def test_segments_together_are_what_sorting_them_gives(pieces):
    check_all(*put_together(pieces))


@given(PIECES, MOVES)
def test_moved_lanes_are_where_sorting_puts_them_and_keep_rows_and_kinds(pieces, moves):
    capture, plain = put_together(pieces)
    moved = capture.moved(moves)
    check_all(moved, [(time + moves.get(lane, 0), lane, *rest) for time, lane, *rest in plain])
    assert moved.kinds is capture.kinds
    check_all(moved.moved({lane: -by for lane, by in moves.items()}), plain)


@given(PIECES, PIECES)
def test_a_capture_that_grows_keeps_its_rows_and_the_numbers_of_its_kinds(first, more):
    capture, _ = put_together(first)
    behind, _ = put_together(more)
    grown = capture.grown(behind.segments)
    assert grown.kinds.keys[: len(capture.kinds.keys)] == capture.kinds.keys
    _, plain = put_together([*first, *more])
    check_all(grown, plain)


@given(PIECES, st.data())
def test_any_stretch_of_the_order_is_a_part_of_the_whole(pieces, data):
    capture, plain = put_together(pieces)
    lanes = frozenset(data.draw(st.sets(st.integers(0, 7))))
    for order, rows in (
        (capture.order, sorted_rows(plain)),
        (capture.order_of_lanes(lanes), [row for row in sorted_rows(plain) if plain[row][1] in lanes]),
    ):
        first, last = sorted(data.draw(st.lists(st.integers(0, len(rows) + 2), min_size=2, max_size=2)))
        assert order.rows(first, last).tolist() == rows[first:last]
        assert [row for chunk in order.chunks(first, last, 3) for row in chunk.tolist()] == rows[first:last]
        times = [plain[row][0] for row in rows]
        time = data.draw(st.sampled_from([*times, 0, -(1 << 62), 1 << 62]))
        assert order.count_until(time) == sum(one <= time for one in times)
        assert order.count_until(time, inclusive=False) == sum(one < time for one in times)
        before = [row for row, one in zip(rows, times, strict=True) if one <= time]
        assert order.last_row(time) == (before[-1] if before else None)
        assert order.span() == ((times[0], times[-1]) if times else (0, 0))


@given(PIECES)
def test_bits_and_lanes_are_counted_over_segments_as_over_one(pieces):
    capture, _ = put_together(pieces)
    whole = Capture.from_table(capture.in_order(), LANES)
    assert (lane_density(capture, 5) == lane_density(whole, 5)).all()
    for kind, key in enumerate(capture.kinds.keys):
        found, wanted = kind_activity(capture, kind), kind_activity(whole, whole.kinds.find(key))
        assert (found.flips == wanted.flips).all() and (found.ones == wanted.ones).all()


def test_rows_are_found_among_rows_that_do_not_rise():
    rows = np.array([7, 3, 9, 4], np.uint32)
    assert places_in(rows, np.array([9, 7, 3], np.uint32)).tolist() == [2, 0, 1]


@pytest.mark.parametrize(
    ("numbers", "is_so"),
    [([], True), ([5], True), ([1, 1], True), ([1, 2], True), ([2, 1], False), ([1, 3, 2, 4], False)],
)
def test_whether_times_never_go_back(numbers, is_so):
    assert is_sorted(np.array(numbers, np.int64)) is is_so
