"""Files of XTCE, AUTOSAR and Thing Descriptions, written by hand: good, lacking, broken and hostile."""

from __future__ import annotations

import random
import struct

import numpy as np
import pytest

from tests.exchange.files import AUTOSAR, THING, XTCE
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.errors import AbacusError
from zesty_abacus.core.exchange.registry import read_layout_file
from zesty_abacus.core.exchange.result import ExchangeError
from zesty_abacus.core.exchange.xml import parse_xml
from zesty_abacus.core.exchange.xtce_document import Document
from zesty_abacus.core.layouts.model import FieldKind, Group, RawSet, Repeat, Run, Space
from zesty_abacus.core.layouts.validate import check_layout


def read(tmp_path, text):
    path = tmp_path / "file"
    path.write_text(text)
    name, found = read_layout_file(path)
    for layout in found.layouts:
        assert check_layout(layout) == []
    return name, {layout.name: layout for layout in found.layouts}, {left.place: left.reason for left in found.left}


def values(layout, payload):
    data = np.frombuffer(payload.ljust(-(-len(payload) // 8) * 8, b"\0"), np.uint8)[None, :]
    return decode(compile_layout(layout), data, np.array([len(payload)]))


def test_containers_that_extend_one_are_pages_of_it(tmp_path):
    name, layouts, _ = read(tmp_path, XTCE)
    assert name == "XTCE" and set(layouts) == {"Head", "Log"}
    head = layouts["Head"]
    places = {field.name: str(field.places) for field in head.fields}
    assert places == {
        "version": "B0[7..5]", "state": "B0[4..1]", "lamp": "B0[0]", "page": "B1", "heat": "B3 B2",
        "tilt": "B4[3..0] B5", "depth": "B2..B5",
    }  # fmt: skip
    page = head.field_named("page").id
    assert head.field_named("heat").selected.values == RawSet.of(1)
    assert head.field_named("depth").selected.values == RawSet([(2, 4)])
    assert head.field_named("depth").selected.field == page
    # version 5, state 3, lamp lit, page 1; the water has -5.5 + 0.125 * -100
    decoded = values(head, bytes([0b101_0011_1, 1]) + struct.pack("<h", -100) + b"\x0f\xff")
    assert decoded.named("heat").value[0] == -18 and decoded.named("tilt").value[0] == 99.5
    assert head.field_named("state").label_of(int(decoded.named("state").raw[0])) == "moored"
    assert head.field_named("lamp").kind is FieldKind.FLAG and head.field_named("lamp").label_of(1) == "lit"
    assert decoded.named("depth").validity[0] != decoded.named("heat").validity[0]
    assert values(head, bytes([0, 4]) + struct.pack(">f", 12.5)).named("depth").value[0] == 12.5


def test_what_moves_in_a_container_moves_here(tmp_path):
    _, layouts, left = read(tmp_path, XTCE)
    log = layouts["Log"]
    swell, name, behind, note, blob = log.parts
    assert isinstance(swell, Group) and swell.repeat is Repeat.COUNT and isinstance(name, Run) and name.end == "00"
    assert isinstance(behind, Group) and isinstance(note, Run) and isinstance(blob, Run)
    payload = bytes([2, 7, 9]) + b"Yuzu\0" + bytes([16]) + b"hi" + bytes(range(5)) + b"rest"
    decoded = values(log, payload)
    assert decoded.arrays[swell.id].columns[swell.fields[0].id].raw.tolist() == [7, 9]
    assert decoded.named("name").text_of(0) == "Yuzu" and decoded.named("note").text_of(0) == "hi"
    assert decoded.named("blob").text_of(0).replace(" ", "") == "0001020304"
    reasons = " ".join(left.values())
    assert "12 bits with the low byte first" in reasons and "no parameter missing" in reasons
    assert "commands" in reasons and "this kind of entry" in reasons
    assert all(place.startswith("line ") for place in left)


def test_a_container_in_another_is_there_once_or_as_often_as_a_parameter_says(tmp_path):
    text = XTCE.replace(
        '<SequenceContainer name="Log">',
        """<SequenceContainer name="Buoy"><EntryList>
     <ParameterRefEntry parameterRef="heat"/></EntryList></SequenceContainer>
     <SequenceContainer name="Fleet"><EntryList><ParameterRefEntry parameterRef="count"/>
      <ContainerRefEntry containerRef="Buoy"><RepeatEntry><Count><DynamicValue>
       <ParameterInstanceRef parameterRef="count"/></DynamicValue></Count></RepeatEntry></ContainerRefEntry>
      <ContainerRefEntry containerRef="Head"/></EntryList></SequenceContainer>
     <SequenceContainer name="Log">""",
    )
    _, layouts, _ = read(tmp_path, text)
    fleet = layouts["Fleet"]
    buoys, head = fleet.parts
    assert (buoys.repeat, head.repeat) == (Repeat.COUNT, Repeat.ONCE) and head.amount is None
    payload = bytes([2]) + struct.pack("<hh", 44, 84) + bytes([0b101_0011_1, 9])
    decoded = values(fleet, payload)
    assert decoded.arrays[buoys.id].columns[buoys.fields[0].id].value.tolist() == [0, 5]
    assert decoded.named("version").raw[0] == 5 and decoded.named("page").raw[0] == 9


@pytest.mark.parametrize(("entry", "moves"), [
    ("", False), ("<RepeatEntry><Count><FixedValue>3</FixedValue></Count></RepeatEntry>", True),
    ("<IncludeCondition><Comparison parameterRef='count' value='1'/></IncludeCondition>", True),
])  # fmt: skip
def test_a_container_within_another_moves_what_follows_if_it_repeats_or_may_be_left_out(entry, moves):
    text = (
        "<SpaceSystem><ContainerSet><SequenceContainer name='Buoy'/><SequenceContainer name='Fleet'><EntryList>"
        f"<ContainerRefEntry containerRef='Buoy'>{entry}</ContainerRefEntry></EntryList></SequenceContainer>"
        "</ContainerSet></SpaceSystem>"
    )
    document = Document(parse_xml(text.encode(), "fleet.xml"))
    assert document.moves(document.containers["Fleet"], 0) is moves


def test_frames_signals_and_pages_of_a_system_description(tmp_path):
    name, layouts, left = read(tmp_path, AUTOSAR)
    assert name == "AUTOSAR system description" and set(layouts) == {"Winch", "WinchPages"}
    winch, pages = layouts["Winch"], layouts["WinchPages"]
    assert (winch.applies.address, winch.applies.extended, winch.size) == (448, False, 8)
    pull = winch.field_named("pull")
    assert (str(pull.places), pull.kind, pull.unit, pull.low) == ("B0 B1", FieldKind.SIGNED, "kN", -50)
    assert pull.ratio * 3 == 1 and pull.offset * 3 == -10 and pull.high * 2 == 1601
    assert str(winch.field_named("speed").places) == "B3[3..0] B2"
    mode = winch.field_named("mode")
    assert (str(mode.places), mode.kind, mode.label_of(5)) == ("B3[7..5]", FieldKind.NAMES, "haul")
    assert (pages.applies.address, pages.applies.extended) == (0x18FF1234, True)
    page = pages.field_named("page")
    held = {f.name: (str(f.places), f.selected.values) for f in pages.fields if f.selected}
    assert held == {"rope": ("B2 B1", RawSet.of(1)), "oil": ("B1", RawSet.of(2))}
    assert pages.field_named("oil").selected.field == page.id
    assert any("Silent" in place and "identifier" in reason for place, reason in left.items())
    assert any("not in the file" in reason for reason in left.values())


def test_properties_of_a_thing_are_registers(tmp_path):
    name, layouts, left = read(tmp_path, THING)
    assert name == "W3C Thing Description"
    holding, coils = layouts["Bilge pump"], layouts["Bilge pump coils"]
    inputs = layouts["Bilge pump input registers"]
    level, flow = holding.field_named("level"), holding.field_named("flow")
    # registers 10 and 11 with the low word first; register 12 with the low byte first
    assert (str(level.places), level.kind, level.unit) == ("B22 B23 B20 B21", FieldKind.FLOAT, "mm")
    assert (str(flow.places), flow.kind, flow.note) == ("B25 B24", FieldKind.SIGNED, "out")
    assert level.high * 2 == 1801
    assert (holding.registers.device, holding.registers.space, holding.registers.first) == (3, Space.HOLDING, 0)
    mode = inputs.field_named("mode")
    assert (inputs.registers.first, mode.kind, mode.label_of(1)) == (1, FieldKind.NAMES, "on")
    assert mode.places.bits[0] // 16 == 40000
    assert coils.field_named("alarm").places.bits == (5,)
    assert set(left) == {"properties.web", "properties.vague", "properties.long", "actions.start"}


@pytest.mark.parametrize(
    ("text", "words"),
    [
        (XTCE.replace("</ParameterSet>", ""), "line 63"), (AUTOSAR[:900], "not well-formed"),
        ('<!DOCTYPE x [<!ENTITY a "b">]>' + XTCE.partition("?>")[2], "entities"),
        ('<SpaceSystem xmlns="http://www.omg.org/spec/XTCE/20180204"/>', "no containers"),
        ('<AUTOSAR xmlns="http://autosar.org/schema/r4.0"/>', "no CAN frames"),
        ('{"@context": "https://www.w3.org/2022/wot/td/v1.1", "properties": 5}', "no Thing Description"),
        ('{"@context": "https://www.w3.org/2022/wot/td/v1.1", "properties": {}}', "no properties"),
    ],
)  # fmt: skip
def test_broken_and_hostile_files_say_what_is_wrong(tmp_path, text, words):
    with pytest.raises(ExchangeError, match=words):
        read(tmp_path, text)


def test_entities_are_never_opened(tmp_path):
    secret = tmp_path / "secret"
    secret.write_text("do not read")
    hostile = XTCE.replace('name="Buoy">', 'name="Buoy"> &leak;').replace(
        "?>", f'?><!DOCTYPE x [<!ENTITY leak SYSTEM "file://{secret}">]>', 1
    )
    with pytest.raises(ExchangeError) as told:
        read(tmp_path, hostile)
    assert "do not read" not in str(told.value)


@pytest.mark.parametrize("text", [XTCE, AUTOSAR, THING], ids=["XTCE", "AUTOSAR", "Thing"])
def test_changed_files_give_valid_layouts_or_a_clear_error(tmp_path, text):
    dice = random.Random(11)
    bites = ["", "0", "9", "-", "1e9", "99999999999999999999", '"', "<", ">", "page", "heat", "x", "0x", "&lt;", "null"]
    told = 0
    for _ in range(250):
        changed = list(text)
        for _ in range(dice.randint(1, 5)):
            changed[dice.randrange(len(changed))] = dice.choice(bites)
        try:
            read(tmp_path, "".join(changed))
        except AbacusError as error:
            told += 1
            assert str(error)
    assert told < 250


def test_containers_in_a_circle_are_told(tmp_path):
    text = XTCE.replace(
        '<SequenceContainer name="Log"><EntryList>',
        '<SequenceContainer name="Log"><EntryList><ContainerRefEntry containerRef="Log"/>',
    ).replace('containerRef="Head"', 'containerRef="Water"', 1)
    _, layouts, left = read(tmp_path, text)
    assert isinstance(layouts, dict) and left
