"""What a comment beside a member of a struct says of its field, and how wide the member is."""

from fractions import Fraction

import pytest

from zesty_abacus.core.generate.carried_fields import CarriedField
from zesty_abacus.core.layouts.fields import FieldKind, new_field
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.places import parse_places as at


@pytest.mark.parametrize(
    ("places", "settings", "words", "bits"),
    [
        ("B0", {}, "unsigned, B0", 8), ("B1 B0[0]", {}, "unsigned, B1 B0[0]", 16),
        ("B2 B1 B0", {"kind": FieldKind.SIGNED}, "signed, B2..B0", 32),
        ("B0..B4", {"ratio": Fraction(1, 8)}, "unsigned, B0..B4 times 1/8", 64),
        ("B0", {"offset": Fraction(-40), "unit": "degC"}, "unsigned, B0 times 1 minus 40, degC", 8),
        ("B0", {"ratio": Fraction(3), "offset": Fraction(1)}, "unsigned, B0 times 3 plus 1", 8),
        ("B0[1]", {"kind": FieldKind.FLAG}, "flag, B0[1]", 8),
    ],
)  # fmt: skip
def test_a_comment_says_kind_place_scale_and_unit(places, settings, words, bits):
    one = CarriedField.placed(new_field("a", at(places), **settings), "a")
    assert (one.read_as, one.bits) == (words, bits)


def test_text_has_a_length_and_no_bits():
    one = CarriedField.placed(new_field("name", at("B0..B4"), FieldKind.TEXT), "name")
    assert (one.bits, one.length, one.read_as) == (0, 5, "text, B0..B4")


@pytest.mark.parametrize(("settings", "lowest", "highest"), [
    ({"base": 10}, -(2**63), 2**63 - 1), ({"base": 16}, 0, 2**64 - 1),
    ({"base": 16, "kind": FieldKind.SIGNED, "digits": 4}, -(2**63), 2**63 - 1),
])  # fmt: skip
def test_a_number_in_characters_is_as_large_as_the_member_that_holds_it(settings, lowest, highest):
    one = CarriedField.moved(new_field("depth", Places(()), **settings), "depth", 0)
    assert (one.raw_range, one.bits, one.is_signed) == ((lowest, highest), 64, lowest < 0)


@pytest.mark.parametrize(("width", "bits"), [(1, 8), (8, 8), (9, 16), (16, 16), (17, 32), (32, 32), (33, 64), (64, 64)])
def test_a_member_is_the_smallest_that_holds_the_bits(width, bits):
    places = Places(range(width - 1, -1, -1))
    assert CarriedField.placed(new_field("a", places), "a").bits == bits
