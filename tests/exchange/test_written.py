"""What is written comes back as it was, as far as the format can say it; the rest is listed."""

from __future__ import annotations

import json
import re

import pytest
from hypothesis import given, settings

from tests.cli.program import run
from tests.strategies import layouts
from zesty_abacus.core.exchange import autosar, autosar_write, eds, sunspec, thing, xtce, xtce_write
from zesty_abacus.core.exchange.onto import onto_library
from zesty_abacus.core.exchange.registry import WRITERS, read_layout_file
from zesty_abacus.core.exchange.result import ExchangeError
from zesty_abacus.core.layouts.model import Applies, FieldKind, RawSet, RegisterMap, Selected, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.demo.link_layouts import link_layouts
from zesty_abacus.demo.messages import all_messages

WRITTEN = {"xtce": (xtce_write.write, xtce.read), "autosar": (autosar_write.write, autosar.read)}


def demo_layouts():
    return [*link_layouts(), *(message.layout for message in all_messages() if message.layout is not None)]


@pytest.mark.parametrize("form", list(WRITTEN))
@given(layout=layouts(max_size=8))
@settings(max_examples=40)
def test_every_field_comes_back_or_is_listed(form, layout):
    write, read = WRITTEN[form]
    written = write([layout])
    found = read(written.data, "again")
    (again,) = found.layouts
    assert (again.id, again.name.strip(), again.size) == (layout.id, layout.name.strip(), layout.size)
    assert (again.applies.address, again.applies.extended) == (layout.applies.address, layout.applies.extended)
    listed = [left.place for left in written.left]
    back = {field.id: field for field in again.fields}
    for field in layout.fields:
        place = next((one for one in listed if one.endswith(f", {field.name}")), None)
        if field.id not in back:
            assert place is not None, f"{field.name} is gone and nobody said so"
        elif place is None:
            assert back[field.id] == field
        else:
            assert back[field.id].places == field.places


@pytest.mark.parametrize("form", [name for name in WRITERS if name not in ("sunspec", "eds")])
def test_the_demo_library_goes_out_and_comes_in_without_a_change(form, tmp_path):
    """The file of a format, brought in over the library it came from, changes nothing at all."""
    known = demo_layouts()
    path = tmp_path / f"demo{WRITERS[form][1]}"
    written = WRITERS[form][2](known)
    path.write_bytes(written.data)
    name, found = read_layout_file(path)
    assert found.left == [] and found.layouts
    assert set(onto_library(found.layouts, known, name)) <= set(known)
    assert bool(written.left) == (form != "json")


def test_a_change_in_the_file_is_carried_over_and_nothing_else(tmp_path):
    known = demo_layouts()
    written = xtce_write.write(known)
    path = tmp_path / "changed.xml"
    path.write_bytes(written.data.replace(b'maxInclusive="210"', b'maxInclusive="250"'))
    name, found = read_layout_file(path)
    kept = onto_library(found.layouts, known, name)
    changed = [(now, was) for now in kept for was in known if now.id == was.id and now != was]
    assert [now.name for now, _ in changed] == ["Valve island"]
    now, was = changed[0]
    assert now.field_named("pressure").high == 250 and now.registers == was.registers and now.checks == was.checks


def register_map(*fields, **settings):
    return new_layout("Tug meter", Applies(protocol="modbus"), 0, fields, registers=RegisterMap(count=40), **settings)


def test_a_model_holds_one_map_with_powers_of_ten():
    volts = new_field("V", parse_places("R2"), FieldKind.UNSIGNED, unit="V")
    amps = new_field("A", parse_places("R4 R5"), FieldKind.SIGNED, unit="A")
    odd = new_field("odd", parse_places("B1"))
    written = sunspec.write([register_map(volts, amps, odd)])
    points = json.loads(written.data)["group"]["points"]
    assert [(p["name"], p["type"], p["size"]) for p in points] == [
        ("Pad0", "pad", 2), ("V", "uint16", 1), ("Pad3", "pad", 1), ("A", "int32", 2),
    ]  # fmt: skip
    assert [left.place for left in written.left] == ["odd"]
    (again,) = sunspec.read(written.data, "again").layouts
    assert [(f.name, f.places, f.unit) for f in again.fields] == [(f.name, f.places, f.unit) for f in (volts, amps)]
    with pytest.raises(ExchangeError, match="2 maps"):
        sunspec.write([register_map(), register_map()])


