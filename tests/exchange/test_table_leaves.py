"""What a table of fields has no room for: each thing alone, and the sentence about it; the rest says nothing."""

from __future__ import annotations

from fractions import Fraction
from uuid import uuid4

import pytest
from msgspec.structs import replace

from zesty_abacus.core.exchange.result import Exchanged
from zesty_abacus.core.exchange.table_write import rows_of_layouts
from zesty_abacus.core.expressions.expression import Expression
from zesty_abacus.core.layouts.checks.rule import Rule
from zesty_abacus.core.layouts.model import (
    Applies,
    CurvePoint,
    FieldKind,
    NamedValue,
    RawSet,
    RegisterMap,
    Selected,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.parts.group import Group
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.layouts.symbols import Symbol

APPLIES = Applies(address=0x1A0, lanes=("deck", "bow"), extended=True)
MODE = new_field("mode", parse_places("B0"))
SPEED = new_field("speed", parse_places("B1 B2"), FieldKind.SIGNED, ratio=Fraction(1, 10), offset=Fraction(-40),
                  unit="kn", low=Fraction(-1, 2), high=Fraction(30), unavailable=RawSet(((65535, 65535),)),
                  selected=Selected(MODE.id, RawSet(((1, 3),))), note="over\nground")  # fmt: skip
PLAIN = new_layout("Log", APPLIES, 4, [MODE, SPEED], sender="gyro")
WHEN = "a table says an address, and nothing else about when the layout applies."
ROOM = "a table of fields has no room for parts, checks and formulas."


def left(layout):
    found = Exchanged()
    rows_of_layouts([layout], found)
    assert not any(one.is_kept for one in found.left)
    return [(one.place, one.reason) for one in found.left]


def test_what_a_row_says():
    found = Exchanged()
    headings, mode, speed = rows_of_layouts([PLAIN], found)
    cells = dict(zip(headings, speed, strict=True))
    assert cells.pop("layout and field") == f"{PLAIN.id} {SPEED.id}" and found.left == []
    assert cells == {
        "message": "Log", "address": "0x000001A0", "protocol": "can", "size": "4", "lane": "deck, bow",
        "sender": "gyro", "field": "speed", "places": "B1 B2", "kind": "signed", "step": "0.1", "offset": "-40",
        "unit": "kn", "low limit": "-0.5", "high limit": "30", "values": "", "not available": "65535",
        "present when": "mode = 1..3",
        "note": "over ground",
    }  # fmt: skip
    named = replace(MODE, kind=FieldKind.NAMES, names=(NamedValue(0, "off"), NamedValue(1, "on", to=7)))
    _, row, _ = rows_of_layouts([PLAIN.with_field(named)], found)
    assert dict(zip(headings, row, strict=True))["values"] == "0 off; 1..7 on"
    assert dict(zip(headings, mode, strict=True))["present when"] == ""


@pytest.mark.parametrize(
    "changed", [{"mask": 0x7F0}, {"to": 0x1AF}, {"way": "answer"}, {"sizes": RawSet(((2, 4),))}, {"pattern": "A5"}]
)
def test_anything_but_an_address_is_left(changed):
    assert left(replace(PLAIN, applies=replace(APPLIES, **changed))) == [("Log", WHEN)]


@pytest.mark.parametrize(
    ("changed", "words"),
    [
        ({"polynomial": (Fraction(0), Fraction(2))}, "its polynomial has no column."),
        ({"table": tuple(CurvePoint(Fraction(x), Fraction(2 * x)) for x in (0, 1))}, "its table has no column."),
        ({"inverted": True}, "its turned bits have no column."),
        ({"errors": RawSet(((9, 9),))}, "its fault values have no column."),
        ({"kind": FieldKind.TEXT, "encoding": "latin-1"}, "its encoding latin-1 has no column."),
        ({"kind": FieldKind.TEXT, "symbols": (Symbol("0", "a"), Symbol("1", "b"))}, "its symbols have no column."),
        ({"kind": FieldKind.TEXT}, ""),
    ],
)  # fmt: skip
def test_attributes_without_a_column_are_left(changed, words):
    assert left(PLAIN.with_field(replace(MODE, **changed))) == ([("Log, mode", words)] if words else [])


def test_parts_checks_and_register_maps_are_left():
    group = Group(id=uuid4(), name="position", size=4, fields=())
    rule = Rule(id=uuid4(), name="sound", expression=Expression("mode < 9"))
    assert left(PLAIN.with_item(group)) == [("Log, position", ROOM)]
    assert left(PLAIN.with_item(rule)) == [("Log, sound", ROOM)]
    registers = new_layout("Map", Applies(protocol="modbus"), 4, [MODE], registers=RegisterMap(device=1))
    assert left(registers) == [("Map", "a table of fields does not say that it is a register map.")]
