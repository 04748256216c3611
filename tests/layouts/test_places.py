import contextlib

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import places_within
from zesty_abacus.core.layouts.places import MAX_BYTE, Places, PlacesError, format_places, parse_places, places_of


def bits(*pairs: tuple[int, int]) -> tuple[int, ...]:
    return tuple(byte * 8 + bit for byte, bit in pairs)


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("B3[3..0] B2", bits((3, 3), (3, 2), (3, 1), (3, 0), *((2, n) for n in range(7, -1, -1)))),
        ("B0 B1[7..4]", bits(*((0, n) for n in range(7, -1, -1)), (1, 7), (1, 6), (1, 5), (1, 4))),
        ("B4[2] B0[7]", bits((4, 2), (0, 7))),
        ("B0[0..7]", bits(*((0, n) for n in range(8)))),
        ("R1", bits(*((2, n) for n in range(7, -1, -1)), *((3, n) for n in range(7, -1, -1)))),
        ("R0[15]", bits((0, 7))),
        ("R0[0]", bits((1, 0))),
        ("b1, b0", bits(*((1, n) for n in range(7, -1, -1)), *((0, n) for n in range(7, -1, -1)))),
    ],
)
def test_notation_means_these_bits(text, expected):
    assert parse_places(text).bits == expected


def test_runs_over_bytes_and_registers():
    assert parse_places("B3..B0") == parse_places("B3 B2 B1 B0")
    assert parse_places("R0..R1") == parse_places("B0 B1 B2 B3")
    assert parse_places("R1 R0") == parse_places("B2 B3 B0 B1")


@given(places_within(64))
def test_printing_and_parsing_is_the_identity(places):
    assert parse_places(str(places)) == places
    assert parse_places(format_places(places, registers=True)) == places


@pytest.mark.parametrize(
    ("text", "printed"),
    [("B3 B2 B1 B0", "B3..B0"), ("B0 B1", "B0 B1"), ("B0[7] B0[6] B0[5]", "B0[7..5]"), ("B1[7..0]", "B1")],
)
def test_prints_the_fewest_runs(text, printed):
    assert str(parse_places(text)) == printed


def test_prints_registers():
    assert format_places(parse_places("R1 R0"), registers=True) == "R1 R0"
    assert format_places(parse_places("B1 B2"), registers=True) == "B1 B2"


@pytest.mark.parametrize(
    ("text", "complaint"),
    [
        ("", "no bits"),
        ("B", "'B' is not a run of bits"),
        ("B0 X1", "'X1' is not a run of bits"),
        ("B0[8]", "bit 8"),
        ("R0[16]", "bit 16"),
        ("B0..R1", "mixes"),
        ("B0 B0[3]", "B0[3] is named twice"),
        (f"B{MAX_BYTE + 1}", "outside"),
        ("B0..B999999", "outside"),
    ],
)
def test_says_what_is_wrong(text, complaint):
    with pytest.raises(PlacesError) as caught:
        parse_places(text)
    assert complaint in str(caught.value)


@given(st.text(max_size=40))
def test_any_text_is_a_place_or_an_error(text):
    with contextlib.suppress(PlacesError):
        assert len(parse_places(text)) > 0


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("B0", ""),
        ("B1 B0", "low byte first"),
        ("B0 B1", "high byte first"),
        ("B3[3..0] B2", "low byte first"),
        ("R1 R0", "bytes in own order"),
        ("B0[0..7]", "bits in own order"),
        ("B0[7] B1[3] B0[2]", "bits in own order"),
    ],
)
def test_says_the_order_in_words(text, words):
    assert parse_places(text).order_words() == words


def test_other_order_is_its_own_inverse():
    places = parse_places("B3[3..0] B2")
    assert str(places.other_order()) == "B2 B3[3..0]"
    assert places.other_order().other_order() == places


@given(st.sets(st.integers(0, 63), min_size=1))
def test_customary_orders_hold_the_same_bits(chosen):
    low = places_of(chosen, low_byte_first=True)
    high = places_of(chosen, low_byte_first=False)
    assert set(low) == set(high) == chosen
    assert low.other_order() == high


def test_is_a_value():
    assert parse_places("B0 B1") == parse_places("B0..B1") and hash(Places([7])) == hash(Places([7]))
    assert Places([7]) != Places([6])
