"""When layouts apply, register maps and their windows, carried layouts, ready-made parts, attributes as text."""

from __future__ import annotations

import json

import jsonschema
import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.codec.carried import CarriedError
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.layouts.applies import PatternError, parse_pattern
from zesty_abacus.core.layouts.attributes import attribute_text, attributes_of, with_attribute
from zesty_abacus.core.layouts.changes import describe_change
from zesty_abacus.core.layouts.json_form import SCHEMA_PATH, layout_from_json, layout_to_json
from zesty_abacus.core.layouts.json_schema import layout_schema
from zesty_abacus.core.layouts.model import (
    Applies,
    Carried,
    Elements,
    FieldKind,
    Group,
    RawSet,
    RegisterMap,
    Space,
    TextLine,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.raw_sets import RawSetError, parse_raw_set
from zesty_abacus.core.layouts.template import NothingToDoError
from zesty_abacus.core.layouts.templates import TEMPLATES, with_field_behind, with_one_more_inside
from zesty_abacus.core.layouts.validate import check_layout
from zesty_abacus.core.layouts.windows import from_window, window_of
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.reading.owners import owners_of_kind
from zesty_abacus.core.reading.ties import Tie
from zesty_abacus.demo.link_layouts import link_layouts


def capture_of(protocol, *frames):
    """Return a capture of one lane; a frame is (address, flags, payload)."""
    payload = np.frombuffer(b"".join(data for _, _, data in frames), np.uint8)
    sizes = np.array([len(data) for _, _, data in frames], np.uint32)
    table = FrameTable(
        np.arange(len(frames)), np.zeros(len(frames), np.uint16), np.array([f[0] for f in frames], np.int64),
        np.array([f[1] for f in frames], np.uint32), np.concatenate([[0], np.cumsum(sizes[:-1])]).astype(np.int64),
        sizes, payload,
    )  # fmt: skip
    return Capture.from_table(table, (Lane("one", protocol),))


def values_at(capture, layouts, number=0):
    layout = Meaning.of(capture, layouts).layout_of(number)
    frames = capture.kind_frames(number)
    decoded = decode(compile_layout(layout, layouts), frames.matrix, frames.sizes)
    return {column.field.name: int(column.value[0]) for column in decoded.columns.values()}


# sets of raw values


@given(st.lists(st.tuples(st.integers(-50, 50), st.integers(0, 9)), max_size=6))
def test_sets_know_no_order(spans):
    made = RawSet((low, low + more) for low, more in spans)
    listed = {raw for low, more in spans for raw in range(low, low + more + 1)}
    assert {raw for raw in range(-60, 70) if raw in made} == listed
    assert parse_raw_set(str(made)) == made and made == RawSet(reversed(made.spans))
    column = np.arange(-60, 70)
    assert (made.holds(column) == np.isin(column, sorted(listed))).all()
    assert made.holds(np.array([2**63], np.uint64)).tolist() == [False]


@pytest.mark.parametrize("text", ["a", "1..", "5..3", "1;2", "..4", "1...4"])
def test_what_is_no_set(text):
    with pytest.raises(RawSetError):
        parse_raw_set(text)


# which frames


@pytest.mark.parametrize(
    ("settings", "read"),
    [
        ({}, {0x100, 0x101, 0x180, 0x200}), ({"address": 0x101}, {0x101}),
        ({"address": 0x100, "to": 0x17F}, {0x100, 0x101}), ({"address": 0x100, "mask": 0x700}, {0x100, 0x101, 0x180}),
    ],
)  # fmt: skip
def test_addresses_spans_and_masks(settings, read):
    addresses = 0x100, 0x101, 0x180, 0x200
    capture = capture_of("can", *((address, 0, b"a") for address in addresses))
    meaning = Meaning.of(capture, [new_layout("m", Applies(**settings), 1, [new_field("f", at("B0"))])])
    assert {key.address for key, kind in zip(capture.kinds.keys, meaning.kinds, strict=True) if kind.readers} == read


def test_patterns_have_free_nibbles():
    wanted, mask = parse_pattern("A5 1? ??")
    assert wanted.tolist() == [0xA5, 0x10, 0] and mask.tolist() == [255, 0xF0, 0]
    for text in ("A", "G0", "A5 1"):
        with pytest.raises(PatternError):
            parse_pattern(text)
    matrix = np.array([[0xA5, 0x1F, 9, 0], [0xA5, 0x2F, 9, 0], [0xA5, 0x1F, 0, 0]], np.uint8)
    accepted = Applies(pattern="A5 1? ??", sizes=RawSet([(2, 4)])).accepts(matrix, np.array([3, 3, 2], np.uint32))
    assert accepted.tolist() == [True, False, False]


def test_frames_of_another_shape_are_not_read():
    layout = new_layout("m", Applies(address=1, pattern="AA"), 2, [new_field("v", at("B1"))])
    matrix = np.zeros((2, 8), np.uint8)
    matrix[:, 0] = 0xAA, 0xBB
    column = decode(compile_layout(layout), matrix, np.full(2, 2)).named("v")
    assert column.has_value.tolist() == [True, False]


def test_precedence_is_explained_and_a_tie_goes_first():
    capture = capture_of("can", (0x100, 0, b"\x01"))
    anyone = new_layout("any", Applies(), 1)
    span = new_layout("span", Applies(address=0, to=0x200), 1)
    exact = new_layout("exact", Applies(address=0x100), 1)
    lane = new_layout("lane", Applies(address=0, to=0x7FF, lanes=("one",)), 1)
    other = new_layout("other", Applies(address=0x300), 1)
    layouts = [anyone, span, exact, lane, other]
    found = Meaning.of(capture, layouts)
    assert found.layout_of(0) is lane
    assert found.kinds[0].words() == (
        "lane reads this message since it names this lane; exact, any, span would read it, too."
    )
    assert Meaning.of(capture, [anyone, span, exact]).kinds[0].readers[0].reason == "names this address"
    tied = Meaning.of(capture, layouts, [Tie(layout=other.id, lane="one", address=0x100, flags=0)])
    assert tied.layout_of(0) is other and tied.kinds[0].readers[0].reason == "is tied to it by hand"
    assert Meaning.of(capture, [other]).layout_of(0) is None
    assert Meaning.of(capture, [other], [Tie(layout=other.id, lane="one")]).layout_of(0) is other


def test_the_way_of_a_frame_counts():
    capture = capture_of("i2c", (0x50, 0, b"\x01"), (0x50, F.READ, b"\x02"))
    write = new_layout("to", Applies(protocol="i2c", address=0x50, way="write"), 1)
    read = new_layout("from", Applies(protocol="i2c", address=0x50, way="read"), 1)
    found = Meaning.of(capture, [write, read])
    assert [found.layout_of(kind).name for kind in range(2)] == ["to", "from"]


# register maps

METER = new_layout(
    "meter", Applies(protocol="modbus"), 0,
    [new_field("a", at("R0")), new_field("energy", at("R100 R101")), new_field("low", at("R1[7..0]"))],
    registers=RegisterMap(device=1, space=Space.HOLDING, first=1, count=120),
)  # fmt: skip
READ_100 = 1 << 24 | 3 << 16 | 100


def test_an_exchange_reads_the_stretch_it_carries():
    capture = capture_of(
        "modbus",
        (1 << 24 | 3 << 16, F.ANSWER, bytes.fromhex("0007 1234")), (READ_100, 0, b"\0\2"),
        (READ_100, F.ANSWER, bytes.fromhex("00010002")), (2 << 24 | 3 << 16, F.ANSWER, b"\0\1"),
    )  # fmt: skip
    meaning = Meaning.of(capture, [METER])
    by_name = [meaning.layout_of(kind) for kind in range(len(meaning.kinds))]
    assert [layout is not None for layout in by_name] == [True, False, True, False]
    assert values_at(capture, [METER], 0) == {"a": 7, "low": 0x34}
    assert values_at(capture, [METER], 2) == {"energy": 0x10002}
    # a write of registers carries them in the request
    written = capture_of("modbus", (1 << 24 | 16 << 16 | 100, 0, bytes.fromhex("00000009")))
    assert values_at(written, [METER]) == {"energy": 9}


def test_coils_and_byte_registers_count_their_own_way():
    flags = [new_field(f"c{n}", at(f"B{n // 8}[{n % 8}]"), FieldKind.FLAG) for n in range(12)]
    twelve = RegisterMap(space=Space.COILS, count=12)
    coils = new_layout("c", Applies(protocol="modbus"), 0, flags, registers=twelve)
    capture = capture_of("modbus", (1 << 24 | 1 << 16 | 5, F.ANSWER, bytes([0b0101_0001])))
    assert values_at(capture, [coils]) == {f"c{n}": int(n in (5, 9, 11)) for n in range(5, 12)}
    sensor = new_layout("s", Applies(protocol="registers"), 0, [new_field("x", at("B17 B16"))],
                        registers=RegisterMap(device=0x5A, space=Space.BYTES))  # fmt: skip
    assert values_at(capture_of("registers", (0x5A0010, F.READ, b"\x01\x02")), [sensor]) == {"x": 0x201}


def test_customary_numbers():
    """Modbus Application Protocol V1.1b3, 4.4: registers count from 1 in papers, and a leading digit is customary."""
    holding = RegisterMap(space=Space.HOLDING, first=1)
    assert holding.customary(0) == "40001" and holding.customary(12) == "40013" and holding.paper(12) == 13
    assert holding.customary(10000) == "410001"
    assert RegisterMap(space=Space.INPUT).customary(7) == "30008"
    assert RegisterMap(space=Space.COILS).customary(0) == "00001"
    assert RegisterMap(space=Space.DISCRETE).customary(9) == "10010"


def test_an_edit_of_a_window_is_put_back_into_the_map():
    view = window_of(METER, 100, 4)
    assert [str(field.places) for field in view.fields] == ["B0..B3"]
    renamed = view.with_field(msgspec.structs.replace(view.fields[0], name="work"))
    back = from_window(METER, renamed.with_field(new_field("spare", at("B2"))))
    assert {field.name: str(field.places) for field in back.fields} == {
        "a": "B0 B1", "low": "B3", "work": "B200..B203", "spare": "B202",
    }  # fmt: skip
    assert from_window(METER, view) == METER
    assert from_window(METER, view.without_field(view.fields[0].id)).field_named("energy") is None


# carried layouts


def test_a_carried_layout_is_read_where_it_lies():
    inner = new_layout("inner", Applies(protocol="x"), 2, [new_field("value", at("B0 B1"))])

    def carry(name):
        return Carried(id=new_field("i", at("B0")).id, name=name, layout=inner.id)

    outer = new_layout("outer", Applies(protocol="serial"), 1, [new_field("kind", at("B0"))], parts=(carry("c"),))
    capture = capture_of("serial", (0, 0, b"\x07\x01\x02"))
    assert values_at(capture, [outer, inner]) == {"kind": 7, "value": 0x102}
    assert (owners_of_kind(Meaning.of(capture, [outer, inner]), 0)[:24] >= 0).all()
    with pytest.raises(CarriedError, match="not in the library"):
        compile_layout(outer, [])
    loop = msgspec.structs.replace(inner, parts=(Carried(id=inner.id, name="again", layout=outer.id),))
    with pytest.raises(CarriedError, match="carries itself"):
        compile_layout(outer, [loop, outer])


# forms

OBEYS = jsonschema.Draft202012Validator(json.loads(SCHEMA_PATH.read_text()))


@pytest.mark.parametrize("layout", link_layouts(), ids=lambda layout: layout.name)
def test_every_layout_goes_through_json_and_its_schema(layout):
    text = layout_to_json(layout)
    assert layout_from_json(text) == layout and check_layout(layout) == []
    OBEYS.validate({"format": "zesty-abacus layouts", "version": 2, "layouts": [json.loads(text)]})


def test_the_published_schema_is_the_one_of_the_model():
    assert json.loads(SCHEMA_PATH.read_text()) == layout_schema()


BASE = new_layout(
    "m", Applies(protocol="serial"), 8,
    [new_field("count", at("B0")), new_field("flag", at("B1[7]"), FieldKind.FLAG), new_field("a", at("B2 B3")),
     new_field("b", at("B4 B5")), new_field("check", at("B7"))],
)  # fmt: skip


@pytest.mark.parametrize("template", TEMPLATES, ids=lambda template: template.name)
def test_whatever_is_dropped_in_is_valid_and_every_attribute_can_be_read_back(template):
    once = template.name == "Reserved bits"
    made = template.add(BASE) if once else template.add(template.add(BASE))
    assert check_layout(made) == []
    assert "added" in describe_change(BASE, template.add(BASE))
    for item in (*made.parts, *made.checks, *made.computed):
        for attribute in attributes_of(item):
            text = attribute_text(item, attribute.name, made)
            assert with_attribute(item, attribute.name, text, made) == item, (attribute.name, text)
        assert made.item(item.id) is item and made.without_item(item.id) != made
    grown = next((part for part in made.parts if isinstance(part, Group | Elements | TextLine)), None)
    if grown is not None:
        assert check_layout(with_one_more_inside(made, grown)) == []


def test_templates_say_why_they_have_no_place():
    empty = new_layout("m", Applies(protocol="x"), 0)
    for template in TEMPLATES:
        try:
            assert check_layout(template.add(empty)) == []
        except NothingToDoError as error:
            assert str(error).endswith(".")


def test_a_check_goes_into_the_last_free_bytes_before_it_takes_the_last_field():
    templates = {template.name: template for template in TEMPLATES}
    heat, speed = new_field("heat", at("B0 B1")), new_field("speed", at("B3"))
    free = new_layout("m", Applies(address=1), 8, fields=[heat, speed])
    for name, places in (("Sum", "B7"), ("Exclusive or", "B7"), ("CRC-16", "B6 B7")):
        template = next(one for called, one in templates.items() if called.startswith(name))
        made = template.add(free)
        (new,) = (field for field in made.fields if field not in free.fields)
        assert (new.name, str(new.places), made.checks[-1].field) == ("check", places, new.id), name
        assert check_layout(made) == []
    full = new_layout("m", Applies(address=1), 4, fields=[heat, speed])
    (xor,) = (one for called, one in templates.items() if called.startswith("Exclusive or"))
    assert xor.add(full).checks[-1].field == speed.id and len(xor.add(full).fields) == 2
    named = new_layout("m", Applies(address=1), 8, fields=[new_field("check digits", at("B1")), heat])
    assert xor.add(named).checks[-1].field == named.fields[0].id, "what is called so comes first"


def test_a_field_goes_into_the_first_free_register():
    made = with_field_behind(METER)
    assert {str(f.places) for f in made.fields} - {str(f.places) for f in METER.fields} == {"B4 B5"}
    assert check_layout(made) == []
