import math
from fractions import Fraction

import numpy as np
import pytest

from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.codec.wording import decimals_of, frame_sentence, number_text, places_words, range_text
from zesty_abacus.core.layouts.model import Applies, FieldKind, NamedValue, RawSet, Selected, new_field, new_layout
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.places import parse_places as at


@pytest.mark.parametrize(
    ("value", "decimals", "text"),
    [
     (-37.5, 2, "−37.50"), (18256.17, 2, "18\u2009256.17"), (5, 0, "5"), (-0.001, 1, "0.0"),
     (float("nan"), 2, "not a number"), (math.inf, 2, "infinite"), (-math.inf, 0, "−infinite"),
     (12345, 0, "12\u2009345"), (1e12, 1, "1e+12"), (999999999999.0, 0, "999\u2009999\u2009999\u2009999"),
     (-2.5e13, 0, "−2.5e+13"),
     # three decimals are those of floats, whose size nobody knows beforehand
     (0.00049, 3, "0.00049"), (-1.25e-9, 3, "−1.25e−09"), (0.0006, 3, "0.001"), (0.00049, 2, "0.00"), (0.0, 3, "0.000"),
     (-0.04, 1, "0.0"), (-0.06, 1, "−0.1"), (7.0, 0, "7")],
)  # fmt: skip
def test_numbers_are_written_for_reading(value, decimals, text):
    assert number_text(value, decimals) == text


@pytest.mark.parametrize(
    ("ratio", "offset", "digits"),
    [("1/20", "0", 2), ("1", "-40", 0), ("0.1", "0.05", 2), ("1/3600", "0", 5), ("1/3", "0", 2),
     ("10/3", "0", 1), ("1000/3", "0", 0), ("1/10000", "0", 4), ("1/100000", "0", 6), ("1/7000000", "0", 6),
     ("3", "1/2", 1), ("-1/3", "0", 2)],
)  # fmt: skip
def test_decimals_show_every_step(ratio, offset, digits):
    assert decimals_of(new_field("a", at("B0"), ratio=Fraction(ratio), offset=Fraction(offset))) == digits
    field = new_field("a", at("B0..B3"), FieldKind.FLOAT, ratio=Fraction(ratio))
    assert decimals_of(field) == 3
    assert decimals_of(new_field("a", at("B0"), ratio=Fraction(ratio), polynomial=(Fraction(1), Fraction(2)))) == 2


def test_a_frame_is_said_in_one_sentence():
    page = new_field("page", at("B0[1..0]"), FieldKind.NAMES, names=(NamedValue(1, "oil"),))
    fields = [
        page,
        new_field("angle", at("B1"), FieldKind.SIGNED, ratio=Fraction(1, 2), unit="deg", high=Fraction(10)),
        new_field("limited", at("B0[7]"), FieldKind.FLAG),
        new_field("ready", at("B0[6]"), FieldKind.FLAG),
        new_field("heat", at("B2"), unit="°C", unavailable=RawSet.of(255)),
        new_field("hours", at("B3"), selected=Selected(page.id, RawSet.of(2))),
    ]
    layout = new_layout("m", Applies(address=1), 4, fields)
    matrix = np.zeros((1, 8), np.uint8)
    matrix[0, :4] = [0b0100_0001, 30, 255, 9]
    decoded = decode(compile_layout(layout), matrix, np.array([4], np.uint32))
    assert frame_sentence(decoded, 0) == "page oil, angle 15.0 deg (outside limits), ready, heat not available"


def test_order_is_said_in_words():
    assert places_words(new_field("a", at("B1 B0"), FieldKind.SIGNED)) == "signed, low byte first"


@pytest.mark.parametrize(
    ("places", "low", "high", "words"),
    [
        ("B0", 3.0, 12.0, "3 … 12"), ("B0", 5.0, 5.0, "5"), ("", 337.123456, 352.4, "337.12 … 352.40"),
        ("", 1.0, 2.0, "1 … 2"),
        ("", -0.00125, 0.0, "−0.00125 … 0.00000"), ("", float("nan"), float("nan"), "no value"),
    ],
)  # fmt: skip
def test_a_range_has_the_decimals_of_its_steps_or_as_many_as_count(places, low, high, words):
    """What stands in characters, or is worked out, has no steps: its values say how many digits there are."""
    field = new_field("heading", at(places) if places else Places(()))
    assert range_text(low, high, field) == words
