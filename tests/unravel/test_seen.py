"""Bits of many frames at once, held against reading them one by one."""

from itertools import pairwise

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.unravel.made import seen_of
from zesty_abacus.core.frames.segment_frames import KindFrames
from zesty_abacus.core.layouts.places import Places, byte_bits, format_places, parse_places
from zesty_abacus.core.unravel.seen import Seen, raw_of

PAYLOADS = st.lists(st.binary(min_size=8, max_size=8), min_size=1, max_size=12)
BITS = st.lists(st.integers(0, 63), min_size=1, max_size=64, unique=True)


def matrix_of(payloads):
    return np.frombuffer(b"".join(payloads), np.uint8).reshape(len(payloads), -1)


@given(PAYLOADS, BITS)
def test_bits_of_all_frames_are_the_bits_of_each(payloads, bits):
    raw = raw_of(matrix_of(payloads), bits)
    assert raw.tolist() == [Places(bits).raw_in(payload) for payload in payloads]


@given(PAYLOADS, BITS)
def test_a_single_payload_is_read_bit_by_bit(payloads, bits):
    text = "".join(str(payloads[0][bit // 8] >> bit % 8 & 1) for bit in bits)
    assert Places(bits).raw_in(payloads[0]) == int(text, 2)
    assert Places(bits).raw_in(payloads[0][: max(bits) // 8]) is None, "it ends before the bits"


@given(PAYLOADS, st.lists(st.integers(0, 63), min_size=1, max_size=63, unique=True))
def test_signs_are_twos_complement(payloads, bits):
    seen = seen_of(matrix_of(payloads))
    width = len(bits)
    for number, payload in zip(seen.numbers(tuple(bits), signed=True).tolist(), payloads, strict=True):
        raw = Places(bits).raw_in(payload)
        assert number % (1 << width) == raw and -(1 << width - 1) <= number < 1 << width - 1
    assert seen.numbers(tuple(bits), signed=False).tolist() == raw_of(seen.matrix, bits).tolist()


@given(st.lists(st.integers(0, 20), min_size=1, max_size=6, unique=True))
def test_bytes_are_written_as_places_of_whole_bytes(numbers):
    bits = byte_bits(numbers)
    assert parse_places(" ".join(f"B{number}" for number in numbers)).bits == bits
    assert parse_places(format_places(Places(bits))).bits == bits


@given(PAYLOADS)
def test_flips_are_counted_from_frame_to_frame(payloads):
    seen = seen_of(matrix_of(payloads))
    counted = [0] * 64
    for before, after in pairwise(payloads):
        for bit in range(64):
            counted[bit] += (before[bit // 8] ^ after[bit // 8]) >> bit % 8 & 1
    assert seen.flips.tolist() == counted
    first = payloads[0]
    moves = [any((one[bit // 8] ^ first[bit // 8]) >> bit % 8 & 1 for one in payloads) for bit in range(64)]
    assert seen.moves.tolist() == moves


@given(st.lists(st.booleans(), min_size=2, max_size=30))
def test_a_page_goes_on_over_the_frames_of_other_pages(chosen):
    matrix = np.arange(len(chosen), dtype=np.uint8).reshape(-1, 1)
    page = seen_of(matrix).where(np.array(chosen))
    assert page.matrix[:, 0].tolist() == [number for number, wanted in enumerate(chosen) if wanted]
    assert page.follows.tolist() == [bool(number) for number in range(sum(chosen))]


def test_frames_of_another_size_break_a_stretch():
    sizes = np.array([2, 2, 3, 2, 2, 2], np.uint32)
    frames = KindFrames(
        np.arange(6, dtype=np.uint32), np.arange(6) * 1000, sizes, np.arange(18, dtype=np.uint8).reshape(6, 3)
    )
    seen = Seen.of(frames, 2)
    assert len(seen) == 5 and seen.total == 5
    assert seen.follows.tolist() == [False, True, False, True, True]


def test_too_many_frames_are_looked_at_in_stretches():
    matrix = (np.arange(1200) % 251).astype(np.uint8).reshape(-1, 1)
    count = np.arange(1200)
    seen = Seen.of(KindFrames(count.astype(np.uint32), count, np.full(1200, 1, np.uint32), matrix), 1, most=120)
    assert len(seen) == 120 and seen.total == 1200
    assert int((~seen.follows).sum()) == 6, "each stretch begins anew"
    steps = np.diff(seen.time_ns)[seen.follows[1:]]
    assert (steps == 1).all(), "within a stretch frames follow one another"
    assert seen.time_ns[0] == 0 and seen.time_ns[-1] == 1199, "from beginning to end"
