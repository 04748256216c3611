"""Two layouts side by side: by identity, else by name."""

from __future__ import annotations

import msgspec

from zesty_abacus.core.layouts.compare import Standing, compare_layouts
from zesty_abacus.core.layouts.model import Applies, Expression, Rule, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places


def make():
    fields = [new_field(name, parse_places(f"B{n}")) for n, name in enumerate(("a", "b", "c"))]
    return new_layout("m", Applies(address=1), 8, fields)


def test_same_changed_added_and_removed():
    before = make()
    a, b, _ = before.fields
    after = before.without_field(b.id).with_field(msgspec.structs.replace(a, name="alpha", unit="V"))
    after = after.with_field(new_field("d", parse_places("B5")))
    after = after.with_item(Rule(id=new_field("x", parse_places("B0")).id, name="rule", expression=Expression("1")))
    found = {one.name: one for one in compare_layouts(before, after)}
    assert {name: one.standing for name, one in found.items()} == {
        "alpha": Standing.CHANGED, "b": Standing.ONLY_BEFORE, "c": Standing.SAME, "d": Standing.ONLY_AFTER,
        "rule": Standing.ONLY_AFTER,
    }  # fmt: skip
    assert found["alpha"].words == ("a renamed to alpha", "alpha in V, was no unit")
    assert [one.name for one in compare_layouts(before, after)][1] == "b", "what was removed stands where it stood"


def test_layouts_with_nothing_in_common_are_compared_by_name():
    first, second = make(), make()
    assert {one.standing for one in compare_layouts(first, second)} == {Standing.SAME}
    moved = second.with_field(msgspec.structs.replace(second.fields[0], places=parse_places("B7")))
    changed = [one for one in compare_layouts(first, moved) if one.standing is Standing.CHANGED]
    assert [one.words for one in changed] == [("a at B7, was B0",)]
