"""Whole frames from values: what is worked out, what is refused, and that random frames come back."""

from __future__ import annotations

from fractions import Fraction
from uuid import uuid4

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.codec.encode import EncodeError
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.codec.wording import array_words, frame_sentence
from zesty_abacus.core.layouts.model import (
    Applies,
    Carried,
    ElementCase,
    Elements,
    Expression,
    FieldKind,
    Group,
    NamedValue,
    RawSet,
    Repeat,
    Rule,
    Run,
    Selected,
    TextLine,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.places import parse_places as at

from .frames import decoded_of

ANY = Applies(protocol="serial")
NONE = Places(())


FLAG, COUNT = new_field("has more", at("B0[7]"), FieldKind.FLAG), new_field("count", at("B0[3..0]"))
MORE = Group(
    id=uuid4(), name="more", size=2, selected=Selected(FLAG.id, RawSet.of(1)),
    fields=(new_field("speed", at("B0 B1"), FieldKind.SIGNED, ratio=Fraction(1, 10), unit="kn"),),
)  # fmt: skip
PAIRS = Group(
    id=uuid4(), name="pairs", size=2, repeat=Repeat.COUNT, amount=Expression("count"), align=2,
    fields=(new_field("x", at("B0"), FieldKind.SIGNED), new_field("y", at("B1"))),
)  # fmt: skip
NOTE = Run(id=uuid4(), name="note", field=new_field("note", NONE, FieldKind.TEXT), end="00")
LAYOUT = new_layout("mixed", ANY, 1, [FLAG, COUNT], parts=(MORE, PAIRS, NOTE))


@given(
    st.one_of(st.none(), st.integers(-32768, 32767)),
    st.lists(st.tuples(st.integers(-128, 127), st.integers(0, 255)), max_size=15),
    st.text("abc xyz", max_size=8).map(str.strip),
)
def test_frames_with_an_optional_part_an_array_and_a_string_come_back(speed, pairs, note):
    values = {"pairs": [{"x": x, "y": y} for x, y in pairs], "note": note}
    if speed is not None:
        values |= {"has more": 1, "speed": Fraction(speed, 10)}
    encoded = encode_message(LAYOUT, values)
    assert encoded.losses == {}
    decoded = decoded_of(LAYOUT, encoded.payload)
    assert not decoded.cut[0]
    assert int(decoded.named("count").raw[0]) == len(pairs)
    assert decoded.named("speed").has_value[0] == (speed is not None)
    if speed is not None:
        assert int(decoded.named("speed").raw[0]) == speed
    x, y = decoded.arrays[PAIRS.id].columns.values()
    assert list(zip(x.raw.tolist(), y.raw.tolist(), strict=True)) == pairs
    assert decoded.named("note").text_of(0) == note
    assert len(encoded.payload) % 2 == (len(note) + 1) % 2 or not pairs, "the array begins at an even byte"


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"has more": 0, "speed": 1}, "not in a frame with"), ({"pairs": 5}, "list of items"),
            ({"pairs": "ab"}, "list of items"),
        ({"pairs": [3]}, "a value for each of its fields"), ({"pairs": [{"z": 1}]}, "no field 'z'"),
        ({"pairs": [{"x": 200}]}, "does not fit"), ({"count": 3, "pairs": []}, "count gives 3, but pairs has 0"),
        ({"pairs": [{"x": 1}] * 16}, "but pairs has 16"), ({"note": "a\0b"}, "holds the bytes that end it"),
        ({"note": "ü"}, "cannot be written"), ({"nothing": 1}, "It has has more, count"),
    ],
)  # fmt: skip
def test_what_does_not_go_into_a_frame_is_refused_with_its_place(values, words):
    with pytest.raises(EncodeError, match=words):
        encode_message(LAYOUT, values)


def test_an_item_that_is_rounded_is_listed_by_its_number():
    cell = new_field("cell", at("B0"), ratio=Fraction(1, 4))
    group = Group(id=uuid4(), name="cells", size=1, fields=(cell,), repeat=Repeat.TO_END)
    layout = new_layout("m", ANY, 0, parts=(group,))
    encoded = encode_message(layout, {"cells": [1, Fraction(11, 10)]})
    assert encoded.payload == b"\x04\x04" and encoded.losses == {"cells[1].cell": Fraction(1, 10)}


def test_elements_are_named_by_case_by_type_or_by_label():
    kind = new_field("kind", at("B0"), FieldKind.NAMES, names=(NamedValue(1, "heat"), NamedValue(9, "raw")))
    heat = ElementCase(id=uuid4(), name="heat", types=RawSet.of(1), fields=(new_field("value", at("B0 B1")),))
    part = Elements(id=uuid4(), name="list", head=2, type=kind, length=new_field("length", at("B1")), length_unit=2,
                    cases=(heat,), ends=RawSet.of(0))  # fmt: skip
    layout = new_layout("m", ANY, 0, parts=(part,))
    elements = [("heat", {"value": 7}), (9, b"abcd"), ("raw", b""), (0, b"")]
    assert encode_message(layout, {"list": elements}).payload.hex() == "01010007" + "090261626364" + "0900" + "00"
    with pytest.raises(EncodeError, match="not whole units of 2"):
        encode_message(layout, {"list": [(9, b"abc")]})
    with pytest.raises(EncodeError, match="'hot' is no value for it"):
        encode_message(layout, {"list": [("hot", {"value": 7})]})
    with pytest.raises(EncodeError, match=r"list\[0\]: there is no field 'x'"):
        encode_message(layout, {"list": [("heat", {"x": 7})]})


