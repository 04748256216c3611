"""Frames whose meaning is published: aircraft transponders (ICAO Annex 10, volume IV) and split identifiers."""

from __future__ import annotations

from uuid import uuid4

import numpy as np
import pytest

from zesty_abacus.core.codec.columns import CheckState, Validity
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.layouts.model import (
    Applies,
    Computed,
    Coverage,
    Crc,
    Expression,
    FieldKind,
    RawSet,
    Selected,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.validate import check_layout

CODE = new_field("type code", at("B4[7..3]"))


def on(low, high):
    return Selected(CODE.id, RawSet([(low, high)]))


def letter(number):
    """Return a character of the name: six bits each from the second byte of the message on, the highest first."""
    first = 40 + number * 6
    bits = [bit // 8 * 8 + 7 - bit % 8 for bit in range(first, first + 6)]
    return new_field(f"letter {number}", Places(bits), selected=on(1, 4))


PARITY = new_field("parity", at("B11..B13"))
SQUITTER = new_layout(
    "Extended squitter", Applies(protocol="serial"), 14,
    [
        new_field("format", at("B0[7..3]")), new_field("address", at("B1..B3")), CODE, PARITY,
        *(letter(number) for number in range(8)),
        new_field("altitude", at("B5[7..1] B6[7..4]"), ratio=25, offset=-1000, unit="ft", selected=on(9, 18)),
        new_field("odd", at("B6[2]"), FieldKind.FLAG, selected=on(9, 18)),
        new_field("latitude", at("B6[1..0] B7 B8[7..1]"), selected=on(9, 18)),
        new_field("longitude", at("B8[0] B9 B10"), selected=on(9, 18)),
        new_field("west", at("B5[2]"), FieldKind.FLAG, selected=on(19, 19)),
        new_field("east speed", at("B5[1..0] B6"), offset=-1, unit="kn", selected=on(19, 19)),
        new_field("south", at("B7[7]"), FieldKind.FLAG, selected=on(19, 19)),
        new_field("north speed", at("B7[6..0] B8[7..5]"), offset=-1, unit="kn", selected=on(19, 19)),
        new_field("down", at("B8[3]"), FieldKind.FLAG, selected=on(19, 19)),
        new_field("climb", at("B8[2..0] B9[7..2]"), ratio=64, offset=-64, unit="ft/min", selected=on(19, 19)),
    ],
    checks=(
        Crc(id=uuid4(), name="parity", field=PARITY.id, width=24, polynomial=0xFFF409,
            coverage=Coverage(places=at("B0..B10"))),
    ),
    computed=(
        Computed(id=uuid4(), name="ground speed", unit="kn",
                 expression=Expression("sqrt(`east speed` * `east speed` + `north speed` * `north speed`)")),
    ),
)  # fmt: skip


def read(text, layout=SQUITTER, address=0):
    data = bytes.fromhex(text)
    matrix = np.frombuffer(data.ljust(-(-len(data) // 8) * 8, b"\0"), np.uint8)[None, :]
    decoded = decode(compile_layout(layout), matrix, np.array([len(data)]), address=address)
    return decoded, {
        column.field.name: column.value[0].item() for column in decoded.columns.values() if column.has_value[0]
    }


def test_the_layout_is_valid():
    assert check_layout(SQUITTER) == []


def test_a_published_name():
    decoded, values = read("8D4840D6202CC371C32CE0576098")
    assert (values["format"], values["address"], values["type code"]) == (17, 0x4840D6, 4)
    assert [values[f"letter {n}"] for n in range(8)] == [11, 12, 13, 49, 48, 50, 51, 32]
    assert "altitude" not in values and "climb" not in values
    assert next(iter(decoded.checks.values())).state[0] == CheckState.AGREES


def test_a_published_position():
    _, values = read("8D40621D58C382D690C8AC2863A7")
    assert (values["altitude"], values["odd"], values["latitude"], values["longitude"]) == (38000, 0, 93000, 51372)


def test_a_published_speed():
    _, values = read("8D485020994409940838175B284F")
    assert (values["west"], values["east speed"], values["south"], values["north speed"]) == (1, 8, 1, 159)
    assert (values["down"], values["climb"]) == (1, 832)
    assert values["ground speed"] == pytest.approx(159.20, abs=0.005)


def test_one_wrong_bit_spoils_the_whole_frame():
    decoded, values = read("8D4840D6202CC371C32CE0576099")
    assert values == {} and {int(c.validity[0]) for c in decoded.columns.values()} <= {
        Validity.CHECK_FAILED, Validity.ABSENT,
    }  # fmt: skip


def test_a_29_bit_identifier_is_split_by_formulas():
    """Priority, page, format, group and source as SAE J1939-21 and ISO 11783-3 lay them into the identifier."""
    formulas = {
        "priority": "address >> 26 & 7", "format": "address >> 16 & 255", "source": "address & 255",
        "group": "if(address >> 16 & 255 >= 240, address >> 8 & 262143, address >> 8 & 261888)",
        "destination": "if(address >> 16 & 255 >= 240, 255, address >> 8 & 255)",
    }  # fmt: skip
    computed = tuple(Computed(id=uuid4(), name=name, expression=Expression(text)) for name, text in formulas.items())
    layout = new_layout("any", Applies(extended=True), 8, [new_field("x", at("B0"))], computed=computed)
    for address, wanted in (
        (0x18FEF117, {"priority": 6, "format": 254, "source": 0x17, "group": 65265, "destination": 255}),
        (0x0CEA25F9, {"priority": 3, "format": 234, "source": 0xF9, "group": 59904, "destination": 0x25}),
    ):
        _, values = read("0000000000000000", layout, address)
        assert {name: int(values[name]) for name in wanted} == wanted
