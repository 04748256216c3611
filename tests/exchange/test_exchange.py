"""Layout files of open standards: written by hand after the standards, good and broken."""

from __future__ import annotations

import json
import random
from fractions import Fraction

import numpy as np
import pytest

from tests.cli.program import run
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.errors import AbacusError
from zesty_abacus.core.exchange.registry import read_layout_file
from zesty_abacus.core.exchange.result import ExchangeError
from zesty_abacus.core.layouts.json_form import layouts_to_file_text
from zesty_abacus.core.layouts.model import Applies, FieldKind, NamedValue, new_layout
from zesty_abacus.core.layouts.validate import check_layout
from zesty_abacus.core.layouts.windows import window_of

MODEL = {
    "id": 64001,
    "group": {
        "name": "tug_meter", "label": "Tug meter", "type": "group",
        "points": [
            {"name": "ID", "type": "uint16", "value": 64001}, {"name": "L", "type": "uint16"},
            {"name": "W", "type": "int16", "sf": "W_SF", "units": "W", "label": "Power"},
            {"name": "W_SF", "type": "sunssf"}, {"name": "Wh", "type": "acc32", "units": "Wh"},
            {"name": "Pad", "type": "pad", "size": 1},
            {"name": "St", "type": "enum16", "symbols": [{"name": "OFF", "value": 0}, {"name": "ON", "value": 2}]},
            {"name": "Evt", "type": "bitfield32", "symbols": [{"name": "HOT", "value": 0}]},
            {"name": "Mn", "type": "string", "size": 4}, {"name": "Hz", "type": "float32", "units": "Hz"},
            {"name": "A", "type": "uint16", "sf": -2, "units": "A"}, {"name": "X", "type": "quaternion", "size": 2},
            {"name": "B", "type": "uint16", "sf": "B_SF"}, {"type": "uint16"},
        ],
        "groups": [{"name": "phase", "count": "N", "points": []}],
    },
}  # fmt: skip

SHEET = """
[FileInfo]
FileName=winch.eds
[DeviceInfo]
ProductName=Tow winch
; status and the measured pull
[6041]
ParameterName=Status word
DataType=0x0006
[6077]
ParameterName=Pull
DataType=0x0003
[2000]
ParameterName=Probe
[2000sub1]
ParameterName=heat
DataType=0x0002
[1800sub1]
ParameterName=COB-ID
DefaultValue=$NODEID+0x180
[1A00]
ParameterName=mapping
[1A00sub0]
DefaultValue=4
[1A00sub1]
DefaultValue=0x60410010
[1A00sub2]
DefaultValue=0x00050008
[1A00sub3]
DefaultValue=0x60770010
[1A00sub4]
DefaultValue=0x20000108
[1801sub1]
DefaultValue=0x80000280
[1A01sub1]
DefaultValue=0x60410010
[1400sub1]
DefaultValue=0x201
[1600sub1]
DefaultValue=0x60770010
[1601sub1]
DefaultValue=0x60770010
"""


def read_text(tmp_path, text, name="file"):
    path = tmp_path / name
    path.write_text(text)
    return read_layout_file(path)


def test_a_sunspec_model_is_a_register_map(tmp_path):
    name, found = read_text(tmp_path, json.dumps(MODEL))
    (layout,) = found.layouts
    assert name == "SunSpec model" and check_layout(layout) == []
    assert {field.name: str(field.places) for field in layout.fields if field.name in ("W", "Wh", "St", "A")} == {
        "W": "B4 B5", "Wh": "B8..B11", "St": "B14 B15", "A": "B32 B33",
    }  # fmt: skip
    assert layout.field_named("Hz").kind is FieldKind.FLOAT and layout.field_named("W").note == "Power"
    left = {item.place: item.reason for item in found.left}
    assert layout.field_named("Evt").names == (NamedValue(0, "HOT"),)
    assert set(left) == {"group.points[11]", "group.points[13]", "B", "group.groups[0]"}
    assert "quaternion" in left["group.points[11]"] and "B_SF" in left["B"]
    # 60 registers read in one go: power -1234 with scale factor -1
    data = bytearray(70)
    data[4:8] = (-1234 & 0xFFFF).to_bytes(2, "big") + (-1 & 0xFFFF).to_bytes(2, "big")
    data[32:34] = (1234).to_bytes(2, "big")
    view = window_of(layout, 0, 70)
    decoded = decode(
        compile_layout(view), np.frombuffer(bytes(data).ljust(72, b"\0"), np.uint8)[None, :], np.array([70])
    )
    assert decoded.named("W scaled").value[0] == pytest.approx(-123.4)
    assert decoded.named("A scaled").value[0] == pytest.approx(12.34)
    assert not decoded.named("Wh").has_value[0], "an accumulator of 0 is not implemented"


