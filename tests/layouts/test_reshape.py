"""Moving, stretching, splitting and joining fields, against arithmetic on bit numbers."""

from __future__ import annotations

from fractions import Fraction

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import layouts, places_within
from zesty_abacus.core.layouts.model import Applies, FieldKind, NamedValue, RawSet, Selected, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.layouts.raw_sets import parse_raw_set
from zesty_abacus.core.layouts.reshape import (
    CannotReshapeError,
    along,
    ends_of,
    joined,
    moved,
    neighbour_of,
    of_kind,
    reshaped,
    split_off,
    stretched,
)
from zesty_abacus.core.layouts.validate import check_layout
from zesty_abacus.core.layouts.variants import is_present, present_ids, variants_of


@pytest.mark.parametrize(
    ("text", "grabbed", "to", "after"),
    [
        ("B3[3..0] B2", 16, 18, "B3[5..0] B2[7..2]"), ("B3[3..0] B2", 16, 8, "B2[3..0] B1"),
        ("B0 B1[7..4]", 7, 6, "B0[6..0] B1[7..3]"), ("B1[4]", 12, 15, "B1[7]"), ("B1[7]", 15, 16, "B2[0]"),
        ("B4[2] B0[7]", 34, 42, "B5[2] B1[7]"),
    ],
)  # fmt: skip
def test_a_move_shifts_every_bit_along_the_run(text, grabbed, to, after):
    assert str(moved(parse_places(text), grabbed, to)) == after


@given(places_within(6), st.integers(-8, 8))
def test_a_move_and_the_move_back_give_the_same_places(places, by):
    try:
        there = moved(places, 40, 40 + by, low_byte_first=True)
        back = moved(there, 40 + by, 40, low_byte_first=True)
    except CannotReshapeError:
        return
    if places.order_words() == there.order_words() == "low byte first":
        assert back == places and there.bits == tuple(bit + by for bit in places.bits)


@pytest.mark.parametrize(
    ("text", "end", "to", "after"),
    [
        ("B3[3..0] B2", 27, 31, "B3 B2"), ("B3[3..0] B2", 16, 12, "B3[3..0] B2 B1[7..4]"),
        ("B0 B1[7..4]", 12, 8, "B0 B1"), ("B0 B1[7..4]", 7, 3, "B0[3..0] B1[7..4]"), ("B1[4]", 12, 14, "B1[6..4]"),
        ("B1[7..0]", 15, 19, "B2[3..0] B1"), ("B2[7..4]", 20, 22, "B2[7..6]"),
    ],
)  # fmt: skip
def test_stretching_takes_all_between(text, end, to, after):
    places = parse_places(text)
    assert end in ends_of(places)
    assert str(stretched(places, end, to)) == after


def test_within_one_byte_the_message_says_how_it_goes_on():
    assert str(stretched(parse_places("B1"), 8, 20, low_byte_first=False)) == "B1 B2[7..4]"
    assert str(stretched(parse_places("B1"), 15, 20, low_byte_first=True)) == "B2[4..0] B1"


def message(*fields, **settings):
    return new_layout("m", Applies(address=1), 8, fields, **settings)


def test_splitting_and_joining_are_inverse():
    field = new_field("speed", parse_places("B1 B0"), FieldKind.SIGNED, unit="kn")
    layout = message(field)
    changed, part = split_off(layout, field, frozenset(range(8, 16)))
    assert str(part.places) == "B1" and part.name == "speed 2"
    rest = changed.field_named("speed")
    assert (str(rest.places), rest.unit, rest.kind) == ("B0", "kn", FieldKind.SIGNED) and not check_layout(changed)
    assert neighbour_of(changed, rest).id == part.id
    again = joined(changed, rest, part)
    assert str(again.field_named("speed").places) == "B1 B0" and len(again.fields) == 1
    for bits in (frozenset(), frozenset(range(16))):
        with pytest.raises(CannotReshapeError):
            split_off(layout, field, bits)


def test_kinds_that_no_longer_fit_become_plain_numbers():
    field = new_field("ratio", parse_places("B3..B0"), FieldKind.FLOAT)
    changed, part = split_off(message(field), field, frozenset({31}))
    assert part.kind is FieldKind.FLAG and changed.field_named("ratio").kind is FieldKind.UNSIGNED


