"""Bits that never moved beside a number, and a reference that says they belong to it."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest

from tests.unravel.made import SECOND, meaning_of, message, put, slow
from zesty_abacus.core.unravel.drafts import drafts
from zesty_abacus.core.unravel.look import unravel
from zesty_abacus.core.unravel.resting import wider_of
from zesty_abacus.core.values.reference import ReferenceColumn

COUNT = 2_000
TIMES = np.arange(COUNT) * 0.05


def looked_at(matrix, values, gain=0.01, offset=0.0, noise=0.0):
    """Return what is found with a reference that is a number times a gain, and the reference."""
    times = np.round(TIMES * SECOND).astype(np.int64)
    readings = values * gain + offset + np.random.default_rng(5).normal(0, 1, COUNT) * noise
    course = ReferenceColumn("log.csv", "course", "deg", times, readings)
    return unravel(meaning_of(message(TIMES, matrix)), references=[course]), course


def found_in(values, places, *, rest=0, **reference):
    """Return the field that a reference follows and that finding, of frames of four bytes.

    Parameters
    ----------
    rest
        What bytes say that are not the number's.
    """
    matrix = put(np.full((COUNT, 4), rest, np.uint8), places, values)
    (kind,) = looked_at(matrix, values, **reference)[0].kinds
    (follows,) = [one for one in kind.findings if one.kind == "reference"]
    (field,) = [one for one in kind.findings if one.kind == "field"]
    assert field.places == follows.places and wider_of(field) == wider_of(follows)
    return field, follows


@pytest.mark.parametrize(("places", "low", "high", "wider", "more"), [
    ("B0 B1", 32_800, 36_000, "B0 B1", 32_768),
    ("B1 B0", 32_800, 36_000, "B1 B0", 32_768),
    ("B2[3..0] B3", 2_060, 4_000, "B2[3..0] B3", 2_048),
    ("B1", 65, 126, "B1[6..0]", 64),
    ("B2 B1 B0", 0x41_0100, 0x41_EFF0, "B2[6..0] B1 B0", 0x41_0000),
    # what moves does within a byte, and what rests may lie before it or behind it
    ("B0 B1", 0x8040, 0x807F, "B0 B1", 0x8040),
    ("B2 B1", 0x8040, 0x807F, "B2 B1", 0x8040),
])  # fmt: skip
def test_bits_that_are_worth_just_the_offset_belong_to_the_number(places, low, high, wider, more):
    field, follows = found_in(slow(COUNT, low=low, high=high), places)
    assert wider_of(field) == {"places": wider, "reading": "unsigned", "more": more}
    assert follows.parameters["gain"] == pytest.approx(0.01)
    assert follows.parameters["offset"] == pytest.approx(more / 100), "as it is without them"


def test_what_is_found_still_tiles_the_payload():
    values = slow(COUNT, low=32_800, high=36_000)
    (kind,) = looked_at(put(np.zeros((COUNT, 2), np.uint8), "B0 B1", values), values)[0].kinds
    assert sorted((one.kind, one.places) for one in kind.findings if one.kind in ("field", "constant")) == [
        ("constant", "B0[7..4]"), ("field", "B0[3..0] B1"),
    ]  # fmt: skip


@pytest.mark.parametrize(("low", "high", "places", "words"), [
    (2_060, 4_000, "B2[3..0] B3", "The bit above it never moved, but belongs to it: as unsigned number B2[3..0] B3"),
    (32_800, 36_000, "B0 B1", "The 4 bits above it never moved, but belong to it: as unsigned number B0 B1"),
])  # fmt: skip
def test_both_reasons_say_how_many_bits_and_what_they_make(low, high, places, words):
    for one in found_in(slow(COUNT, low=low, high=high), places):
        assert one.reason.endswith(f" {words} times 0.01 is course, without an offset.")


def test_a_number_that_stayed_below_zero_has_a_sign():
    field, _ = found_in(slow(COUNT, low=1_000, high=6_000) - 7_000, "B0 B1")
    assert wider_of(field) == {"places": "B0 B1", "reading": "signed", "more": -(1 << 13)}


def test_a_sign_is_repeated_to_the_end_of_its_byte():
    """What lies beyond is as likely a byte of its own that is never used."""
    field, _ = found_in(slow(COUNT, low=1_000, high=6_000) - 7_000, "B1 B2", rest=0xFF)
    assert wider_of(field)["places"] == "B1 B2"


def test_noise_of_the_reference_hides_nothing():
    field, _ = found_in(slow(COUNT, low=32_800, high=36_000), "B0 B1", noise=0.4)
    assert wider_of(field)["more"] == 32_768


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
    values = slow(COUNT, low=low, high=high)
    field, follows = found_in(values, "B0 B1" if low > 8_191 else "B1[4..0] B2", offset=offset, rest=rest)
    assert not wider_of(field) and words in follows.reason


def test_a_layout_has_the_whole_number_without_an_offset():
    values = slow(COUNT, low=32_800, high=36_000)
    found, course = looked_at(put(np.zeros((COUNT, 2), np.uint8), "B1 B0", values), values)
    ((layout, _),) = drafts(found, 0.9, [course])
    (field,) = layout.fields
    assert (str(field.places), field.kind.value) == ("B1 B0", "unsigned")
    assert (field.name, field.unit, field.ratio, field.offset) == ("course", "deg", Fraction(1, 100), 0)


def test_two_numbers_do_not_both_have_the_bits_between_them():
    """The byte between two numbers rests, and is worth the offset of either."""
    one, other = slow(COUNT, seed=1, low=2, high=250), slow(COUNT, seed=2, low=3, high=240)
    matrix = np.stack([one, np.full(COUNT, 1), other], axis=1)
    times = np.round(TIMES * SECOND).astype(np.int64)
    references = [ReferenceColumn("log.csv", f"n{at}", "", times, 256.0 + each) for at, each in enumerate((one, other))]
    found = unravel(meaning_of(message(TIMES, matrix)), references=references)
    (kind,) = found.kinds
    wide = [one.places for one in kind.findings if one.kind == "field" and wider_of(one)]
    assert len(wide) == 1
    ((layout, _),) = drafts(found, 0.5, references)
    assert len(layout.fields) == 2, "the other one is kept as it was seen"
    assert sorted(int(field.offset) for field in layout.fields) == [0, 256]