def test_the_name_of_a_type_is_as_good_as_that_of_its_case():
    kind = new_field("kind", at("B0"), FieldKind.NAMES, names=(NamedValue(5, "warm"), NamedValue(6, "hot")))
    heat = ElementCase(id=uuid4(), name="heat", types=RawSet.of(5, 6), fields=(new_field("value", at("B0")),))
    part = Elements(id=uuid4(), name="list", head=2, type=kind, length=new_field("length", at("B1")), cases=(heat,))
    layout = new_layout("m", ANY, 0, parts=(part,))
    elements = [("hot", {"value": 7}), ("warm", {"value": 8}), ("heat", {"value": 9}), (6, {"value": 1})]
    assert encode_message(layout, {"list": elements}).payload.hex(" ", 3) == "060107 050108 050109 060101"


def test_text_columns_are_written_in_their_base():
    columns = (
        new_field("name", NONE, FieldKind.TEXT), new_field("", NONE), new_field("value", NONE, ratio=Fraction(1, 2)),
        new_field("mode", NONE, FieldKind.NAMES, names=(NamedValue(65, "valid"),)), new_field("check", NONE, base=16),
    )  # fmt: skip
    layout = new_layout("m", ANY, 0, parts=(TextLine(id=uuid4(), name="l", columns=columns, begins="$", ends="*"),))
    values = {"name": "AB", "value": Fraction(5, 4), "mode": "valid", "check": 255}
    assert encode_message(layout, values).payload == b"$AB,,2.5,A,FF*"
    third = encode_message(layout, {"value": Fraction(1, 6)})
    assert third.payload.startswith(b"$,,0.333333,") and 0 < abs(third.losses["value"]) < Fraction(1, 10**6)
    with pytest.raises(EncodeError, match="holds the separator"):
        encode_message(layout, {"name": "A,B"})


def test_a_carried_layout_must_be_put_in_first():
    part = Carried(id=uuid4(), name="inner", layout=uuid4())
    with pytest.raises(EncodeError, match="was not put in"):
        encode_message(new_layout("m", ANY, 0, parts=(part,)), {})


def test_an_array_is_said_in_one_breath():
    payload = encode_message(LAYOUT, {"pairs": [{"x": -3, "y": 9}, {"x": 5, "y": 9}], "note": "ok"}).payload
    decoded = decoded_of(LAYOUT, payload)
    assert frame_sentence(decoded, 0) == "count 2, note ok, pairs ×2 x −3 … 5 y 9"
    empty = decoded_of(LAYOUT, encode_message(LAYOUT, {}).payload)
    assert array_words(empty.arrays[PAIRS.id], 0) == ""


# what is worked out across regions


def layout_with_items(head, *checks, **settings):
    items = Group(
        id=uuid4(), name="items", size=2, repeat=Repeat.TO_END, checks=checks, **settings,
        fields=(new_field("a", at("B0")), new_field("b", at("B1"))),
    )  # fmt: skip
    return new_layout("m", ANY, 1, [head], parts=(items,))


def test_a_rule_of_an_item_works_out_a_field_of_the_head_where_that_lies():
    layout = layout_with_items(
        new_field("step", at("B0")), Rule(id=uuid4(), name="r", expression=Expression("step == size"))
    )
    frame = encode_message(layout, {"items": [{"a": 7, "b": 8}, {"a": 9, "b": 10}]}).payload
    assert frame.hex() == "020708090a"


def test_a_rule_of_an_item_leaves_a_head_alone_that_was_given():
    layout = layout_with_items(
        new_field("step", at("B0")), Rule(id=uuid4(), name="r", expression=Expression("step == size"))
    )
    frame = encode_message(layout, {"step": 5, "items": [{"a": 7, "b": 8}]}).payload
    assert frame.hex() == "050708"


@pytest.mark.parametrize("field", ["a", "b"])
def test_a_rule_of_an_item_works_out_a_field_of_the_item_from_its_head(field):
    other = {"a": "b", "b": "a"}[field]
    rule = Rule(id=uuid4(), name="r", expression=Expression(f"{field} == step + {other}"))
    layout = layout_with_items(new_field("step", at("B0")), rule)
    frame = encode_message(layout, {"step": 3, "items": [{other: 1}, {other: 2}]}).payload
    assert sorted(frame[1:3]) == [1, 4] and sorted(frame[3:5]) == [2, 5]
    found = decoded_of(layout, frame)
    (items,) = found.arrays.values()
    values = {column.field.name: column.value.tolist() for column in items.columns.values()}
    assert values == {field: [4, 5], other: [1, 2]}