def test_process_data_keep_their_gaps():
    first = new_field("speed", parse_places("B2 B1"), FieldKind.SIGNED)
    second = new_field("heat", parse_places("B7..B4"), FieldKind.FLOAT)
    nibble = new_field("nibble", parse_places("B3[7..4]"))
    layout = new_layout("Drive", Applies(address=0x18FF0001, extended=True), 8, [first, second, nibble])
    written = eds.write([layout])
    (again,) = eds.read(written.data, "again").layouts
    assert (again.applies.address, again.applies.extended) == (0x18FF0001, True)
    assert [(f.name, f.places, f.kind) for f in again.fields] == [(f.name, f.places, f.kind) for f in (first, second)]
    assert any("nibble" in left.place for left in written.left)


def test_gaps_in_process_data_are_the_dummies_of_the_standard():
    """CiA 301: the data types UNSIGNED8, 16 and 32 are the objects 5, 6 and 7, mapped to fill what nobody wants."""
    fields = [new_field("first", parse_places("B0")), new_field("last", parse_places("B7"))]
    layout = new_layout("Sparse", Applies(address=0x181), 8, fields)
    sheet = eds.write([layout]).data.decode()
    mapped = re.findall(r"\[1A00sub[1-9]\]\nParameterName=entry\nDataType=0x0007\nDefaultValue=(\w+)", sheet)
    assert mapped == ["0x20000008", "0x00070020", "0x00060010", "0x20010008"]


def test_a_thing_says_in_the_standard_what_it_can():
    field = new_field("level", parse_places("R11 R10"), FieldKind.FLOAT, unit="mm")
    bits = new_field("door", parse_places("B5[3]"), FieldKind.FLAG)
    written = thing.write([register_map(field, bits)])
    described = json.loads(written.data)["properties"]["level"]
    form = described["forms"][0]
    assert described["unit"] == "mm" and form["modv:type"] == "xsd:float" and form["href"] == "1/10?quantity=2"
    assert (form["modv:mostSignificantWord"], form["modv:mostSignificantByte"]) == (False, True)
    assert [left.place for left in written.left] == ["Tug meter, door"]
    (again,) = thing.read(written.data, "again").layouts
    assert {f.id: f for f in again.fields} == {field.id: field, bits.id: bits}


def test_pages_of_a_system_description_are_alternatives():
    page = new_field("page", parse_places("B0"))
    fields = [new_field(f"on {n}", parse_places("B1"), selected=Selected(page.id, RawSet.of(n))) for n in (1, 2)]
    many = new_field("many", parse_places("B2"), selected=Selected(page.id, RawSet.of(1, 2)))
    layout = new_layout("Pages", Applies(address=5), 8, [page, *fields, many])
    written = autosar_write.write([layout])
    assert written.data.count(b"<DYNAMIC-PART-ALTERNATIVE>") == 2
    (again,) = autosar.read(written.data, "again").layouts
    assert {f.id: f for f in again.fields} == {f.id: f for f in (page, *fields)}
    assert [left.place for left in written.left] == ["Pages, many"]


def test_the_command_line_puts_out_other_formats(tmp_path):
    library, own = tmp_path / "own.sqlite", tmp_path / "all.json"
    own.write_bytes(WRITERS["json"][2](demo_layouts()).data)
    run("library", "new", library)
    run("library", "import", library, own)
    for form in ("csv", "sunspec", "thing"):
        ending = WRITERS[form][1]
        chosen = ["--only", "Shore meter"] if form == "sunspec" else []
        code, _, err = run("library", "export", library, "--to", form, *chosen, "-o", tmp_path / f"out{ending}")
        assert code == 0, err
        assert "not put out" in err
    assert run("library", "export", library, "--only", "nobody")[0] != 0
