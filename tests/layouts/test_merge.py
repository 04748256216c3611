"""Merging changes of one layout: disjoint edits from a random mix, and clashes of every sort."""

from __future__ import annotations

import random
from fractions import Fraction

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.strategies import layouts
from zesty_abacus.core.layouts.merge import merge_layouts, with_choice
from zesty_abacus.core.layouts.model import (
    Applies,
    Computed,
    Expression,
    FieldKind,
    Group,
    NamedValue,
    RawSet,
    Rule,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import parse_places


def base_layout():
    fields = [new_field(name, parse_places(f"B{n}")) for n, name in enumerate(("a", "b", "c"))]
    inner = new_field("height", parse_places("B0"))
    group = Group(id=new_field("x", parse_places("B0")).id, name="swell", size=1, fields=(inner,))
    return new_layout("m", Applies(address=5), 8, fields, parts=(group,), note="first")


def edited(layout, field_name, **settings):
    return layout.with_field(msgspec.structs.replace(layout.field_named(field_name), **settings))


def edits(layout, dice, mine):
    """Change, add and remove at random; ``mine`` chooses which half of the things may be touched."""
    for number, field in enumerate(layout.fields):
        if (number % 2 == 0) is not mine:
            continue
        what = dice.choice(["unit", "note", "ratio", "remove", "none"])
        if what == "remove":
            layout = layout.without_field(field.id)
        elif what == "ratio":
            layout = layout.with_field(msgspec.structs.replace(field, ratio=Fraction(dice.randint(1, 9), 7)))
        elif what != "none":
            layout = layout.with_field(msgspec.structs.replace(field, **{what: f"{what} {dice.randint(0, 99)}"}))
    if dice.random() < 0.7:
        added = new_field(f"new {mine}", parse_places("B60"))
        layout = msgspec.structs.replace(layout, fields=(*layout.fields, added))
    side = {"note": "mine"} if mine else {"sender": "theirs"}
    return msgspec.structs.replace(layout, **side) if dice.random() < 0.5 else layout


def pieces(layout):
    """Return every attribute of every field and of the head, as a set."""
    heads = {(layout.id, name, repr(getattr(layout, name))) for name in ("name", "note", "sender", "size")}
    return heads | {
        (field.id, name, repr(getattr(field, name))) for field in layout.fields for name in field.__struct_fields__
    }


@given(base=layouts(max_size=16), seed=st.integers(0, 10_000))
@settings(max_examples=120)
def test_disjoint_edits_commute_and_nothing_is_dropped_or_invented(base, seed):
    dice = random.Random(seed)
    ours, theirs = edits(base, dice, True), edits(base, dice, False)
    merged, other = merge_layouts(base, ours, theirs), merge_layouts(base, theirs, ours)
    assert merged.clashes == other.clashes == ()
    assert merged.layout == other.layout
    result, was = pieces(merged.layout), pieces(base)
    for side in (ours, theirs):
        assert pieces(side) - was <= result, "an edit was dropped"
        assert not (was - pieces(side)) & result, "an old value came back"
    assert result <= was | pieces(ours) | pieces(theirs), "something was invented"


@given(base=layouts(max_size=8), seed=st.integers(0, 1000))
@settings(max_examples=30)
def test_one_sided_changes_are_just_that_side(base, seed):
    ours = edits(base, random.Random(seed), True)
    assert merge_layouts(base, ours, base).layout == ours
    assert merge_layouts(base, base, ours).layout == ours
    assert merge_layouts(base, ours, ours).layout == ours


def test_different_attributes_of_one_field_merge():
    base = base_layout()
    merged = merge_layouts(base, edited(base, "a", unit="V"), edited(base, "a", name="volts"))
    field = merged.layout.field_named("volts")
    assert (field.unit, merged.clashes) == ("V", ())


def test_the_same_attribute_clashes_and_can_be_chosen():
    base = base_layout()
    ours, theirs = edited(base, "a", unit="V"), edited(base, "a", unit="mV")
    merged = merge_layouts(base, ours, theirs)
    (clash,) = merged.clashes
    assert (clash.name, clash.attribute, clash.base, clash.ours, clash.theirs) == ("a", "unit", "", "V", "mV")
    assert merged.layout.field_named("a").unit == "V"
    assert with_choice(merged.layout, clash, clash.theirs).field_named("a").unit == "mV"


@pytest.mark.parametrize("removed_by_us", [True, False])
def test_what_one_removed_and_the_other_changed_is_asked(removed_by_us):
    base = base_layout()
    gone, kept = base.without_field(base.fields[1].id), edited(base, "b", note="matters")
    merged = merge_layouts(base, gone, kept) if removed_by_us else merge_layouts(base, kept, gone)
    (clash,) = merged.clashes
    assert clash.attribute == "" and (clash.ours is None) == removed_by_us
    assert merged.layout.field_named("b").note == "matters", "no one's text is lost"
    chosen = clash.ours if removed_by_us else clash.theirs
    assert with_choice(merged.layout, clash, chosen).field_named("b") is None
    assert with_choice(merged.layout, clash, kept.field_named("b")) == merged.layout


def test_parts_checks_and_heads_merge_inside():
    base = base_layout()
    part = base.parts[0]
    deeper = msgspec.structs.replace(part, fields=(msgspec.structs.replace(part.fields[0], unit="m"),))
    ours = base.with_item(deeper)
    theirs = base.with_item(msgspec.structs.replace(part, name="waves"))
    theirs = msgspec.structs.replace(theirs, applies=Applies(address=5, lanes=("deck",)))
    ours = msgspec.structs.replace(ours, applies=Applies(address=6))
    merged = merge_layouts(base, ours, theirs)
    assert merged.clashes == ()
    assert merged.layout.parts[0].name == "waves" and merged.layout.parts[0].fields[0].unit == "m"
    assert merged.layout.applies == Applies(address=6, lanes=("deck",))


def test_a_clash_inside_the_head_is_chosen_there():
    base = base_layout()
    sides = [msgspec.structs.replace(base, applies=Applies(address=n)) for n in (6, 7)]
    merged = merge_layouts(base, *sides)
    (clash,) = merged.clashes
    assert clash.attribute == "applies.address"
    assert with_choice(merged.layout, clash, 7).applies.address == 7


def test_names_of_values_merge_by_their_value():
    base = base_layout()
    names = (NamedValue(0, "off"), NamedValue(1, "on"))
    base = edited(base, "a", kind=FieldKind.NAMES, names=names)
    ours = edited(base, "a", names=(*names, NamedValue(2, "fault")))
    theirs = edited(base, "a", names=(NamedValue(0, "still"), names[1]))
    merged = merge_layouts(base, ours, theirs)
    assert [n.label for n in merged.layout.field_named("a").names] == ["still", "on", "fault"]
    worse = edited(base, "a", names=(NamedValue(0, "asleep"), names[1]))
    assert [clash.attribute for clash in merge_layouts(base, worse, theirs).clashes] == ["names"]


def test_added_things_stand_behind_what_they_stood_behind_whoever_adds_them():
    base = base_layout()
    rules = [Rule(id=new_field("r", parse_places("B0")).id, name=f"r{n}", expression=Expression("1")) for n in range(4)]
    base = msgspec.structs.replace(base, checks=tuple(rules[:2]))
    ours = msgspec.structs.replace(base, checks=(rules[0], rules[2], rules[1]))
    theirs = msgspec.structs.replace(base, checks=(rules[0], rules[3], rules[1]))
    one, two = merge_layouts(base, ours, theirs).layout, merge_layouts(base, theirs, ours).layout
    assert one == two and {r.name for r in one.checks} == {"r0", "r1", "r2", "r3"} and one.checks[-1].name == "r1"
    turned = msgspec.structs.replace(base, checks=(rules[1], rules[0]))
    assert [r.name for r in merge_layouts(base, turned, theirs).layout.checks] == ["r1", "r0", "r3"]


def test_a_thing_of_another_type_is_a_clash():
    base = base_layout()
    value = Computed(id=new_field("v", parse_places("B0")).id, name="v", expression=Expression("a + b"))
    base = base.with_item(value)
    ours = base.with_item(msgspec.structs.replace(value, expression=Expression("a - b")))
    theirs = base.with_item(msgspec.structs.replace(value, expression=Expression("a * b")))
    (clash,) = merge_layouts(base, ours, theirs).clashes
    assert str(with_choice(ours, clash, clash.theirs).computed[0].expression) == "a * b"
    assert RawSet() == RawSet([])
