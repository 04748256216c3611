"""Properties of a thing over Modbus (W3C WoT Binding Templates): where they lie and what they are, term by term."""

import json
from fractions import Fraction

import pytest

from zesty_abacus.core.exchange import sunspec
from zesty_abacus.core.exchange.result import CannotCarryError
from zesty_abacus.core.exchange.thing import _field, _space
from zesty_abacus.core.layouts.model import FieldKind, NamedValue
from zesty_abacus.core.protocols.spaces import Space


def field(space=Space.HOLDING, register=2, quantity=1, described=None, **terms):
    form = {f"modv:{name}": value for name, value in terms.items()}
    return _field("p", described or {}, form, space, register, quantity)


@pytest.mark.parametrize(
    ("quantity", "terms", "bytes_"),
    [
        (1, {}, [4, 5]), (1, {"mostSignificantByte": False}, [5, 4]), (2, {}, [4, 5, 6, 7]),
        (2, {"mostSignificantWord": False}, [6, 7, 4, 5]), (2, {"mostSignificantByte": False}, [5, 4, 7, 6]),
        (2, {"mostSignificantByte": False, "mostSignificantWord": False}, [7, 6, 5, 4]),
        (4, {"mostSignificantWord": False}, [10, 11, 8, 9, 6, 7, 4, 5]),
    ],
)  # fmt: skip
def test_in_which_order_words_and_bytes_are_put(quantity, terms, bytes_):
    places = field(quantity=quantity, **terms).places
    assert [bit // 8 for bit in places.bits[::8]] == bytes_ and [bit % 8 for bit in places.bits[:8]] == list(
        range(7, -1, -1)
    )


@pytest.mark.parametrize(("quantity", "bits"), [(1, (5,)), (3, (7, 6, 5))])
def test_coils_are_bits_of_which_the_last_is_the_highest(quantity, bits):
    made = field(Space.COILS, 5, quantity)
    assert made.places.bits == bits and made.kind is (FieldKind.FLAG if quantity == 1 else FieldKind.UNSIGNED)


@pytest.mark.parametrize(
    ("described", "terms", "kind"),
    [
        ({}, {}, FieldKind.UNSIGNED), ({}, {"type": "xsd:short"}, FieldKind.SIGNED),
        ({}, {"type": "xsd:float"}, FieldKind.FLOAT),
        ({}, {"type": "xsd:unsignedShort"}, FieldKind.UNSIGNED), ({}, {"type": "xsd:string"}, FieldKind.TEXT),
        ({}, {"type": "xsd:hexBinary"}, FieldKind.BYTES), ({}, {"type": "xsd:boolean"}, FieldKind.UNSIGNED),
        ({"type": "string"}, {}, FieldKind.TEXT), ({"type": "boolean"}, {}, FieldKind.UNSIGNED),
        ({"type": "string"}, {"type": "xsd:short"}, FieldKind.SIGNED),
        ({"oneOf": [{"const": 1, "title": "on"}]}, {}, FieldKind.NAMES),
        ({"oneOf": [{"const": 1}]}, {"type": "xsd:short"}, FieldKind.SIGNED),
    ],
)  # fmt: skip
def test_what_a_property_is(described, terms, kind):
    assert field(described=described, quantity=2, **terms).kind is kind


def test_what_else_a_property_says():
    made = field(described={"title": "Level", "unit": "mm", "description": "of water", "minimum": -1.5, "maximum": 7,
                            "oneOf": [{"const": 1, "title": "low"}, {"const": 2}, {"title": "none"}]},
                 type="xsd:short")  # fmt: skip
    assert (made.name, made.unit, made.note) == ("Level", "mm", "of water")
    assert (made.low, made.high) == (Fraction(-3, 2), 7)
    assert made.names == (NamedValue(1, "low"), NamedValue(2, "2"))
    text = field(described={"unit": "mm", "minimum": 1, "maximum": 2}, type="xsd:string")
    assert (text.name, text.unit, text.low, text.high) == ("p", "", None, None)
    assert field(described={"oneOf": [{"const": 1}]}, quantity=2, type="xsd:float").names == ()


@pytest.mark.parametrize(
    ("form", "space"),
    [({"modv:entity": "HoldingRegister"}, Space.HOLDING), ({"modbus:entity": "InputRegister"}, Space.INPUT),
     ({"modv:entity": "Coil"}, Space.COILS), ({"modv:entity": "DiscreteInput"}, Space.DISCRETE),
     ({"modv:function": "readHoldingRegisters"}, Space.HOLDING), ({"modv:function": 4}, Space.INPUT),
     ({"modv:function": "15"}, Space.COILS), ({"modv:function": 2}, Space.DISCRETE),
     ({"modv:entity": "Coil", "modv:function": 3}, Space.COILS),
     ({"modv:entity": "?", "modv:function": 3}, Space.HOLDING)],
)  # fmt: skip
def test_which_registers_it_means(form, space):
    assert _space(form) is space


def test_a_form_that_says_no_registers_is_told():
    with pytest.raises(CannotCarryError, match="neither kind of register nor function"):
        _space({"modv:entity": "?"})


def test_a_number_that_is_none_is_told():
    point = {"name": "St", "type": "enum16", "symbols": [{"name": "on", "value": "x"}]}
    model = {"id": 1, "group": {"name": "pump", "points": [point, {"name": "A", "type": "uint16"}]}}
    (left,) = sunspec.read(json.dumps(model).encode(), "here").left
    assert left.place == "group.points[0]" and left.reason.startswith("it could not be read: invalid literal")


def test_a_point_that_cannot_be_read_keeps_its_room_and_is_told():
    named = {"name": "St", "type": "enum16", "symbols": [{"name": "on"}]}
    whole = [{"name": name, "type": "uint16"} for name in ("ID", "L", "A")]
    points = [*whole[:2], named, whole[2]]
    model = json.dumps({"id": 64001, "group": {"name": "pump", "type": "group", "points": points}})
    found = sunspec.read(model.encode(), "here")
    (left,) = found.left
    assert left.place == "group.points[2]" and left.reason == "something in it has no value."
    assert str(found.layouts[0].field_named("A").places) == "B6 B7"
