from fractions import Fraction
from uuid import uuid4

import msgspec
import pytest

from zesty_abacus.core.layouts.model import (
    Applies,
    Computed,
    Counter,
    Crc,
    Expression,
    FieldKind,
    NamedValue,
    RawSet,
    Reserved,
    Run,
    Selected,
    Sum,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.parts.group import Group
from zesty_abacus.core.layouts.places import Places
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
        ([], {"applies": Applies(address=0x100, to=0x10F, mask=0x7F0)}, "A span of addresses and a mask cannot both"),
        ([], {"applies": Applies(address=0x100, to=0xFF)}, "The span of addresses ends at 0xff, before it begins."),
        ([], {"applies": Applies(address=0x100, to=0x800)}, "11-bit"),
        ([], {"applies": Applies(address=0x100, pattern="A")}, "A"),
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


@pytest.mark.parametrize("applies", [
    Applies(address=0x100, to=0x100), Applies(address=0x100, to=0x7FF), Applies(address=0x100, mask=0x7F0),
    Applies(address=0x7FF), Applies(address=(1 << 29) - 1, extended=True), Applies(address=0x100, pattern="A5 ?1"),
])  # fmt: skip
def test_what_is_just_accepted_of_when_it_applies(applies):
    assert sentences(applies=applies) == []


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


# numbers that checks hold: the limit is accepted, what lies beside it told


FIELD = new_field("check", at("B0 B1"))


@pytest.mark.parametrize(
    ("check", "attribute", "good", "bad"),
    [
        (Crc(id=uuid4(), name="c", field=FIELD.id, width=16, polynomial=1), "polynomial", (0, 0xFFFF), (-1, 0x10000)),
        (Crc(id=uuid4(), name="c", field=FIELD.id, width=16, polynomial=1), "start", (0, 0xFFFF), (-1, 0x10000)),
        (Crc(id=uuid4(), name="c", field=FIELD.id, width=16, polynomial=1), "final", (0, 0xFFFF), (-1, 0x10000)),
        (Crc(id=uuid4(), name="c", field=FIELD.id, width=16, polynomial=1), "width", (1, 64), (0, 65)),
        (Sum(id=uuid4(), name="s", field=FIELD.id), "start", (0, 2**64 - 1), (-1, 2**64)),
        (Sum(id=uuid4(), name="s", field=FIELD.id), "width", (0, 64), (-1, 65)),
        (Counter(id=uuid4(), name="n", field=FIELD.id), "step", (-1, 2**62), (2**70, -(2**70), 0)),
        (Counter(id=uuid4(), name="n", field=FIELD.id), "wraps_at", (2, 65536), (1, 65537, 2**70)),
        (Reserved(id=uuid4(), name="r", places=at("B2")), "value", (0, 255), (-1, 256)),
    ],
)  # fmt: skip
def test_numbers_of_checks_have_limits(check, attribute, good, bad):
    def problems(value):
        changed = msgspec.structs.replace(check, **{attribute: value})
        return [one.attribute for one in check_layout(layout_with(FIELD, checks=(changed,)))]

    for value in good:
        assert problems(value) == [] or (attribute, value) == ("step", 2**62), value
    for value in bad:
        assert attribute in problems(value) or problems(value) == ["polynomial"], value


@pytest.mark.parametrize("text", ["none", "minus"])
def test_what_a_run_means_is_looked_at(text):
    field = new_field("t", Places(()), FieldKind.TEXT, encoding=text)
    run = Run(id=uuid4(), name="run", field=field)
    assert [one.attribute for one in check_layout(layout_with(parts=(run,), size=0))] == ["encoding"]


@pytest.mark.parametrize(("depth", "good"), [(8, True), (9, False)])
def test_parts_lie_eight_deep_and_no_deeper(depth, good):
    inner = ()
    for level in range(depth):
        inner = (Group(id=uuid4(), name=f"part {level}", size=1, parts=inner),)
    found = [one.sentence for one in check_layout(new_layout("m", Applies(address=1), 8, parts=inner))]
    assert found == ([] if good else ["Parts lie more than 8 deep."])


@pytest.mark.parametrize(("kind", "places", "said"), [
    (FieldKind.FLOAT, "B0..B3", "page is floating point and cannot select."),
    (FieldKind.TEXT, "B0..B3", "page is text and cannot select."),
    (FieldKind.BYTES, "B0..B3", "page is raw bytes and cannot select."),
    (FieldKind.UNSIGNED, "B0", ""), (FieldKind.SIGNED, "B0", ""), (FieldKind.FLAG, "B0[0]", ""),
])  # fmt: skip
def test_what_is_no_whole_number_selects_nothing(kind, places, said):
    page = new_field("page", at(places), kind)
    own = new_field("own", at("B5"), selected=Selected(page.id, RawSet.of(1)))
    assert sentences(page, own) == ([said] if said else [])


def test_what_selects_is_there_and_not_itself_and_for_some_value():
    page, other = new_field("page", at("B0")), new_field("other", at("B1"))
    circle = msgspec.structs.replace(page, selected=Selected(other.id, RawSet.of(1)))
    back = msgspec.structs.replace(other, selected=Selected(page.id, RawSet.of(1)))
    assert sentences(circle, back) == ["page selects itself in a circle.", "other selects itself in a circle."]
    assert sentences(circle) == ["page depends on a field that is not in the layout."]
    never = msgspec.structs.replace(other, selected=Selected(page.id, RawSet([])))
    assert sentences(page, never) == ["other is present for no value of page."]


@pytest.mark.parametrize(
    ("settings", "complaint"),
    [
        ({"name": " "}, "The computed value has no name."),
        ({"name": "a"}, "Two values are called a."),
        ({"low": Fraction(2), "high": Fraction(1)}, "twice has its low limit above its high limit."),
        ({"names": (NamedValue(1, "x"), NamedValue(1, "y"))}, "twice names the value 1 twice"),
        ({"names": (NamedValue(5, "x", to=3),)}, "twice names the value 5 twice, or a span that ends before it begins"),
    ],
)
def test_what_is_wrong_with_a_computed_value(settings, complaint):
    value = Computed(**{"id": uuid4(), "name": "twice", "expression": Expression("a * 2")} | settings)
    assert any(complaint in one for one in sentences(new_field("a", at("B0")), computed=(value,)))


@pytest.mark.parametrize(
    "settings", [{}, {"low": Fraction(1), "high": Fraction(1)}, {"names": (NamedValue(3, "x", to=3),)}]
)
def test_what_is_just_accepted_of_a_computed_value(settings):
    value = Computed(id=uuid4(), name="twice", expression=Expression("a * 2"), **settings)
    assert sentences(new_field("a", at("B0")), computed=(value,)) == []
