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
