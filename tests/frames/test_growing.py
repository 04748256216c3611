"""Frames that come while they are looked at, against the same frames all at once."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from zesty_abacus.core.frames import growing
from zesty_abacus.core.frames.activity import BLOCK, BitHistory, capture_activity
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.decimate import Curve
from zesty_abacus.core.frames.growing import GrowingFrames
from zesty_abacus.core.frames.segment import Placed
from zesty_abacus.core.frames.table import FrameTable

LANES = [Lane("a"), Lane("b")]


def table_of(times: list[int], seed: int = 0) -> FrameTable:
    """Frames at some times, everything else by chance."""
    rng = np.random.default_rng(seed)
    count = len(times)
    size = rng.integers(0, 9, count).astype(np.uint32)
    return FrameTable(
        np.array(times, np.int64), rng.integers(0, 2, count).astype(np.uint16),
        rng.integers(0x100, 0x104, count), np.zeros(count, np.uint32), np.cumsum(size, dtype=np.int64) - size, size,
        rng.integers(0, 256, int(size.sum()), dtype=np.uint8),
    )  # fmt: skip


def placed(frames: GrowingFrames) -> list[Placed]:
    nothing = np.zeros(2, np.int64)
    return [Placed(one, 0, np.arange(2, dtype=np.uint16), nothing) for one in frames.segments()]


def told(capture: Capture) -> list[tuple[int, int, int, bytes]]:
    """Every frame by its row."""
    frames = (capture.frames.at(row) for row in range(len(capture)))
    return [(one.time_ns, one.lane, one.address, one.payload) for one in frames]


@pytest.fixture(autouse=True)
def short_segments(monkeypatch):
    monkeypatch.setattr(growing, "_FULL", 4)
    monkeypatch.setattr(growing, "_TOGETHER", 3)
    monkeypatch.setattr(growing, "_ON_DISK", 30)
    monkeypatch.setattr(growing, "_LONGEST", 80)


@settings(deadline=None, max_examples=60)
@example(batches=[[0, 1], [0, 0, 0, 0], [0]], rising=False)
@given(
    batches=st.lists(st.lists(st.integers(0, 400), min_size=1, max_size=7), min_size=1, max_size=40),
    rising=st.booleans(),
)
def test_rows_and_kinds_stay_while_frames_come(tmp_path_factory, batches, rising):
    frames = GrowingFrames(tmp_path_factory.mktemp("live"))
    base = Capture.from_table(table_of([1, 2, 3], 99), LANES)
    before, known, keys = None, [], ()
    at = 0
    for number, times in enumerate(batches):
        wanted = sorted(at + one for one in times) if rising else times
        at = max(wanted) if rising else 0
        frames.add(table_of(wanted, number))
        capture = base.grown(placed(frames), LANES, before)
        rows = told(capture)
        assert rows[: len(known)] == known
        assert capture.kinds.keys[: len(keys)] == keys
        assert capture.has_grown_from(base)
        known, keys, before = rows, capture.kinds.keys, capture
    every = [frame for number in range(len(batches)) for frame in told(Capture.from_table(
        table_of(_wanted(batches, rising)[number], number), LANES))]  # fmt: skip
    assert sorted(known[3:]) == sorted(every)
    assert sum(before.kinds.count(kind) for kind in range(len(keys))) == len(known)
    order = before.order.rows().tolist()
    assert order == sorted(range(len(known)), key=lambda row: (known[row][0], row))


def _wanted(batches: list[list[int]], rising: bool) -> list[list[int]]:
    made, at = [], 0
    for times in batches:
        made.append(sorted(at + one for one in times) if rising else times)
        at = max(made[-1]) if rising else 0
    return made


def test_many_batches_are_few_segments_and_the_long_ones_lie_on_disk(tmp_path):
    frames = GrowingFrames(tmp_path / "live")
    for number in range(400):
        frames.add(table_of([number * 2, number * 2 + 1], number))
    segments = frames.segments()
    assert sum(map(len, segments)) == 800
    assert len(segments) < 20
    assert max(map(len, segments)) >= 80
    assert {path.name for path in (tmp_path / "live").iterdir()} >= {"1", "2"}
    long = max(segments, key=len)
    assert not long.table.time_ns.flags.owndata, "mapped, not held"


def test_the_place_of_a_time_is_found_among_many_segments(tmp_path):
    frames = GrowingFrames(tmp_path / "live")
    for number in range(100):
        frames.add(table_of([number * 10, number * 10, number * 10 + 5], number))
    capture = Capture.of_segments(placed(frames), LANES)
    times = capture.frames.times(np.arange(300)).tolist()
    for time in (-1, 0, 4, 5, 490, 491, 495, 995, 2000):
        assert capture.order.count_until(time) == sum(one <= time for one in times)
        assert capture.order.count_until(time, inclusive=False) == sum(one < time for one in times)
    for first, last in ((0, 300), (0, 1), (7, 9), (11, 250), (299, 300), (250, 900)):
        assert capture.order.rows(first, last).tolist() == list(range(first, min(last, 300)))


def test_a_capture_has_grown_only_from_its_own_earlier_states():
    one, other = (Capture.from_table(table_of([1, 2]), LANES) for _ in range(2))
    assert one.has_grown_from(one)
    assert not one.has_grown_from(other)
    more = one.grown(placed_of(table_of([5])))
    assert more.has_grown_from(one)
    assert not one.has_grown_from(more)
    assert not one.moved({0: 5}).has_grown_from(one)


def placed_of(table: FrameTable) -> list[Placed]:
    return list(Capture.from_table(table, LANES).segments)


@settings(deadline=None, max_examples=40)
@given(parts=st.lists(st.integers(0, 3 * BLOCK), min_size=1, max_size=5), seed=st.integers(0, 99))
def test_curves_and_histories_grow_to_what_they_would_be_all_at_once(parts, seed):
    rng = np.random.default_rng(seed)
    count = sum(parts)
    times = np.sort(rng.integers(0, 10**6, count))
    values = np.where(rng.random(count) < 0.1, np.nan, rng.normal(size=count))
    matrix = rng.integers(0, 256, (count, 16), dtype=np.uint8)
    # payloads get longer in the middle
    matrix[: count // 2, 8:] = 0
    curve = Curve.build(times[: parts[0]], values[: parts[0]])
    wide = 8 if parts[0] <= count // 2 else 16
    history = BitHistory.build(times[: parts[0]], matrix[: parts[0], :wide])
    at = parts[0]
    for part in parts[1:]:
        wide = 8 if at + part <= count // 2 else 16
        curve = curve.grown(times[at : at + part], values[at : at + part])
        history = history.grown(times[at : at + part], matrix[at : at + part, :wide])
        at += part
    once = Curve.build(times, values)
    for name in ("time_ns", "values", "lows", "highs"):
        np.testing.assert_array_equal(getattr(curve, name), getattr(once, name))
    whole = BitHistory.build(times, matrix[:, : history.matrix.shape[1]])
    for name in ("time_ns", "matrix", "sums"):
        np.testing.assert_array_equal(getattr(history, name), getattr(whole, name))


def test_bits_are_counted_on_from_where_they_were(tmp_path):
    frames = GrowingFrames(tmp_path / "live")
    base = Capture.from_table(table_of(list(range(20)), 5), LANES)
    before, counted = None, capture_activity(base)
    for number in range(30):
        frames.add(table_of([100 + number * 3, 101 + number * 3], number))
        before = base.grown(placed(frames), LANES, before)
        counted = capture_activity(before, before=counted)
    once = capture_activity(before)
    for grown, whole in zip(counted, once, strict=True):
        assert (grown.frames, grown.size) == (whole.frames, whole.size)
        np.testing.assert_array_equal(grown.flips, whole.flips)
        np.testing.assert_array_equal(grown.ones, whole.ones)
