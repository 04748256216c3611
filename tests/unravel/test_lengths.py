"""Bits that say how long a payload is, or how much of it is used: every way of writing them, each limit."""

import numpy as np
import pytest

from tests.unravel.made import put
from zesty_abacus.core.frames.segment_frames import KindFrames
from zesty_abacus.core.layouts.places import Places, format_places, parse_places
from zesty_abacus.core.unravel.questions.lengths import lengths

WIDTH = 320


def frames_of(sizes, places, values, seed=1, fill=None):
    """Return payloads of noise, or of one value, whose bits at some places are numbers."""
    sizes = np.asarray(sizes, np.uint32)
    matrix = np.random.default_rng(seed).integers(0, 256, (len(sizes), WIDTH), np.uint8)
    if fill is not None:
        matrix[:] = fill
    if places:
        bits = list(parse_places(places).bits)
        assert max(bits) < WIDTH * 8
        put(matrix, places, values)
    matrix[np.arange(WIDTH) >= sizes[:, None]] = 0
    return KindFrames(np.arange(len(sizes), dtype=np.uint32), np.arange(len(sizes)), sizes, matrix)


def sizes_of(different, count=60):
    return np.resize(np.asarray(different), count)


def found_in(sizes, places, values, **more):
    return [
        (format_places(Places(one.bits)), one.parameters) for one in lengths(frames_of(sizes, places, values, **more))
    ]


def rule(unit=1, offset=0, inverted=False):
    return {"of": "payload", "unit": unit, "offset": offset, "inverted": inverted}


@pytest.mark.parametrize(
    "places",
    ["B0", "B2", "B1 B0", "B0 B1", "B1[6..0]", "B1[5..0]", "B1[4..0]", "B1[3..0]", "B1[7..4]", "B1[7..3]", "B1[7..2]"],
)
def test_a_length_in_every_customary_place(places):
    # a high byte that never moves is a byte of its own
    sizes = sizes_of([4, 6, 7, 9, 13] if " " not in places else [200, 257, 300, 310])
    assert found_in(sizes, places, sizes - 3) == [(places, rule(offset=3))]


@pytest.mark.parametrize("unit", [1, 2, 4, 8, 6])
def test_a_length_counts_more_than_bytes(unit):
    numbers = sizes_of([1, 2, 3, 5])
    assert found_in(numbers * unit + 2, "B1", numbers) == [("B1", rule(unit, 2))]


def test_three_lengths_count_bytes_alone():
    numbers = sizes_of([1, 2, 3])
    assert found_in(numbers + 4, "B1", numbers) == [("B1", rule(offset=4))]
    assert found_in(numbers * 2 + 4, "B1", numbers) == [], "three numbers fall on many a line"
    two = sizes_of([1, 2])
    assert found_in(two + 4, "B1", two) == []


def test_a_length_may_be_turned_round_and_more_than_the_payload():
    sizes = sizes_of([5, 6, 8, 11])
    assert found_in(sizes, "B0", ~sizes & 0xFF) == [("B0", rule(inverted=True))]
    assert found_in(sizes, "B0", sizes + 2) == [("B0", rule(offset=-2))]


def test_one_frame_that_disagrees_is_one_too_many():
    sizes = sizes_of([5, 6, 8, 11])
    values = sizes.copy()
    values[30] += 1
    assert found_in(sizes, "B0", values) == []


def test_eight_frames_are_enough():
    assert found_in(sizes_of([5, 6, 8, 11], 8), "B0", sizes_of([5, 6, 8, 11], 8)) != []
    assert found_in(sizes_of([5, 6, 8, 11], 7), "B0", sizes_of([5, 6, 8, 11], 7)) == []


@pytest.mark.parametrize(
    ("values", "number"),
    [
        (lambda sizes: sizes, "the number"),
        (lambda sizes: sizes - 3, "the number plus 3"),
        (lambda sizes: sizes + 1, "the number minus 1"),
        (lambda sizes: ~sizes & 0xFF, "the number with every bit turned round"),
    ],
)
def test_the_reason_says_how(values, number):
    sizes = sizes_of([5, 6, 8, 11])
    (found,) = lengths(frames_of(sizes, "B0", values(sizes)))
    assert found.reason == f"As many bytes are in the payload as {number} says, in all 60 frames of 4 lengths."
    assert (found.frames, found.against, found.confidence) == (60, 0, 0.97)


def padded(padding, used, spoilt=0, offset=0, place="B0"):
    """Return payloads of eight bytes of which so many are used, the others padding; some end in what looks like it."""
    used = np.asarray(used)
    matrix = np.random.default_rng(3).integers(1, 40, (len(used), 8)).astype(np.uint8)
    put(matrix, place, used - offset)
    matrix[np.arange(8) >= used[:, None]] = padding
    rows = np.flatnonzero(used > 2)[:spoilt]
    matrix[rows, used[rows] - 1] = padding
    return KindFrames(
        np.arange(len(used), dtype=np.uint32), np.arange(len(used)), np.full(len(used), 8, np.uint32), matrix
    )


USED = np.resize([3, 4, 5, 6, 7, 8], 60)


@pytest.mark.parametrize("padding", [0x00, 0xFF, 0x55, 0xAA, 0xCC])
def test_what_stands_before_padding_is_counted(padding):
    (found,) = lengths(padded(padding, USED, offset=1))
    assert (found.parameters, found.confidence) == (rule(offset=1), 0.97)
    assert found.reason.startswith(f"As many bytes stand before padding of 0x{padding:02X} as the number plus 1 says, ")
    assert found.reason.endswith("in all 60 frames of 6 lengths.")
    assert lengths(padded(0x77, USED)) == [], "that is no customary padding"


def test_a_byte_that_is_used_may_look_like_padding_in_a_fifth_of_frames():
    (found,) = lengths(padded(0xFF, USED, spoilt=12))
    assert (found.frames, found.against, found.confidence) == (48, 12, 0.8)
    assert lengths(padded(0xFF, USED, spoilt=13)) == []


def test_four_lengths_before_padding_are_enough():
    assert len(lengths(padded(0xFF, np.resize([3, 4, 5, 6], 60)))) == 1
    assert lengths(padded(0xFF, np.resize([3, 4, 5], 60))) == []


def test_it_counts_from_its_own_end_at_most():
    assert len(lengths(padded(0xFF, USED + 0, offset=1))) == 1
    assert lengths(padded(0xFF, USED, offset=2)) == [], "of a length in the first byte, one byte may go before"
    assert len(lengths(padded(0xFF, USED, offset=2, place="B1"))) == 1
