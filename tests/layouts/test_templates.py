"""What is dropped into a layout looks for the fields that it is meant for, or makes one where there is room."""

import pytest

from zesty_abacus.core.layouts.model import Applies, FieldKind, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.template import NothingToDoError
from zesty_abacus.core.layouts.templates import TEMPLATES

ADD = {template.name: template.add for template in TEMPLATES}


def layout_of(*fields, size=8):
    made = [new_field(name, at(places), kind) for name, places, kind in fields]
    return new_layout("m", Applies(address=1), size, made)


def whole(*named):
    """Return unsigned fields of a byte each, in order."""
    return [(name, f"B{number}", FieldKind.UNSIGNED) for number, name in enumerate(named)]


def field_of(layout, check):
    return layout.field(check.field).name


@pytest.mark.parametrize(
    ("fields", "chosen"),
    [
        (whole("a", "Alive count", "b"), "Alive count"), (whole("a", "b"), "a"),
        ([("count", "B0", FieldKind.SIGNED), ("b", "B1", FieldKind.UNSIGNED)], "b"),
        ([("a", "B0", FieldKind.SIGNED), ("count", "B1", FieldKind.SIGNED), ("c", "B2", FieldKind.UNSIGNED)], "c"),
    ],
)  # fmt: skip
def test_a_counter_counts_in_what_is_called_so_and_in_unsigned_fields_alone(fields, chosen):
    made = ADD["Counter"](layout_of(*fields))
    assert field_of(made, made.checks[0]) == chosen and made.checks[0].name == f"{chosen} goes up"
    with pytest.raises(NothingToDoError, match="needs an unsigned field"):
        ADD["Counter"](layout_of(("count", "B0", FieldKind.SIGNED)))


@pytest.mark.parametrize(
    ("template", "fields", "size", "name", "places", "last"),
    [
        ("Sum over the bytes before", whole("a", "Sum of all", "b"), 8, "Sum of all", "B1", "1"),
        ("Sum over the bytes before", whole("a"), 8, "check", "B7", "7"),
        ("Sum over the bytes before", whole("a", "b"), 2, "b", "B1", "1"),
        ("Exclusive or over the bytes before", whole("a", "XOR"), 8, "XOR", "B1", "1"),
        ("CRC-8, polynomial 0x2F", whole("a"), 8, "check", "B7", "7"),
        ("CRC-16, polynomial 0x1021, start 0xFFFF", whole("a"), 8, "check", "B6 B7", "6"),
        ("CRC-32, polynomial 0x04C11DB7, reflected", whole("a"), 8, "check", "B4..B7", "4"),
        ("CRC-16, polynomial 0x8005, reflected", [*whole("a"), ("b", "B7", FieldKind.UNSIGNED)], 8, "b", "B7", "7"),
    ],
)  # fmt: skip
def test_a_check_takes_the_field_that_is_called_so_or_the_last_free_bytes(template, fields, size, name, places, last):
    made = ADD[template](layout_of(*fields, size=size))
    check = made.checks[0]
    assert (field_of(made, check), str(made.field(check.field).places)) == (name, places)
    assert (str(check.coverage.first), str(check.coverage.end)) == ("0", last)


def test_a_check_needs_a_field_of_whole_bytes():
    with pytest.raises(NothingToDoError, match="whole bytes"):
        ADD["Sum over the bytes before"](layout_of(("a", "B0", FieldKind.SIGNED), ("b", "B1[3..0]", FieldKind.UNSIGNED),
                                                   size=2))  # fmt: skip


def test_a_complement_is_that_of_the_last_two_of_one_width():
    made = ADD["Complement of another field"](layout_of(*whole("a", "b", "c"), ("flag", "B4[0]", FieldKind.FLAG)))
    assert (made.field(made.checks[0].field).name, made.field(made.checks[0].of).name) == ("c", "b")
    with pytest.raises(NothingToDoError, match="two fields of one width"):
        ADD["Complement of another field"](layout_of(*whole("a"), ("b", "B1[2..0]", FieldKind.UNSIGNED)))
    with pytest.raises(NothingToDoError, match="two fields of one width"):
        ADD["Complement of another field"](layout_of(("a", "B0[0]", FieldKind.FLAG), ("b", "B0[1]", FieldKind.FLAG)))


def test_reserved_bits_are_those_that_nobody_owns_and_no_more_than_a_number_holds():
    made = ADD["Reserved bits"](layout_of(("a", "B0[7..4]", FieldKind.UNSIGNED), size=2))
    assert str(made.checks[0].places) == "B0[3..0] B1"
    assert len(ADD["Reserved bits"](layout_of(size=16)).checks[0].places) == 64
    with pytest.raises(NothingToDoError, match="belongs to a field"):
        ADD["Reserved bits"](made)


def test_an_answer_is_matched_by_a_number_of_its_own():
    made = ADD["Answered by another message"](layout_of(*whole("a", "Transaction", "token")))
    (pair,) = made.checks
    assert [made.field(one.field).name for one in pair.match] == ["Transaction"] and pair.answer == "m answer"
    assert ADD["Answered by another message"](layout_of(*whole("a"))).checks[0].match == ()


def test_a_rule_says_the_length_there_is():
    made = ADD["Rule"](ADD["Rule"](layout_of(size=5)))
    assert [(one.name, str(one.expression)) for one in made.checks] == [
        ("length", "size == 5"), ("length 2", "size == 5"),
    ]  # fmt: skip
