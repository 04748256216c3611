"""Layouts of one identifier are told, with the numbers in which they differ."""

from fractions import Fraction

import msgspec
import pytest

from zesty_abacus.core.layouts.apart import apart
from zesty_abacus.core.layouts.clashes import clashes
from zesty_abacus.core.layouts.fields import FieldKind, new_field
from zesty_abacus.core.layouts.model import Applies, new_layout
from zesty_abacus.core.layouts.places import parse_places as at

FIELD = new_field("heel", at("B1 B0"), FieldKind.SIGNED, ratio=Fraction(1, 20), offset=Fraction(-40), unit="deg")


def _other(**changes):
    return msgspec.structs.replace(FIELD, **changes)


@pytest.mark.parametrize(
    ("other", "words"),
    [
        (FIELD, []),
        (_other(ratio=Fraction(20)), ["the ratio is the wrong way round: step 0.05 in A, 20 in B"]),
        (_other(ratio=Fraction(1, 10)), ["step 0.05 in A, 0.1 in B"]),
        (_other(offset=Fraction(-80)), ["the offset is doubled: offset -40 in A, -80 in B"]),
        (_other(offset=Fraction(40)), ["the sign of the offset is turned: offset -40 in A, 40 in B"]),
        (_other(places=at("B0 B1")), ["the order of its bytes is turned round: B1 B0 in A, B0 B1 in B"]),
        (_other(places=at("B0")), ["bits 16 in A, 8 in B"]),
        (_other(places=at("B3 B2")), ["places B1 B0 in A, B3 B2 in B"]),
        (_other(kind=FieldKind.UNSIGNED), ["sign with in A, without in B"]),
        (_other(kind=FieldKind.SIGN_MAGNITUDE), ["kind signed in A, sign-magnitude in B"]),
        (_other(unit=""), ["unit deg in A, no unit in B"]),
    ],
)
def test_each_difference_is_said_in_numbers(other, words):
    assert [one.words("A", "B") for one in apart(FIELD, other)] == words


def _layout(name, *fields, **applies):
    return new_layout(name, Applies(**{"address": 0x2A0, **applies}), 8, list(fields))


def test_a_clash_says_who_and_in_what():
    sender, receiver = _layout("Pod", FIELD), _layout("Pod as read", _other(ratio=Fraction(20)))
    (clash,) = clashes([sender, receiver, _layout("Other", address=0x2A1)])
    assert clash.sentence() == (
        "Pod and Pod as read both read 0x2A0. They differ in heel: the ratio is the wrong way round: step 0.05 in Pod, "
        "20 in Pod as read."
    )
    assert clash.differences() == ("heel: the ratio is the wrong way round: step 0.05 in Pod, 20 in Pod as read",)


def test_equal_ones_are_told_without_numbers_and_pages_not_at_all():
    (clash,) = clashes([_layout("A", FIELD, lanes=("port",)), _layout("B", FIELD, lanes=("port", "starboard"))])
    assert clash.sentence() == "A and B both read 0x2A0 on port."
    assert clashes([_layout("A", pattern="01"), _layout("B", pattern="02")]) == []
    assert clashes([_layout("A", lanes=("port",)), _layout("B", lanes=("starboard",))]) == []


def test_many_differences_are_counted():
    wrong = [_other(name=name, unit="") for name in "abcde"]
    (clash,) = clashes([_layout("A", *(_other(name=name) for name in "abcde")), _layout("B", *wrong)])
    assert clash.sentence().endswith("c: unit deg in A, no unit in B and 2 more.")
