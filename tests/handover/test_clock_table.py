"""Values on one clock, against the same rows worked out one by one."""

from __future__ import annotations

import bisect
from fractions import Fraction

import numpy as np
import pytest

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.handover import chunks
from zesty_abacus.core.handover.chunks import Span
from zesty_abacus.core.handover.clock_table import BETWEEN, clock_schema, clock_table
from zesty_abacus.core.layouts.model import Applies, FieldKind, NamedValue, RawSet, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.reading.meaning import Meaning

PAGE = new_field("page", at("B0[0]"), FieldKind.NAMES, names=(NamedValue(0, "ahead"), NamedValue(1, "astern")))
PULL = new_field("pull", at("B1"), ratio=Fraction(1, 10), unavailable=RawSet.of(255))
LAYOUTS = [
    new_layout("Hook", Applies(address=1), 2, [PAGE, PULL]),
    new_layout("Lamp", Applies(address=2), 1, [new_field("lit", at("B0[0]"), FieldKind.FLAG)]),
]


def capture_of(times, addresses, payloads, lanes=("deck",), lane_of=None):
    count = len(times)
    matrix = np.array([list(payload.ljust(2, b"\0")) for payload in payloads], np.uint8)
    lane = np.zeros(count, np.uint16) if lane_of is None else np.array(lane_of, np.uint16)
    table = FrameTable(np.array(times, np.int64), lane, np.array(addresses), np.zeros(count, np.uint32),
                       np.arange(count) * 2, np.full(count, 2, np.uint32), matrix.ravel())  # fmt: skip
    return Capture.from_table(table, tuple(Lane(name) for name in lanes))


def rows_of(blocks):
    return [row for block in blocks for table in block.tables() for row in table.to_pylist()]


def wanted(samples, time, between):
    """Return what a value is at a time, by definition; None for nothing."""
    times = [one for one, _ in samples]
    after = bisect.bisect_right(times, time)
    before = samples[after - 1] if after else None
    behind = samples[after] if after < len(samples) else None
    if between == "hold":
        return None if before is None else before[1]
    if between == "nearest":
        if before is None or behind is None:
            chosen = before or behind
            return None if chosen is None else chosen[1]
        return behind[1] if behind[0] - time < time - before[0] else before[1]
    if before is not None and before[0] == time:
        return before[1]
    if before is None or behind is None:
        return None
    return before[1] + (behind[1] - before[1]) * (time - before[0]) / (behind[0] - before[0])


@pytest.mark.parametrize("between", BETWEEN)
@pytest.mark.parametrize("chunk", [1, 7, 100_000])
@pytest.mark.parametrize("seed", range(4))
def test_each_cell_is_what_the_definition_says(between, chunk, seed, monkeypatch):
    monkeypatch.setattr(chunks, "CHUNK_ROWS", chunk)
    monkeypatch.setattr(chunks, "_FEWEST_ROWS", 1)
    random = np.random.default_rng(seed)
    count = 120
    times = np.cumsum(random.integers(0, 40, count)).tolist()
    addresses = random.integers(1, 4, count).tolist()
    payloads = [random.choice([0, 1, 7, 255], 2).astype(np.uint8).tobytes() for _ in range(count)]
    meaning = Meaning.of(capture_of(times, addresses, payloads), LAYOUTS)
    every = int(random.integers(1, 60))
    found = rows_of(clock_table(meaning, every, between))
    frames = list(zip(times, addresses, payloads, strict=True))
    pull = [(time, payload[1] / 10) for time, address, payload in frames if address == 1 and payload[1] != 255]
    page = [(time, ["ahead", "astern"][payload[0] & 1]) for time, address, payload in frames if address == 1]
    lit = [(time, float(payload[0] & 1)) for time, address, payload in frames if address == 2]
    assert [row["time_ns"] for row in found] == list(range(times[0], times[-1] + 1, every))
    for row in found:
        time = row["time_ns"]
        assert row["Hook.pull"] == pytest.approx(wanted(pull, time, between)), (time, between)
        # what has names lies on no line and is nowhere in between
        assert row["Hook.page"] == wanted(page, time, "hold")
        assert row["Lamp.lit"] == wanted(lit, time, "hold")


def test_a_message_of_two_lanes_has_columns_of_each():
    payloads = [b"\x00\x0a", b"\x01\x14"]
    meaning = Meaning.of(capture_of([0, 10], [1, 1], payloads, ("port", "starboard"), [0, 1]), LAYOUTS)
    assert clock_schema(meaning).names == [
        "time_ns", "port: Hook.page", "port: Hook.pull", "starboard: Hook.page", "starboard: Hook.pull",
    ]  # fmt: skip
    assert [row["starboard: Hook.pull"] for row in rows_of(clock_table(meaning, 5, "hold"))] == [None, None, 2.0]


def test_a_stretch_begins_with_its_own_first_frame():
    meaning = Meaning.of(capture_of([0, 100, 200], [1] * 3, [b"\x00\x0a"] * 3), LAYOUTS)
    rows = rows_of(clock_table(meaning, 50, "hold", Span(1, 3)))
    assert [row["time_ns"] for row in rows] == [100, 150, 200]
    assert rows_of(clock_table(meaning, 50, "hold", Span(1, 1))) == []


def test_every_chunk_of_frames_moves_the_progress(monkeypatch):
    monkeypatch.setattr(chunks, "CHUNK_ROWS", 2)
    monkeypatch.setattr(chunks, "_FEWEST_ROWS", 1)
    meaning = Meaning.of(capture_of(range(6), [1] * 6, [b"\x00\x0a"] * 6), LAYOUTS)
    assert [block.frames for block in clock_table(meaning, 1, "hold")] == [2, 2, 2, 0]


@pytest.mark.parametrize(
    ("every", "between", "said"),
    [(0, "hold", "at least 1 ns"), (1, "spline", "no way between"), (1, "hold", "that would be 100000000001 rows")],
)  # fmt: skip
def test_what_makes_no_table_is_refused_before_anything_is_written(every, between, said):
    meaning = Meaning.of(capture_of([0, 100_000_000_000], [1, 1], [b"\x00\x0a"] * 2), LAYOUTS)
    with pytest.raises(MisuseError, match=said):
        clock_table(meaning, every, between)