def test_not_implemented_points_have_no_scaled_value(tmp_path):
    _, found = read_text(tmp_path, json.dumps(MODEL))
    view = window_of(found.layouts[0], 0, 70)
    data = bytearray(72)
    data[4:8] = b"\x80\x00\x00\x01"
    decoded = decode(compile_layout(view), np.frombuffer(bytes(data), np.uint8)[None, :], np.array([70]))
    assert not decoded.named("W scaled").has_value[0]


def test_a_data_sheet_gives_the_objects_in_use(tmp_path):
    name, found = read_text(tmp_path, SHEET)
    assert name == "CANopen EDS"
    assert {layout.name: layout.applies.address for layout in found.layouts} == {
        "Tow winch receives 1": 0x201, "Tow winch sends 1": 0x181,
    }  # fmt: skip
    sends = next(layout for layout in found.layouts if "sends" in layout.name)
    assert [(f.name, str(f.places), f.kind.value) for f in sends.fields] == [
        ("Status word", "B1 B0", "unsigned"), ("Pull", "B4 B3", "signed"), ("Probe heat", "B5", "signed"),
    ]  # fmt: skip
    assert {item.place for item in found.left} == {"[1801sub1]", "[1401sub1]"}
    decoded = decode(
        compile_layout(sends), np.array([[0x37, 0x02, 0, 0x18, 0xFC, 0xF6, 0, 0]], np.uint8), np.array([6])
    )  # fmt: skip
    assert [int(column.value[0]) for column in decoded.columns.values()] == [0x237, -1000, -10]


def test_reading_again_gives_the_same_identities(tmp_path):
    for text in (json.dumps(MODEL), SHEET):
        assert read_text(tmp_path, text)[1].layouts == read_text(tmp_path, text)[1].layouts


def test_a_file_of_our_own_is_read_too(tmp_path):
    layout = new_layout("m", Applies(address=1), 8)
    assert read_text(tmp_path, layouts_to_file_text([layout]))[1].layouts == [layout]


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("hello", "no layout file that is known here"), ("", "Known are our own JSON"),
        ('{"group": {"points": 5}}', "group"), ('{"group": {"points": []', "no model definition"),
        ("[FileInfo]\nParameterName\n[[", "data sheet"),
        ("[FileInfo]\nParameterName=x\n", "maps no process data"),
    ],
)  # fmt: skip
def test_broken_files_say_what_is_wrong(tmp_path, text, words):
    with pytest.raises(AbacusError, match=words):
        read_text(tmp_path, text)


def test_a_file_that_is_not_there_is_told(tmp_path):
    with pytest.raises(ExchangeError, match="cannot be opened"):
        read_layout_file(tmp_path / "none")


@pytest.mark.parametrize("text", [json.dumps(MODEL), SHEET], ids=["SunSpec", "EDS"])
def test_changed_files_give_valid_layouts_or_a_clear_error(tmp_path, text):
    dice = random.Random(4)
    for _ in range(300):
        changed = list(text)
        for _ in range(dice.randint(1, 6)):
            place = dice.randrange(len(changed))
            changed[place] = dice.choice(["", "0", "9", "f", '"', "{", "[", "-", "\n", "$", "1e9", "null"])
        try:
            _, found = read_text(tmp_path, "".join(changed))
        except AbacusError as error:
            assert str(error)
            continue
        for layout in found.layouts:
            assert check_layout(layout) == []


def test_the_command_line_lists_what_is_left(tmp_path):
    path = tmp_path / "winch.eds"
    path.write_text(SHEET)
    library = tmp_path / "own.sqlite"
    assert run("library", "new", library)[0] == 0
    code, out, err = run("library", "import", library, path)
    assert code == 0 and "2 layouts, 2 new or changed" in out and "[1801sub1]: not carried over" in err
    assert "0 new or changed" in run("library", "import", library, path)[1]


def test_powers_are_bounded():
    from zesty_abacus.core.expressions.exactly import evaluate_exactly
    from zesty_abacus.core.expressions.expression import Expression
    from zesty_abacus.core.expressions.tree import ExpressionError

    assert evaluate_exactly(Expression("pow(10, -2)"), {}) == Fraction(1, 100)
    with pytest.raises(ExpressionError):
        evaluate_exactly(Expression("pow(10, 65)"), {})
