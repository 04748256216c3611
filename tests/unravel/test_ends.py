"""Checks in the last bytes of payloads of any length: each limit at, below and above."""

import numpy as np
import pytest

from tests.unravel.test_checks import around, words_of
from tests.unravel.test_varying import crc
from zesty_abacus.core.frames.segment_frames import KindFrames
from zesty_abacus.core.unravel.questions.ends import end_checks


def xor(data):
    made = 0
    for byte in data:
        made ^= byte
    return made


def frames_of(check, count=1, order="big", frames=120, spoilt=0, sizes=(4, 5, 6, 7), seed=3):
    """Return payloads of noise in several lengths with their check behind them."""
    random = np.random.default_rng(seed)
    rows = []
    for number in range(frames):
        body = random.integers(0, 256, sizes[number % len(sizes)], np.uint8).tobytes()
        value = check(body) ^ (1 if number < spoilt else 0)
        rows.append(body + value.to_bytes(count, order))
    lengths = np.array([len(row) for row in rows], np.uint32)
    matrix = np.zeros((frames, 16), np.uint8)
    for place, row in enumerate(rows):
        matrix[place, : len(row)] = np.frombuffer(row, np.uint8)
    return KindFrames(np.arange(frames, dtype=np.uint32), np.arange(frames), lengths, matrix)


def test_what_is_said_of_a_check_at_the_end():
    (found,) = end_checks(frames_of(lambda data: crc(data, 16, 0x1021, 0x1234, 0x4321), 2, "little"))
    assert found.places_text == "B-1 B-2" and found.parameters["coverage"] == {"end": "size - 2"}
    assert (found.frames, found.against, found.confidence) == (120, 0, pytest.approx(0.99))
    assert found.reason.endswith("of all bytes before it, in all 120 frames of 4 lengths.")


@pytest.mark.parametrize("order", ["big", "little"])
@pytest.mark.parametrize("first", [0, 1, 2])
def test_a_sum_of_words_at_the_end(order, first):
    def check(data):
        return 0xFFFF - around(words_of(np.frombuffer(data[first:], np.uint8), order), 16)

    (found,) = end_checks(frames_of(check, 2, sizes=(6, 7, 9, 10)))
    assert found.parameters == {
        "check": "sum", "word_bytes": 2, "carry": "around", "negated": "ones",
        "coverage": {"end": "size - 2"} | ({"first": str(first)} if first else {}),
    } | ({"low_byte_first": True} if order == "little" else {})  # fmt: skip
    assert (found.frames, found.against) == (120, 0)


@pytest.mark.parametrize("first", [1, 2, 4])
def test_bytes_at_the_beginning_may_be_left_out(first):
    (found,) = end_checks(frames_of(lambda data: crc(data[first:], 16, 0x8005), 2, sizes=(7, 8, 9)))
    assert found.parameters["coverage"] == {"first": str(first), "end": "size - 2"}
    assert f"of all bytes before it from B{first} on, " in found.reason


@pytest.mark.parametrize(("spoilt", "there"), [(0, True), (3, True), (4, False)])
def test_three_of_a_hundred_frames_may_be_spoilt(spoilt, there):
    found = end_checks(frames_of(xor, frames=100, spoilt=spoilt))
    assert bool(found) == there
    if there:
        assert (found[0].frames, found[0].against) == (100 - spoilt, spoilt)
        assert found[0].confidence == pytest.approx(0.99 * (100 - spoilt) / 100)


def test_twelve_payloads_of_two_lengths_are_needed():
    assert end_checks(frames_of(xor, frames=12)) and not end_checks(frames_of(xor, frames=11))
    assert end_checks(frames_of(xor, sizes=(4, 5))) and not end_checks(frames_of(xor, sizes=(5,)))
    # besides its check a payload has two bytes at least
    assert end_checks(frames_of(xor, sizes=(2, 5))) and not end_checks(frames_of(xor, sizes=(1, 5)))


def test_noise_has_no_check_and_the_same_frame_again_says_nothing_more():
    random = np.random.default_rng(9)
    assert end_checks(frames_of(lambda data: int(random.integers(0, 256)))) == []
    few = frames_of(xor, frames=8)
    rows = np.resize(np.arange(8), 200)
    assert end_checks(KindFrames(few.rows[rows], few.time_ns[rows], few.sizes[rows], few.matrix[rows])) == []
