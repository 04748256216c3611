"""Framing a segment at a time gives what framing all at once gives."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.trial.pieces import crc16
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.links.framing import framings
from zesty_abacus.core.links.hdlc import HdlcFraming
from zesty_abacus.core.links.modbus_rtu import ModbusRtuFraming
from zesty_abacus.core.links.registers import RegisterFraming
from zesty_abacus.core.links.telegrams import GapFraming, SentenceFraming
from zesty_abacus.core.recipes.devices import DeviceFramer
from zesty_abacus.core.recipes.model import new_recipe
from zesty_abacus.core.recipes.run import run_on_frames
from zesty_abacus.core.recipes.segments import SegmentFramer


def pieces(*parts):
    """Return pieces of bytes, given as (pause before in microseconds, bytes)."""
    now, times, payload = 1_000_000, [], []
    for pause, data in parts:
        now += pause * 1000
        times.append(now)
        payload.append(data)
        now += len(data) * 1000
    sizes = np.array([len(data) for data in payload], np.uint32)
    count = len(parts)
    return FrameTable(
        np.array(times, np.int64), np.zeros(count, np.uint16), np.zeros(count, np.int64), np.zeros(count, np.uint32),
        np.cumsum(sizes, dtype=np.int64) - sizes, sizes, np.frombuffer(b"".join(payload), np.uint8),
    )  # fmt: skip


def told(table):
    """Return everything a table of frames says, frame by frame."""
    return [
        (int(table.time_ns[n]), int(table.address[n]), int(table.flags[n]), table.payload_of(n))
        for n in range(len(table))
    ]


def in_segments(recipe, table, segment, chunk):
    """Frame a table segment by segment, taken in chunks of some pieces."""
    found = []
    framer = SegmentFramer(recipe, found.append, segment)
    for first in range(0, len(table), chunk):
        part = table.rows(first, first + chunk)
        framer.add(part)
    framer.finish()
    assert framer.frames == sum(map(len, found))
    return told(FrameTable.joined(found)) if found else []


TELEGRAMS = st.lists(st.tuples(st.integers(2_000, 50_000), st.binary(min_size=1, max_size=12)), min_size=1, max_size=60)


@settings(max_examples=60)
@given(TELEGRAMS, st.integers(16, 100), st.integers(1, 9))
def test_telegrams_between_pauses(parts, segment, chunk):
    recipe = new_recipe("x", framing=GapFraming(gap_us=1000.0), lane="x")
    table = pieces(*parts)
    assert in_segments(recipe, table, segment, chunk) == told(run_on_frames(recipe, table)[0])


@settings(max_examples=60)
@given(st.lists(st.integers(0, 9999), min_size=1, max_size=40), st.integers(30, 120), st.integers(1, 9))
def test_sentences_that_come_in_pieces(numbers, segment, chunk):
    text = b"".join(b"$YZHDG,%d*00\r\n" % number for number in numbers)
    parts = [(100 if n % 3 else 30_000, text[n : n + 5]) for n in range(0, len(text), 5)]
    recipe = new_recipe("x", framing=SentenceFraming(), lane="x")
    table = pieces(*parts)
    assert in_segments(recipe, table, segment, chunk) == told(run_on_frames(recipe, table)[0])


@settings(max_examples=40)
@given(st.lists(st.tuples(st.integers(0, 99), st.booleans()), min_size=1, max_size=30), st.integers(40, 150))
def test_requests_stay_with_their_answers(exchanges, segment):
    parts = []
    for register, answers in exchanges:
        request = bytes([17, 3, 0, register, 0, 1])
        parts.append((200_000, request + crc16(request)))
        if answers:
            answer = bytes([17, 3, 2, 0, register])
            parts.append((5_000, answer + crc16(answer)))
    recipe = new_recipe("x", framing=ModbusRtuFraming(), lane="x")
    table = pieces(*parts)
    assert in_segments(recipe, table, segment, 3) == told(run_on_frames(recipe, table)[0])


def test_bytes_without_an_end_are_not_held_for_ever():
    recipe = new_recipe("x", framing=SentenceFraming(), lane="x")
    framer = SegmentFramer(recipe, lambda _frames: None, 64)
    for number in range(200):
        framer.add(pieces((10, bytes([number % 7] * 16))))
        assert framer.held_bytes <= 9 * 64
    framer.finish()


def test_one_long_piece_is_taken_in_parts():
    recipe = new_recipe("x", framing=SentenceFraming(), lane="x")
    table = pieces((0, b"$A,1*00\r\n" * 300), (10, b"$B,2*00\r\n"))
    assert in_segments(recipe, table, 200, 2) == told(run_on_frames(recipe, table)[0])


def test_a_framing_of_something_else_is_refused():
    assert any(way.takes == "bits" and way.settings is HdlcFraming for way in framings())
    with pytest.raises(MisuseError, match="takes bits, and this recording holds bytes"):
        SegmentFramer(new_recipe("x", framing=HdlcFraming(), lane="x"), lambda _frames: None)


def test_telegrams_at_even_pauses_are_handed_on_without_more_and_more_being_held():
    recipe = new_recipe("even", framing=GapFraming(gap_us=1000.0), lane="x")
    table, segment = pieces(*[(5_000, bytes(8))] * 2_000), 1_000
    framer = SegmentFramer(recipe, lambda frames: None, segment)
    for first in range(0, len(table), 125):
        framer.add(table.rows(first, first + 125))
        given = (first + 125) * 8
        assert given - framer.frames * 8 <= segment, "more than a segment is held although any pause would do to cut"
    framer.finish()
    assert framer.frames == 2_000


@settings(max_examples=60)
@given(st.data())
def test_registers_followed_in_batches_are_those_followed_at_once(data):
    transfers = data.draw(st.lists(
        st.tuples(st.sampled_from([0x5A, 0x31]), st.booleans(), st.binary(max_size=4)), min_size=2, max_size=40,
    ))  # fmt: skip
    sizes = np.array([len(body) for _, _, body in transfers], np.uint32)
    count = len(transfers)
    table = FrameTable(
        np.arange(count, dtype=np.int64), np.zeros(count, np.uint16), np.array([one[0] for one in transfers], np.int64),
        np.array([F.READ if one[1] else 0 for one in transfers], np.uint32), np.cumsum(sizes, dtype=np.int64) - sizes,
        sizes, np.frombuffer(b"".join(one[2] for one in transfers), np.uint8),
    )  # fmt: skip
    recipe = new_recipe("x", framing=RegisterFraming(last_register=200), lane="x")
    made = []
    framer = DeviceFramer(recipe, made.append)
    step = data.draw(st.integers(1, count))
    for first in range(0, count, step):
        framer.add(table.rows(first, first + step))
    if not any(one[1] for one in transfers):
        with pytest.raises(MisuseError, match="frames that nobody reads"):
            framer.finish()
        return
    framer.finish()
    assert framer.frames == count and told(FrameTable.joined(made)) == told(run_on_frames(recipe, table)[0])