def test_what_is_wholly_covered_is_joined_and_other_pages_are_left_alone():
    page = new_field("page", parse_places("B0"))
    first, second = new_field("a", parse_places("B2")), new_field("b", parse_places("B3"))
    other = new_field("c", parse_places("B3"), selected=Selected(page.id, RawSet.of(1)))
    changed = reshaped(message(page, first, second, other), first, parse_places("B3 B2"))
    assert [field.name for field in changed.fields] == ["page", "a", "c"]


@given(layouts(max_size=8))
def test_along_is_its_own_inverse_and_neighbours_lie_behind(layout):
    for field in layout.fields:
        assert all(along(along(bit)) == bit for bit in field.places)
        behind = neighbour_of(layout, field)
        if behind is not None:
            assert min(map(along, behind.places)) > max(map(along, field.places))


def test_variants_follow_chains_of_selectors():
    page = new_field("page", parse_places("B0"))
    inner = new_field("inner", parse_places("B1"), selected=Selected(page.id, RawSet.of(1)))
    deep = new_field("deep", parse_places("B2"), selected=Selected(inner.id, RawSet([(2, 4)])))
    other = new_field("other", parse_places("B1"), selected=Selected(page.id, RawSet.of(2)))
    layout = message(page, inner, deep, other)
    variants = variants_of(layout)
    assert [one.words for one in variants] == ["page = 1", "page = 1 · inner = 2..4", "page = 2"]
    names = [{f.name for f in layout.fields if is_present(layout, f, one)} for one in variants]
    assert names == [{"page", "inner"}, {"page", "inner", "deep"}, {"page", "other"}]
    assert present_ids(layout, variants[2]) == {page.id, other.id}
    assert variants_of(message(page)) == []


FULL = new_field(
    "all", parse_places("B0 B1"), FieldKind.SIGNED, unit="m", ratio=Fraction(1, 10), offset=Fraction(3),
    low=Fraction(0), high=Fraction(9), polynomial=(Fraction(1), Fraction(2), Fraction(3)),
    names=(NamedValue(2, "two"),), unavailable=parse_raw_set("0xFFFF"), errors=parse_raw_set("0xFE00..0xFEFF"),
)  # fmt: skip
NUMBERS = {"ratio": Fraction(1), "offset": Fraction(0), "low": None, "high": None, "polynomial": (), "table": ()}
RAW = {"names": (), "unavailable": RawSet(), "errors": RawSet()}
ON_OFF = (NamedValue(0, "off"), NamedValue(1, "on"))


@pytest.mark.parametrize(
    ("kind", "goes"),
    [
        (FieldKind.UNSIGNED, {}),
        (FieldKind.FLOAT, RAW),
        (FieldKind.NAMES, NUMBERS),
        (FieldKind.BITS, {**NUMBERS, "names": (NamedValue(0, "lowest"),)}),
        (FieldKind.TEXT, NUMBERS | RAW),
        (FieldKind.BYTES, NUMBERS | RAW),
    ],
)
def test_what_a_kind_cannot_have_goes_with_the_choice_and_nothing_else(kind, goes):
    changed = of_kind(FULL, kind)
    assert changed == msgspec.structs.replace(FULL, kind=kind, **goes)


@pytest.mark.parametrize(
    ("field", "names"),
    [
        (new_field("none", parse_places("B0")), ON_OFF),
        (FULL, FULL.names),
        (new_field("bits", parse_places("B0"), FieldKind.BITS, names=(NamedValue(3, "door"),)), ON_OFF),
    ],
)
def test_a_set_of_names_begins_with_off_and_on_unless_values_have_names(field, names):
    assert of_kind(field, FieldKind.NAMES).names == names


def test_symbols_are_those_of_texts():
    text = new_field("name", parse_places("B0 B1"), FieldKind.TEXT, symbols=("A", "B"))
    assert of_kind(text, FieldKind.TEXT).symbols == ("A", "B") and of_kind(text, FieldKind.BYTES).symbols == ()
