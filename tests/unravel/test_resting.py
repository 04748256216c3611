"""Bits that never moved beside a number, and a reference that says they belong to it."""

from __future__ import annotations

import numpy as np
import pytest

from tests.unravel.made import SECOND, findings_of, message, put, slow
from zesty_abacus.core.values.reference import ReferenceColumn

COUNT = 2_000
TIMES = np.arange(COUNT) * 0.05


def found_in(values, places, gain=0.01, offset=0.0, *, rest=0, noise=0.0):
    """Return the field that a reference follows, that finding and the resting bits, of frames of four bytes.

    Parameters
    ----------
    rest
        What bytes say that are not the number's.
    """
    matrix = put(np.full((COUNT, 4), rest, np.uint8), places, values)
    times = np.round(TIMES * SECOND).astype(np.int64)
    readings = values * gain + offset + np.random.default_rng(5).normal(0, 1, COUNT) * noise
    (found,) = findings_of(
        message(TIMES, matrix), references=[ReferenceColumn("log.csv", "course", "deg", times, readings)]
    ).values()
    (follows,) = [one for one in found if one.kind == "reference"]
    (field,) = [one for one in found if one.kind == "field"]
    assert field.places == follows.places
    return field, follows, sorted(one.places for one in found if one.kind == "constant")


@pytest.mark.parametrize(("places", "low", "high", "wider", "resting"), [
    ("B0 B1", 32_800, 36_000, "B0 B1", ["B2 B3"]),
    ("B1 B0", 32_800, 36_000, "B1 B0", ["B2 B3"]),
    ("B2[3..0] B3", 2_060, 4_000, "B2[3..0] B3", ["B0 B1 B2[7..4]"]),
    ("B1", 65, 126, "B1[6..0]", ["B0 B1[7]", "B2 B3"]),
    ("B2 B1 B0", 0x41_0100, 0x41_EFF0, "B2[6..0] B1 B0", ["B2[7]", "B3"]),
    # what moves does within a byte, and what rests may lie before it or behind it
    ("B0 B1", 0x8040, 0x807F, "B0 B1", ["B2 B3"]),
    ("B2 B1", 0x8040, 0x807F, "B2 B1", ["B0", "B3"]),
])  # fmt: skip
def test_bits_that_are_worth_just_the_offset_belong_to_the_number(places, low, high, wider, resting):
    field, follows, still = found_in(slow(COUNT, low=low, high=high), places)
    assert (field.places, field.parameters["reading"]) == (wider, "unsigned")
    assert still == resting
    assert follows.parameters["gain"] == pytest.approx(0.01)
    assert follows.parameters["offset"] == pytest.approx(0, abs=1e-6)
    assert follows.reason.startswith("course is the number times 0.01, with a correlation of 1.0000")


@pytest.mark.parametrize(("low", "high", "places", "words"), [
    (2_060, 4_000, "B2[3..0] B3", "1 bit above it never moved; with it the number is 2\u2009048 more"),
    (32_800, 36_000, "B0 B1", "4 bits above it never moved; with them the number is 32\u2009768 more"),
])  # fmt: skip
def test_the_reason_says_how_many_bits_and_what_they_are_worth(low, high, places, words):
    field, _, _ = found_in(slow(COUNT, low=low, high=high), places)
    assert field.reason.endswith(f" {words}, which is what course is off it otherwise.")


def test_a_number_that_stayed_below_zero_has_a_sign():
    field, follows, still = found_in(slow(COUNT, low=1_000, high=6_000) - 7_000, "B0 B1")
    assert (field.places, field.parameters["reading"], still) == ("B0 B1", "signed", ["B2 B3"])
    assert follows.parameters["offset"] == pytest.approx(0, abs=1e-6)
    assert "less, which is what course is off it otherwise." in field.reason


def test_noise_of_the_reference_hides_nothing():
    field, follows, _ = found_in(slow(COUNT, low=32_800, high=36_000), "B0 B1", noise=0.4)
    assert field.places == "B0 B1" and abs(follows.parameters["offset"]) < 0.5


@pytest.mark.parametrize(("low", "high", "offset", "rest", "words"), [
    # nothing is set above it
    (1_000, 6_000, -40.0, 0, "times 0.01 minus 40, with"),
    # what is set there is worth another offset
    (1_000, 6_000, 7.0, 0, "times 0.01 plus 7, with"),
    (32_800, 36_000, -300.0, 0, "times 0.01 plus 27.68, with"),
    # it is worth something, and the reference is the number as it is seen
    (1_000, 6_000, 0.0, 0x20, "times 0.01, with"),
])  # fmt: skip
def test_bits_that_are_worth_something_else_rest(low, high, offset, rest, words):
    field, follows, still = found_in(slow(COUNT, low=low, high=high), "B1[4..0] B2", offset=offset, rest=rest)
    assert "never moved" not in field.reason and "B0" in still[0]
    assert words in follows.reason
