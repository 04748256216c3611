"""The door of decoding: only what is asked for, frames of another shape, what is overruled."""

from __future__ import annotations

from uuid import uuid4

import numpy as np
import pytest

from zesty_abacus.core.codec import decode as door
from zesty_abacus.core.codec.columns import CheckState, FieldColumn, Validity, join_columns
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.layouts.model import (
    Applies,
    Computed,
    Counter,
    Coverage,
    Expression,
    FieldKind,
    Group,
    RawSet,
    Repeat,
    Rule,
    Xor,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import parse_places as at

from .frames import decoded_of, matrix_of

A, B, C, CHECK = (new_field(name, at(f"B{n}")) for n, name in enumerate(("a", "b", "c", "check")))
XOR = Xor(id=uuid4(), name="xor", field=CHECK.id, coverage=Coverage(end=Expression("3")))
COUNT = Counter(id=uuid4(), name="count", field=B.id)
SUM = Computed(id=uuid4(), name="sum", expression=Expression("a + c"))
TWICE = Computed(id=uuid4(), name="twice", expression=Expression("sum * 2"))


def layout_with(**settings):
    return new_layout("m", Applies(protocol="x"), 4, [A, B, C, CHECK], **settings)


@pytest.fixture
def seen(monkeypatch):
    """Note which fixed fields are decoded; None is all."""
    asked = []
    inner = door.decode_fields

    def spy(plan, matrix, sizes, scope, only=None):
        asked.append(None if only is None else {field.name for field in plan.fields if field.id in only})
        return inner(plan, matrix, sizes, scope, only)

    monkeypatch.setattr(door, "decode_fields", spy)
    return asked


@pytest.mark.parametrize(
    ("settings", "wanted", "needed"),
    [
        ({}, [A], {"a"}),
        ({"checks": (XOR,)}, [A], {"a", "check"}),
        ({"checks": (COUNT,)}, [A], {"a"}),
        ({"checks": (Rule(id=uuid4(), name="r", expression=Expression("b < 9")),)}, [A], {"a", "b"}),
        ({"computed": (SUM,)}, [B], {"b"}),
        ({"computed": (SUM,)}, [SUM], {"a", "c"}),
        ({"computed": (SUM, TWICE)}, [TWICE], None),
    ],
)  # fmt: skip
def test_a_curve_costs_only_what_it_depends_on(seen, settings, wanted, needed):
    layout = layout_with(**settings)
    matrix, sizes = matrix_of([bytes([1, 2, 3, 0]), bytes([4, 5, 6, 7])])
    found = decode(compile_layout(layout), matrix, sizes, [one.id for one in wanted])
    assert seen == [needed]
    assert set(found.columns) == {one.id for one in wanted} or needed is None
    whole = decode(compile_layout(layout), matrix, sizes)
    for one in wanted:
        assert found[one.id].value.tolist() == whole[one.id].value.tolist()
        assert found[one.id].validity.tolist() == whole[one.id].validity.tolist()


def test_a_single_field_of_a_checked_message_is_not_believed_either():
    layout = layout_with(checks=(XOR,))
    matrix, sizes = matrix_of([bytes([1, 2, 3, 0]), bytes([1, 2, 3, 1])])
    column = decode(compile_layout(layout), matrix, sizes, [A.id])[A.id]
    assert column.validity.tolist() == [Validity.GOOD, Validity.CHECK_FAILED]


def test_frames_of_another_shape_have_no_values_no_items_and_no_checks():
    group = Group(id=uuid4(), name="g", size=1, fields=(new_field("x", at("B0")),), repeat=Repeat.TO_END)
    layout = new_layout(
        "m", Applies(protocol="x", pattern="A?", sizes=RawSet([(4, 6)])), 4, [A, B, C, CHECK], parts=(group,),
        checks=(XOR, COUNT),
    )  # fmt: skip
    decoded = decoded_of(
        layout, bytes([0xA0, 1, 0, 0xA1, 7]), bytes([0xB0, 2, 0, 9, 8]), bytes([0xA0, 1, 0, 0xA1] + [0] * 3)
    )
    assert decoded.named("a").has_value.tolist() == [True, False, False]
    assert decoded.named("a").validity[1] == Validity.OTHER_SHAPE
    array = decoded.arrays[group.id]
    (items,) = array.columns.values()
    assert [bool(good) for good in items.has_value] == [True, False, False, False, False]
    assert [column.state.tolist() for column in decoded.checks.values()] == [
        [CheckState.AGREES, CheckState.NOT_THERE, CheckState.NOT_THERE],
    ] * 2  # fmt: skip


def test_a_frame_that_is_too_short_stays_too_short_when_its_check_fails():
    layout = layout_with()
    matrix, sizes = matrix_of([bytes([1, 2])])
    decoded = decode(compile_layout(layout), matrix, sizes, untrue=np.array([True]))
    assert decoded.named("a").validity[0] == Validity.CHECK_FAILED
    assert decoded.named("c").validity[0] == Validity.TOO_SHORT


def column_of(values, content=None):
    field = new_field("x", at("B0"), FieldKind.UNSIGNED if content is None else FieldKind.BYTES)
    count = len(values)
    if content is not None:
        width = max(map(len, content))
        data = np.array([list(item.ljust(width, b"\0")) for item in content], np.uint8)
        lengths = np.array([len(item) for item in content])
        return FieldColumn(field, None, None, data, np.zeros(count, np.uint8), lengths)
    raw = np.array(values, np.uint64)
    return FieldColumn(field, raw, raw, None, np.zeros(count, np.uint8))


def test_columns_are_spread_taken_and_joined():
    column = column_of([5, 6])
    spread = column.spread(np.array([3, 1]), 4)
    assert spread.raw[[3, 1]].tolist() == [5, 6]
    assert spread.validity.tolist() == [Validity.ABSENT, 0, Validity.ABSENT, 0]
    nothing = column_of([5]).take(np.empty(0, np.int64)).spread(np.empty(0, np.int64), 3)
    assert (nothing.validity == Validity.ABSENT).all() and len(nothing) == 3
    texts = join_columns([column_of([0], [b"ab"]), column_of([0, 0], [b"", b"wxyz"])])
    assert [texts.text_of(row) for row in range(3)] == ["61 62", "", "77 78 79 7A"]
    assert join_columns([column, column_of([7])]).raw.tolist() == [5, 6, 7]


def test_an_expression_may_ask_for_size_and_address():
    value = Computed(id=uuid4(), name="v", expression=Expression("size * 1000 + address"))
    matrix, sizes = matrix_of([b"abcd", b"ab"])
    layout = layout_with(computed=(value,))
    assert decode(compile_layout(layout), matrix, sizes, address=7).named("v").value.tolist() == [4007, 2007]


def test_a_computed_value_is_there_only_with_what_it_is_made_of():
    low = new_field("low", at("B0"), unavailable=RawSet.of(255))
    value = Computed(id=uuid4(), name="v", expression=Expression("low / b"), high=5)
    layout = new_layout("m", Applies(protocol="x"), 2, [low, B], computed=(value,))
    column = decoded_of(layout, bytes([8, 2]), bytes([255, 2]), bytes([8, 0]), bytes([8, 1]), bytes([8])).named("v")
    assert [Validity(state).name for state in column.validity] == [
        "GOOD", "ABSENT", "ABSENT", "OUTSIDE_LIMITS", "ABSENT",
    ]  # fmt: skip
