from fractions import Fraction

import numpy as np
import pytest

from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.codec.wording import decimals_of, frame_sentence, number_text, places_words
from zesty_abacus.core.layouts.model import Applies, FieldKind, NamedValue, RawSet, Selected, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at


@pytest.mark.parametrize(
    ("value", "decimals", "text"),
    [
     (-37.5, 2, "−37.50"), (18256.17, 2, "18\u2009256.17"), (5, 0, "5"), (-0.001, 1, "0.0"),
     (float("nan"), 2, "not a number")],
)  # fmt: skip
def test_numbers_are_written_for_reading(value, decimals, text):
    assert number_text(value, decimals) == text


@pytest.mark.parametrize(
    ("ratio", "offset", "digits"), [("1/20", "0", 2), ("1", "-40", 0), ("0.1", "0.05", 2), ("1/3600", "0", 5)]
)
def test_decimals_show_every_step(ratio, offset, digits):
    assert decimals_of(new_field("a", at("B0"), ratio=Fraction(ratio), offset=Fraction(offset))) == digits


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
