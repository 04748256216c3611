"""Telegrams by gap, length, codes, line ends and checked sentences: every byte is in exactly one frame."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.result import ByteRun, LineResult, LineRoom, Marks
from zesty_abacus.core.links.framing import framing_of
from zesty_abacus.core.links.telegrams import (
    CodeFraming,
    GapFraming,
    LengthFraming,
    LineEndFraming,
    SentenceFraming,
)


def bytes_result(groups, gap_ns=10_000_000, byte_ns=100_000, flags=None):
    """Return a run of bytes: groups that follow each other after a gap."""
    start, values, now = [], [], 0
    for group in groups:
        for byte in group:
            start.append(now)
            values.append(byte)
            now += byte_ns
        now += gap_ns
    start = np.array(start, np.int64)
    run = ByteRun(start, start + byte_ns, np.array(values, np.uint16),
                  np.zeros(len(values), np.uint32) if flags is None else np.array(flags, np.uint32))  # fmt: skip
    rows = np.zeros((len(values), 7), np.int64)
    rows[:, 0], rows[:, 1], rows[:, 2], rows[:, 3], rows[:, 5] = start, start + byte_ns, 5, values, -1
    empty = LineRoom(0, 0, 0).result()
    return LineResult(empty.frames, empty.ends_ns, Marks(rows), byte_run=run)


def framed(settings, result):
    made = framing_of(settings).apply(settings, result)
    table = made.frames
    table.check()
    return made, [(table.payload_of(n), int(table.flags[n])) for n in range(len(table))]


groups = st.lists(st.binary(min_size=1, max_size=12), min_size=1, max_size=8)


@given(groups)
def test_a_gap_divides(listed):
    made, frames = framed(GapFraming(), bytes_result(listed))
    assert [payload for payload, _ in frames] == listed
    assert made.marks.frame.tolist() == [n for n, group in enumerate(listed) for _ in group]
    assert (made.ends_ns > made.frames.time_ns).all()


def test_faults_of_bytes_are_faults_of_their_telegram():
    _, frames = framed(GapFraming(), bytes_result([b"ab", b"cd"], flags=[0, F.PARITY, 0, F.FRAMING]))
    assert [flags for _, flags in frames] == [F.PARITY, F.FRAMING]


def test_nine_bit_characters_keep_their_ninth_bit():
    _, frames = framed(GapFraming(), bytes_result([[0x1A0, 0x012]]))
    assert frames == [(b"\x01\xa0\x00\x12", 0)]


@given(groups, st.integers(1, 6))
def test_telegrams_of_one_length(listed, length):
    _, frames = framed(LengthFraming(length=length), bytes_result(listed))
    assert b"".join(payload for payload, _ in frames) == b"".join(listed)
    for payload, flags in frames:
        assert (len(payload) == length and not flags) or (len(payload) < length and flags == F.CUT_SHORT)


@given(st.binary(max_size=60), st.sampled_from([("02", "03"), ("02", ""), ("", "03"), ("1002", "1003"), ("7E", "7E")]))
def test_codes_cut_without_losing_a_byte(data, codes):
    data = data.translate(bytes(b % 5 if b % 7 else 0x10 for b in range(256)))
    _, frames = framed(CodeFraming(begin=codes[0], end=codes[1]), bytes_result([data]))
    assert b"".join(payload for payload, _ in frames) == data
    begin, end = bytes.fromhex(codes[0]), bytes.fromhex(codes[1])
    for payload, flags in frames:
        if not flags:
            assert payload.startswith(begin) and payload.endswith(end)


def test_codes_mark_what_lies_outside():
    _, frames = framed(CodeFraming(begin="02", end="03"), bytes_result([b"xx\x02ab\x03\x02cd"]))
    assert frames == [(b"xx", F.FRAMING), (b"\x02ab\x03", 0), (b"\x02cd", F.CUT_SHORT)]


def test_nonsense_codes_are_refused():
    for settings in (CodeFraming(), CodeFraming(begin="2"), CodeFraming(end="xx")):
        with pytest.raises(MisuseError):
            framed(settings, bytes_result([b"ab"]))
    with pytest.raises(MisuseError, match="length=0"):
        framed(LengthFraming(length=0), bytes_result([b"ab"]))


def test_lines_lose_only_their_ends():
    _, frames = framed(LineEndFraming(), bytes_result([b"one\r\ntwo\n\r\nthree"]))
    assert frames == [(b"one", 0), (b"two", 0), (b"", 0), (b"three", F.CUT_SHORT)]


def sentence(body):
    check = 0
    for code in body.encode():
        check ^= code
    return f"${body}*{check:02X}\r\n".encode()


def test_the_published_check_of_a_sentence():
    """IEC 61162-1 sums by exclusive-or between $ and *: this one gives 6A."""
    line = b"$GPRMC,123519,A,4807.038,N,01131.000,E,022.4,084.4,230394,003.1,W*6A\r\n"
    made, frames = framed(SentenceFraming(), bytes_result([line]))
    assert frames == [(line.strip(), 0)]
    assert int(made.frames.address[0]) == int.from_bytes(b"GPRMC", "big")


@given(st.lists(st.text("ABCDE,.0123456789", min_size=5, max_size=20), min_size=1, max_size=5), st.data())
def test_a_changed_letter_is_noticed(bodies, data):
    lines = [sentence(body) for body in bodies]
    _, frames = framed(SentenceFraming(), bytes_result(lines))
    assert [payload + b"\r\n" for payload, _ in frames] == lines and not any(flags for _, flags in frames)
    place = data.draw(st.integers(1, len(lines[0]) - 6))
    changed = lines[0][:place] + (b"Z" if lines[0][place : place + 1] != b"Z" else b"Y") + lines[0][place + 1 :]
    _, frames = framed(SentenceFraming(), bytes_result([changed, *lines[1:]]))
    assert frames[0][1] == F.BAD_CHECK


def test_a_sentence_without_its_end_and_noise_between():
    _, frames = framed(SentenceFraming(), bytes_result([b"noise\r\n" + sentence("YZ,1") + b"$YZHDG,1"]))
    assert [flags for _, flags in frames] == [F.FRAMING, 0, F.CUT_SHORT]


@given(st.binary(max_size=200))
def test_any_bytes_make_frames_that_hold_together(data):
    for settings in (GapFraming(), LengthFraming(), CodeFraming(begin="24"), LineEndFraming(), SentenceFraming()):
        made, frames = framed(settings, bytes_result([data] if data else []))
        assert sum(len(payload) for payload, _ in frames) <= len(data)
        assert ((made.marks.frame >= -1) & (made.marks.frame < max(len(frames), 1))).all()
