"""Constants, counters and what is turned round: each limit at, below and above, with the figures reckoned by hand."""

import numpy as np
import pytest

from tests.unravel.made import places_of, put, seen_of
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.unravel.questions.complements import complements, copied
from zesty_abacus.core.unravel.questions.constants import constants
from zesty_abacus.core.unravel.questions.counters import counters

RANDOM = np.random.default_rng(7)


def free(size):
    return np.ones(size * 8, np.bool_)


# what never moves


def test_runs_that_stay_the_same_in_order_of_place():
    matrix = np.zeros((40, 3), np.uint8)
    matrix[:] = 0xA5, 0, 0x81
    put(matrix, "B1[4..3]", np.arange(40))
    found = constants(seen_of(matrix), free(3))
    assert [(places_of(one), one.parameters) for one in found] == [
        ("B0 B1[7..5]", {"value": 0xA5 << 3}), ("B1[2..0] B2", {"value": 0x81})
    ]  # fmt: skip
    assert found[0].reason == "It is 0x528 in all 40 frames." and found[1].reason == "It is 0x081 in all 40 frames."
    # the more frames there are the less likely it moves elsewhere: 1 - 1 / (2 + 40 / 4)
    assert found[0].confidence == pytest.approx(11 / 12)
    owned = free(3)
    owned[list(parse_places("B0 B1[7..5] B1[2..0] B2[6..0]").bits)] = False
    (bit,) = constants(seen_of(matrix), owned)
    assert (places_of(bit), bit.reason) == ("B2[7]", "The bit is 1 in all 40 frames.")


@pytest.mark.parametrize(("size", "shown"), [(8, "0102030405060708"), (9, "0102030405060708… (18 digits)")])
def test_of_a_long_constant_sixteen_digits_are_shown(size, shown):
    (found,) = constants(seen_of(np.tile(np.arange(1, size + 1, dtype=np.uint8), (8, 1))), free(size))
    assert found.reason == f"It is 0x{shown} in all 8 frames." and found.confidence == 0.75


# what counts


def counting(values, places="B1[3..0]", size=3):
    return counters(seen_of(put(np.zeros((len(values), size), np.uint8), places, values)), free(size))


@pytest.mark.parametrize("step", [1, 3, 5, -1, -7])
def test_a_counter_goes_by_any_step_that_meets_every_value(step):
    (found,) = counting(np.arange(33) * step % 16)
    assert (places_of(found), found.parameters) == ("B1[3..0]", {"step": step, "wraps_at": 16})
    way = "up" if step > 0 else "down"
    assert found.reason == (
        f"It goes {way} by {abs(step)} from frame to frame in all 32 pairs and begins again after 16 values."
    )
    # 32 pairs that agree in one of 16 values each: 128 bits, and 60 are enough
    assert (found.frames, found.against, found.confidence) == (32, 0, pytest.approx(0.99))


def test_few_pairs_say_less():
    (found,) = counting(np.arange(9))
    assert (found.frames, found.parameters["wraps_at"]) == (8, 16)
    assert found.confidence == pytest.approx(0.6 + 0.39 * 8 * 4 / 60)
    assert counting(np.arange(8)) == [], "seven pairs are too few"


def test_a_wrap_that_was_seen_is_told():
    (found,) = counting(np.arange(40) % 10)
    assert found.parameters == {"step": 1, "wraps_at": 10}


def stuck(pairs, misses):
    """Return values that stay once every few frames."""
    moves = np.ones(pairs, np.int64)
    moves[np.linspace(3, pairs - 4, misses).astype(int)] = 0
    return np.concatenate([[0], np.cumsum(moves)]) % 16


def test_seven_of_a_hundred_may_be_lost():
    (found,) = counting(stuck(100, 7))
    assert (found.frames, found.against) == (93, 7)
    assert "in 93 of 100 pairs" in found.reason and found.confidence == pytest.approx(0.6 + 0.39 * 0.93)
    assert counting(stuck(100, 8)) == []


@pytest.mark.parametrize("places", ["B1 B0", "B0 B1", "B1[3..0] B0[7..4]"])
def test_a_counter_over_bytes_in_either_order(places):
    values = np.arange(24_000) * 3 % (1 << len(parse_places(places).bits))
    (found,) = counting(values, places)
    assert (places_of(found), found.parameters["step"]) == (places, 3)


def test_no_counter_is_wider_than_32_bits():
    values = np.arange(400, dtype=np.int64) * 0x0F_1234_5671
    found = counting(values, "B5 B4 B3 B2 B1 B0", 6)[0]
    assert places_of(found) == "B3..B0" and len(found.bits) == 32 and found.parameters["step"] == 0x1234_5671


# what is turned round


def turned(frames, misses, width_places=("B0", "B2"), values=None):
    matrix = np.zeros((frames, 4), np.uint8)
    one, other = width_places
    raw = RANDOM.integers(0, 1 << 16, frames) if values is None else np.resize(values, frames)
    put(matrix, one, raw)
    put(matrix, other, ~raw)
    bit = parse_places(other).bits[-1]
    # where they are wrong stands in the middle, as the first fifty frames are looked at first
    matrix[frames // 2 : frames // 2 + misses, bit // 8] ^= 0x11 if bit % 8 == 0 else 1 << bit % 8
    return complements(seen_of(matrix), free(4))


@pytest.mark.parametrize("pair", [("B0", "B2"), ("B0 B1", "B2 B3"), ("B0[3..0]", "B1[7..4]"), ("B2[3..0]", "B2[7..4]")])
def test_bits_turned_round_of_every_width(pair):
    earlier, later = sorted(pair, key=lambda one: parse_places(one).bits[-1])
    (found,) = turned(200, 0, pair)
    assert (places_of(found), found.parameters) == (later, {"of": earlier})
    assert found.reason == f"Every bit is that of {earlier} turned round in all 200 frames."
    assert (found.frames, found.against, found.confidence) == (200, 0, 0.97)


def test_two_of_a_hundred_frames_may_be_spoilt():
    (found,) = turned(200, 4)
    assert (found.frames, found.against) == (196, 4) and found.confidence == pytest.approx(0.97 * 0.98)
    assert found.reason.endswith("in 196 of 200 frames.")
    assert turned(200, 5) == []


def test_two_values_turned_round_are_an_accident():
    assert turned(200, 0, values=[3, 5]) == []
    assert len(turned(200, 0, values=[3, 5, 6])) == 1


def test_copies_are_known_plain_and_turned_round():
    matrix = RANDOM.integers(0, 256, (100, 5), np.uint8)
    matrix[:, 2], matrix[:, 4] = matrix[:, 0], ~matrix[:, 1]
    matrix[:2, 2] ^= 1
    matrix[:2, 4] ^= 1
    assert copied(seen_of(matrix)).reshape(5, 8).all(axis=1).tolist() == [True, True, True, False, True]
    matrix[2, 2] ^= 1
    assert copied(seen_of(matrix)).reshape(5, 8).any(axis=1).tolist() == [False, True, False, False, True]
    matrix[:, :] = np.resize([[1, 1, 2, 3, 4], [9, 9, 2, 3, 4]], (100, 5))
    assert not copied(seen_of(matrix)).any(), "of two values nothing is told"
