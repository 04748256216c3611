from fractions import Fraction
from uuid import uuid4

import msgspec
import pytest

from zesty_abacus.core.layouts.model import Applies, FieldKind, NamedValue, RawSet, Selected, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.validate import check_layout


def layout_with(*fields, **head):
    settings = {"name": "Message", "applies": Applies(address=0x100), "size": 8, **head}
    return msgspec.structs.replace(new_layout("", Applies(address=0), 8, fields), **settings)


def sentences(*fields, **head):
    return [problem.sentence for problem in check_layout(layout_with(*fields, **head))]


def test_a_good_layout_has_no_problem():
    assert sentences(new_field("a", at("B0")), new_field("b", at("B1 B2"), FieldKind.SIGNED)) == []


@pytest.mark.parametrize(
    ("fields", "head", "complaint"),
    [
        ([], {"name": " "}, "no name"),
        ([], {"size": 65}, "0 to 64 bytes"),
        ([], {"applies": Applies(address=0x800)}, "11-bit"),
        ([], {"applies": Applies(address=1 << 29, extended=True)}, "29-bit"),
        ([new_field("a", at("B8"))], {}, "ends after byte 7"),
        ([new_field("a", at("B0")), new_field("b", at("B0[3]"))], {}, "b overlaps a at byte 0, bit 3"),
        ([new_field("a", at("B0")), new_field("a", at("B1"))], {}, "Two fields are called a"),
        ([new_field("", at("B0"))], {}, "no name"),
        ([new_field("a", at("B0..B7 B8"))], {"size": 9}, "at most 64"),
        ([new_field("a", at("B0[1..0]"), FieldKind.FLAG)], {}, "one bit"),
        ([new_field("a", at("B0"), FieldKind.FLOAT)], {}, "16, 32 or 64"),
        ([new_field("a", at("B0[3..0]"), FieldKind.TEXT)], {}, "whole bytes"),
        ([new_field("a", at("B0"), FieldKind.TEXT, encoding="klingon")], {}, "klingon"),
        ([new_field("a", at("B0"), ratio=Fraction(0))], {}, "ratio 0"),
        ([new_field("a", at("B0"), low=Fraction(2), high=Fraction(1))], {}, "low limit above"),
        ([new_field("a", at("B0"), FieldKind.NAMES)], {}, "none has a name"),
        ([new_field("a", at("B0[1..0]"), names=(NamedValue(4, "x"),))], {}, "holds 0 to 3"),
        ([new_field("a", at("B0"), names=(NamedValue(1, "x"), NamedValue(1, "y")))], {}, "twice"),
        ([new_field("a", at("B0"), FieldKind.SIGNED, unavailable=RawSet.of(128))], {}, "cannot occur"),
        ([new_field("a", at("B0"), selected=Selected(uuid4(), (1,)))], {}, "not in the layout"),
    ],
)
def test_says_what_is_wrong_in_a_sentence(fields, head, complaint):
    assert any(complaint in sentence for sentence in sentences(*fields, **head))


def test_fields_that_exclude_each_other_may_share_bits():
    page = new_field("page", at("B0"))
    first = new_field("a", at("B1"), selected=Selected(page.id, RawSet.of(0)))
    second = new_field("b", at("B1"), selected=Selected(page.id, RawSet.of(1)))
    both = new_field("c", at("B1"), selected=Selected(page.id, RawSet.of(1, 2)))
    assert sentences(page, first, second) == []
    assert sentences(page, second, both) == ["c overlaps b at byte 1, bit 0."]


def test_nested_selectors_exclude_through_the_chain():
    page = new_field("page", at("B0"))
    sub = new_field("sub", at("B1"), selected=Selected(page.id, RawSet.of(1)))
    deep = new_field("deep", at("B2"), selected=Selected(sub.id, RawSet.of(5)))
    other = new_field("other", at("B2"), selected=Selected(page.id, RawSet.of(2)))
    assert sentences(page, sub, deep, other) == []


def test_a_circle_of_selectors_is_found():
    a, b = new_field("a", at("B0")), new_field("b", at("B1"))
    a = msgspec.structs.replace(a, selected=Selected(b.id, RawSet.of(0)))
    b = msgspec.structs.replace(b, selected=Selected(a.id, RawSet.of(0)))
    assert any("circle" in sentence for sentence in sentences(a, b))


def test_a_problem_names_the_field_and_the_attribute():
    field = new_field("a", at("B9"))
    problem = check_layout(layout_with(field))[0]
    assert (problem.field, problem.attribute) == (field.id, "places")
