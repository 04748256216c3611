"""What is kept around the moments at which a condition holds, however the frames are cut into batches."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.steady import KEEPS_TIME
from zesty_abacus.core.frames.capture import Lane
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.live.armed import Armed, Then
from zesty_abacus.core.live.batch import Batch

pytestmark = KEEPS_TIME

LANES = [Lane("bus")]


class Sevens:
    """Holds in frames whose first byte is 7."""

    def holds_in(self, table, _lanes):
        return [row for row in range(len(table)) if table.payload_of(row) == b"\7"]


def _table(frames):
    batch = Batch()
    for time_ns, value in frames:
        batch.add(time_ns, bytes((value,)))
    return batch.table()


@st.composite
def batches(draw):
    """Frames in order of time, one a time, about one in eight a 7, cut anywhere."""
    times = np.cumsum(draw(st.lists(st.integers(1, 40), min_size=1, max_size=60))).tolist()
    frames = [(time_ns, draw(st.integers(0, 7))) for time_ns in times]
    cuts = sorted(draw(st.lists(st.integers(0, len(frames)), max_size=6)))
    edges = [0, *cuts, len(frames)]
    return frames, [_table(frames[a:b]) for a, b in pairwise(edges)]


def _kept(armed, tables):
    parts = [part for table in tables for part in armed.take(table, LANES)[0]]
    return FrameTable.joined(parts).time_ns.tolist() if parts else []


@given(batches(), st.integers(1, 80), st.integers(1, 80))
def test_each_time_what_lies_around_is_kept_and_nothing_else(made, before, after):
    frames, tables = made
    hits = [time_ns for time_ns, value in frames if value == 7]
    armed = Armed(Sevens(), before, after, Then.AGAIN)
    assert _kept(armed, tables) == [
        time_ns for time_ns, _ in frames if any(hit - before <= time_ns <= hit + after for hit in hits)
    ]
    assert armed.hits == len(hits)
    assert armed.last() == [], "what the condition did not hold in is nothing to keep"


@given(batches(), st.none() | st.integers(0, 80), st.integers(0, 80))
def test_once_it_held_it_is_over(made, before, after):
    frames, tables = made
    first = next((time_ns for time_ns, value in frames if value == 7), None)
    armed = Armed(Sevens(), before, after)
    kept = _kept(armed, tables)
    if first is None:
        kept += [time_ns for part in armed.last() for time_ns in part.time_ns.tolist()]
    end = frames[-1][0] if first is None else first + after
    begin = -1 if before is None else (end if first is None else first) - before
    assert kept == [time_ns for time_ns, _ in frames if begin <= time_ns <= end]
    assert armed.is_over(10**18) == (first is not None)


@given(batches())
def test_what_only_marks_keeps_everything_and_tells_when(made):
    frames, tables = made
    armed = Armed(Sevens(), 5, 5, Then.MARK)
    told = [armed.take(table, LANES) for table in tables]
    kept = [time_ns for parts, _ in told for part in parts for time_ns in part.time_ns.tolist()]
    assert kept == [time_ns for time_ns, _ in frames]
    assert [time_ns for _, times in told for time_ns in times] == [time_ns for time_ns, value in frames if value == 7]
    assert not armed.is_over(10**18)


def test_a_hand_keeps_what_a_condition_would():
    armed = Armed(Sevens(), 20, 10)
    assert _kept(armed, [_table([(time_ns, 0) for time_ns in range(0, 100, 5)])]) == []
    assert armed.waits
    assert [part.time_ns.tolist() for part in armed.trigger(100)] == [[80, 85, 90, 95]]
    assert _kept(armed, [_table([(105, 0), (110, 7), (115, 0)])]) == [105, 110]
    assert not armed.waits


@pytest.mark.parametrize("then", list(Then))
def test_frames_of_the_moment_in_which_it_held(then):
    armed = Armed(Sevens(), 10, 0, then)
    kept = _kept(armed, [_table([(1, 0), (5, 0), (5, 7), (5, 1), (6, 2)])])
    assert kept == ([1, 5, 5, 5, 6] if then == Then.MARK else [1, 5, 5])
