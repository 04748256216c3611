"""Start bits of papers against plain arithmetic on the whole payload as one number."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.exchange.bit_numbering import BitNumbering, Example, all_numberings, numberings_that_give
from zesty_abacus.core.layouts.places import parse_places


def value_at(places, payload):
    """Read the bits one after the other, most significant first."""
    value = 0
    for bit in places.bits:
        value = value << 1 | payload[bit // 8] >> bit % 8 & 1
    return value


@st.composite
def stretches(draw):
    size = draw(st.integers(1, 12))
    width = draw(st.integers(1, min(64, size * 8)))
    return draw(st.binary(min_size=size, max_size=size)), draw(st.integers(0, size * 8 - width)), width


@given(stretches())
def test_low_byte_first_is_a_shift_of_the_little_endian_number(case):
    payload, start, width = case
    places = BitNumbering().places(start, width, low_byte_first=True)
    assert value_at(places, payload) == int.from_bytes(payload, "little") >> start & (1 << width) - 1


@given(stretches())
def test_counted_from_the_highest_bit_it_is_a_shift_of_the_big_endian_number(case):
    payload, start, width = case
    sent = BitNumbering(bit_0_is_lowest=False, start_is="highest")
    places = sent.places(start, width, low_byte_first=False)
    shift = len(payload) * 8 - start - width
    assert value_at(places, payload) == int.from_bytes(payload, "big") >> shift & (1 << width) - 1


@given(stretches(), st.sampled_from(all_numberings(with_byte=False)), st.booleans())
def test_the_start_of_a_place_gives_the_place_again(case, numbering, low_first):
    _, first, width = case
    number = first + numbering.first_bit
    try:
        places = numbering.places(number, width, low_byte_first=low_first)
    except MisuseError:
        return
    if width > 8 or places.order_words():
        again = numbering.places(numbering.start_of(places), width, low_byte_first=low_first)
        assert again == places


@pytest.mark.parametrize(
    ("numbering", "start", "width", "low", "byte", "text"),
    [
        (BitNumbering(), 12, 12, True, None, "B2 B1[7..4]"),
        (BitNumbering(start_is="first"), 7, 12, False, None, "B0 B1[7..4]"),
        (BitNumbering(start_is="highest"), 23, 12, True, None, "B2 B1[7..4]"),
        (BitNumbering(start_is="lowest"), 12, 12, False, None, "B0 B1[7..4]"),
        (BitNumbering(first_bit=1, first_byte=1), 5, 4, True, 3, "B2[7..4]"),
        (BitNumbering(bit_0_is_lowest=False, start_is="highest"), 4, 4, False, 2, "B2[3..0]"),
    ],
)
def test_known_papers(numbering, start, width, low, byte, text):
    assert numbering.places(start, width, low_byte_first=low, byte=byte) == parse_places(text)


@given(stretches(), st.sampled_from(all_numberings(with_byte=False)), st.booleans())
def test_an_example_never_rules_out_the_numbering_that_made_it(case, numbering, low_first):
    _, first, width = case
    try:
        places = numbering.places(first + numbering.first_bit, width, low_byte_first=low_first)
    except MisuseError:
        return
    example = Example(start=first + numbering.first_bit, width=width, places=places)
    found = numberings_that_give([example])
    assert any(one == numbering and low in (None, low_first) for one, low in found)
    for one, low in found:
        assert one.places(example.start, width, low_byte_first=low is not False) == places or low is None


def test_two_examples_leave_one_way():
    examples = [
        Example(start=7, width=16, places=parse_places("B0 B1")),
        Example(start=19, width=4, places=parse_places("B2[3..0]")),
    ]
    ways = {(one.bit_0_is_lowest, one.start_is, low) for one, low in numberings_that_give(examples)}
    assert ways == {(True, "highest", False), (True, "first", False)}


def test_what_lies_nowhere_is_told():
    with pytest.raises(MisuseError, match="no place"):
        BitNumbering().places(-1, 4, low_byte_first=True)
    with pytest.raises(MisuseError, match="out of the front"):
        BitNumbering().places(0, 12, low_byte_first=False)
    assert numberings_that_give([Example(start=0, width=8, places=parse_places("B5"))]) == []
