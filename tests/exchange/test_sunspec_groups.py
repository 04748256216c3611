"""Groups inside models: as often as they say, with scale factors of their own or of the model."""

import json

import pytest

from zesty_abacus.core.exchange import sunspec

POINTS = [{"name": "V", "type": "uint16", "sf": "V_SF", "units": "V"}, {"name": "V_SF", "type": "sunssf"}]


def read(groups, points=({"name": "N", "type": "uint16"}, {"name": "A_SF", "type": "sunssf"})):
    model = {"id": 64113, "group": {"name": "bank", "type": "group", "points": list(points), "groups": groups}}
    return sunspec.read(json.dumps(model).encode(), "bank.json")


def test_a_group_of_a_known_number_stands_block_by_block():
    found = read([{"name": "string", "count": 3, "points": [*POINTS, {"name": "A", "type": "int16", "sf": "A_SF"}]}])
    layout = found.layouts[0]
    assert not found.left and layout.registers.count == 2 + 3 * 3
    assert [field.name for field in layout.fields] == [
        "N", "A_SF", *(f"string {n} {name}" for n in (1, 2, 3) for name in ("V", "V_SF", "A")),
    ]  # fmt: skip
    assert str(layout.field_named("string 2 A").places) == "B14 B15"
    formulas = {one.name: str(one.expression) for one in layout.computed}
    assert formulas["string 2 V scaled"] == "raw(`string 2 V`) * pow(10, `string 2 V_SF`)"
    assert formulas["string 2 A scaled"] == "raw(`string 2 A`) * pow(10, A_SF)"
    assert len({field.id for field in layout.fields}) == len(layout.fields)


def test_groups_stand_in_groups_and_once_without_a_number():
    inner = {"name": "cell", "count": 2, "points": [{"name": "T", "type": "int16"}]}
    layout = read([{"name": "pack", "points": [{"name": "S", "type": "uint16"}], "groups": [inner]}]).layouts[0]
    assert [field.name for field in layout.fields][2:] == ["pack S", "pack cell 1 T", "pack cell 2 T"]


@pytest.mark.parametrize("count", ["N", 0, -1, 10_000, None, 2.5])
def test_a_group_whose_number_is_not_known_is_left_and_told(count):
    found = read([{"name": "string", "count": count, "points": POINTS}])
    assert [field.name for field in found.layouts[0].fields] == ["N", "A_SF"]
    assert [left.place for left in found.left] == ["group.groups[0]"]
    assert f"string repeats as often as {count!r} says" in found.left[0].reason


@pytest.mark.parametrize("group", ["text", 7, None, {"name": "x", "count": 1, "points": "none"}])
def test_what_is_no_group_is_told(group):
    found = read([group])
    assert [left.place for left in found.left] == ["group.groups[0]"] and len(found.layouts[0].fields) == 2


TYPES = {
    "int16": 1, "uint16": 1, "count": 1, "acc16": 1, "enum16": 1, "bitfield16": 1, "raw16": 1, "sunssf": 1,
    "int32": 2, "uint32": 2, "acc32": 2, "enum32": 2, "bitfield32": 2, "float32": 2, "ipaddr": 2,
    "int64": 4, "uint64": 4, "acc64": 4, "bitfield64": 4, "float64": 4, "eui48": 4, "ipv6addr": 8,
}  # fmt: skip
"""How many registers each type takes (SunSpec information model specification, 4.2)."""
NOT_THERE = {
    "int16": -32768, "uint16": 65535, "acc16": 0, "enum16": 65535, "bitfield16": 65535, "sunssf": -32768,
    "int32": -(2**31), "uint32": 2**32 - 1, "acc32": 0, "enum32": 2**32 - 1, "bitfield32": 2**32 - 1,
    "int64": -(2**63), "uint64": 2**64 - 1, "acc64": 0, "bitfield64": 2**64 - 1,
}  # fmt: skip
"""What says *not implemented*, as the same specification has it."""


@pytest.mark.parametrize(("kind", "registers"), TYPES.items())
def test_each_type_takes_its_registers_and_has_its_own_value_for_not_implemented(kind, registers):
    point = {"name": "P", "type": kind, "symbols": [{"name": "ON", "value": 1}]}
    layout = read([], points=[{"name": "N", "type": "uint16"}, point, {"name": "Z", "type": "uint16"}]).layouts[0]
    assert layout.registers.count == registers + 2
    field = layout.field_named("P")
    assert str(field.places).replace(" ", "..").split("..")[0] == "B2" and len(field.places) == 16 * registers
    assert str(field.unavailable) == (str(NOT_THERE[kind]) if kind in NOT_THERE else "")
