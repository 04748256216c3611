"""What a vector promises of packing holds in the double arithmetic of every machine."""

from __future__ import annotations

from fractions import Fraction
from uuid import uuid4

import pytest

from tests.generate.compiled import Loaded, built, made_of
from zesty_abacus.core.generate.carried import carry
from zesty_abacus.core.generate.vectors import vectors_of
from zesty_abacus.core.layouts.model import Applies, Expression, FieldKind, Rule, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at

WIDE, NARROW = "{0} {1} {2} {3} {4} {5} {6} {7}", "{0} {1}"


def places(form, first):
    return at(form.format(*(f"B{first + k}" for k in range(8))))


def equation(text, form, ratio, offset=Fraction(0)):
    """A layout whose first field, which no equation gives, is its highest number while all its bits are zero."""
    a = new_field("a", places(form, 0), FieldKind.UNSIGNED, ratio=ratio, offset=offset, inverted=True)
    b = new_field("b", places(WIDE if form == WIDE else "{0} {1} {2}", 8), FieldKind.UNSIGNED)
    rule = Rule(id=uuid4(), name="equal", expression=Expression(text))
    return new_layout("Sums", Applies(address=5), 16, [a, b], checks=(rule,))


def promised(layout):
    (message,), _ = carry([layout], {"message": ("{}",), "field": ("{message}_{field}",)}, {})
    return [one for one in vectors_of(message, 6, seed=1) if one.comes_back]


@pytest.mark.parametrize("ratio", [Fraction(1, 10), Fraction(3, 7), Fraction(71, 226)])
@pytest.mark.parametrize("text", ["a + 1 == b", "round(a / 3) == b", "floor(a) == b"])
def test_numbers_that_no_double_holds_are_not_promised_to_come_back(text, ratio):
    assert not promised(equation(text, WIDE, ratio))


def test_a_half_that_a_double_misses_is_not_promised():
    """65535 thirtieths less a third, three times, is 6552.5: no double on the way is."""
    assert not promised(equation("a * 3 == b", NARROW, Fraction(1, 30), Fraction(-1, 3)))


def test_a_zero_that_a_machine_gives_a_sign_is_not_promised():
    """Nothing times -5/2 is nothing; a machine divides it by -5/2 and has the other zero."""
    a = new_field("a", at("B0 B1 B2 B3"), FieldKind.FLOAT, ratio=Fraction(-5, 2))
    b = new_field("b", at("B4"), FieldKind.UNSIGNED)
    rule = Rule(id=uuid4(), name="equal", expression=Expression("floor(b / 4) == a"))
    assert not promised(new_layout("Sums", Applies(address=5), 5, [a, b], checks=(rule,)))


@pytest.mark.parametrize(
    ("text", "ratio"),
    [("a + 1 == b", 1), ("round(a / 3) == b", 1), ("round(a / 3) == b", Fraction(1, 8)),
     ("floor(a) + 2 == b", Fraction(1, 8)), ("floor(a) + 2 == b", Fraction(3, 7))],
)  # fmt: skip
def test_what_is_promised_comes_back_from_c(tmp_path, text, ratio):
    layout = equation(text, NARROW, ratio)
    vectors = promised(layout)
    assert vectors
    loaded = Loaded(tmp_path, built(tmp_path, made_of([layout]), "-shared", "-fPIC"))
    for vector in vectors:
        result, struct = loaded.unpack("Sums", vector.payload)
        assert result == "ok"
        assert loaded.pack("Sums", bytes(16), struct) == ("ok", vector.payload)
