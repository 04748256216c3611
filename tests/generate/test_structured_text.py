"""Structured text from layouts: read by a grammar, run step by step, equal to the codec."""

from __future__ import annotations

import math
import os
import random
import struct
from fractions import Fraction

import pytest

from tests.generate.any_layouts import Maker
from tests.generate.compiled import made_of
from tests.generate.structured_text.running import FaultError, Record
from tests.generate.structured_text.translator import Program
from tests.generate.test_c import STRETCHES, stretch_layout, stretch_payload, tug_layout
from zesty_abacus.core.generate.carried import carry
from zesty_abacus.core.generate.iec61131.files import FORMS, RESERVED
from zesty_abacus.core.generate.vectors import vectors_of
from zesty_abacus.core.layouts.model import (
    Applies,
    FieldKind,
    NamedValue,
    RegisterMap,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import parse_places as at

SEED = int(os.environ.get("LAYOUT_SEED", random.SystemRandom().getrandbits(32)))
COUNT = int(os.environ.get("LAYOUT_COUNT", "30"))


class Loaded:
    """Generated code as its manifest describes it."""

    def __init__(self, layouts, **settings):
        self.made = made_of(layouts, "structured-text", **settings)
        self.program = Program(*self.made.files.values())
        self.messages = {one.message: one for one in self.made.manifest.messages}
        names = self.program.types[f"{self.made.manifest.prefix}_result"][1]
        self.results = {names[name]: word for word, name in self.made.manifest.results.items()}

    def unpack(self, name, payload, size=None):
        said = self.messages[name]
        data = self.filled(said, payload)
        _, outputs = self.program.call(said.unpack, {"data": data, "size": len(payload) if size is None else size})
        return self.results[outputs.pop("result")], outputs

    def pack(self, name, payload, raw: Record):
        said = self.messages[name]
        data = self.filled(said, payload)
        _, outputs = self.program.call(said.pack, {"data": data, "raw": raw, "size": len(payload)})
        unit = 2 if "WORD" in said.data else 1
        octets = b"".join(number.to_bytes(unit, "big") for number in data)
        return self.results[outputs["result"]], octets[: len(payload)]

    def filled(self, said, payload):
        unit = 2 if "WORD" in said.data else 1
        data = self.program.new(f"{said.struct}_data")
        full = payload.ljust(len(data) * unit, b"\0")
        return [int.from_bytes(full[k * unit : k * unit + unit], "big") for k in range(len(data))]


def compared(loaded: Loaded, message, vector, said: str) -> int:
    """Compare what a payload is unpacked to with what it means; return how many things were compared."""
    result, found = loaded.unpack(message.layout.name, vector.payload)
    assert result == vector.result, said
    count = 1
    for one in message.fields:
        expected = vector.told.fields[one.name]
        if one.field.selected is not None and result != "too_short":
            there, _ = loaded.program.call(f"any_{message.name}_has_{one.name}", {"raw": found["raw"]})
            assert there is expected.is_there, said
        if not expected.is_there:
            continue
        raw = found["raw"][one.raw]
        if isinstance(expected.raw, bytes):
            assert bytes(raw) == expected.raw, said
            continue
        assert expected.raw is None or raw == expected.raw, f"{said} {one.name}"
        # what is infinite is not known here: the language has no word for it
        assert found[f"{one.name}_known"] is math.isfinite(expected.value), f"{said} {one.name}"
        assert not math.isfinite(expected.value) or found[f"{one.name}_value"] == expected.value, f"{said} {one.name}"
        count += 2
    for one in message.computed:
        if one.name in vector.told.computed:
            wanted = vector.told.computed[one.name]
            assert found[f"{one.name}_known"] is math.isfinite(wanted), f"{said} {one.name}"
            assert not found[f"{one.name}_known"] or math.isclose(found[f"{one.name}_value"], wanted, rel_tol=1e-12)
    if vector.comes_back:
        assert loaded.pack(message.layout.name, bytes(len(vector.payload)), found["raw"]) == ("ok", vector.payload), (
            said
        )
    return count


@pytest.mark.parametrize("seed", [3, SEED], ids=["fixed", "fresh"])
def test_any_layout_is_read_and_written_as_the_codec_does(seed):
    layouts = list(Maker(seed).layouts(COUNT))
    loaded = Loaded(layouts)
    assert len(loaded.messages) + len(loaded.made.manifest.left_out) == COUNT
    assert all("64 bits" in one.reason for one in loaded.made.manifest.left_out), f"seed {seed}"
    messages, _ = carry(layouts, FORMS, {}, reserved=RESERVED)
    total = 0
    for message in (one for one in messages if one.layout.name in loaded.messages):
        for number, vector in enumerate(vectors_of(message, 12, seed=5)):
            total += compared(loaded, message, vector, f"seed {seed}: {message.layout.name}, payload {number}")
    assert total > 60 * COUNT


def test_the_block_that_tries_the_code_on_the_controller_finds_no_difference():
    loaded = Loaded(list(Maker(SEED).layouts(12)))
    _, outputs = loaded.program.call("any_test", {}, loaded.program.new("any_test"))
    assert outputs["different"] == 0 and outputs["tried"] > 100, f"seed {SEED}"


def test_a_message_by_hand():
    """Known bytes and what they say, worked out on paper."""
    loaded = Loaded([tug_layout()], prefix="tug")
    said = loaded.messages["Motion"]
    assert (said.struct, said.unpack, said.pack, said.data) == (
        "tug_motion", "tug_motion_unpack", "tug_motion_pack", "ARRAY[0..3] OF BYTE",
    )  # fmt: skip
    result, found = loaded.unpack("Motion", bytes.fromhex("135AFF21"))
    assert result == "ok" and found["raw"]["water_speed_raw"] == -166 and found["raw"]["pull_raw"] == 0x21
    assert found["water_speed_known"] is True and found["water_speed_value"] == -1.66
    call = loaded.program.call
    assert call("tug_motion_label_page", {"raw": found["raw"]})[0] == "ahead"
    assert call("tug_motion_good_water_speed", {"raw": found["raw"]})[0] is True
    _, without = loaded.unpack("Motion", bytes.fromhex("230080FF"))
    assert without["water_speed_known"] is False and without["water_speed_value"] == 0.0, "it is not available"
    assert without["pull_known"] is False, "another page"
    assert loaded.unpack("Motion", bytes.fromhex("135AFF21"), size=3)[0] == "too_short"
    raw = without["raw"]
    results = [call("tug_motion_set_water_speed", {"value": value, "raw": raw})[0] for value in (400.0, -1.664)]
    assert [loaded.results[one] for one in results] == ["does_not_fit", "ok"] and raw["water_speed_raw"] == -166
    # what no field owns stays: of page 2 all of the last byte
    raw["water_speed_raw"] = 256
    assert loaded.pack("Motion", bytes.fromhex("FFFFFFFF"), raw) == ("ok", bytes.fromhex("230001FF"))
    call("tug_motion_count_turns", {"made": raw})
    assert raw["turns_raw"] == 4
    raw["turns_raw"] = 16
    assert loaded.pack("Motion", bytes(4), raw)[0] == "does_not_fit"


def test_a_check_over_as_many_bytes_as_a_large_number_says():
    loaded = Loaded([stretch_layout()])
    found = [loaded.unpack("Stretch", stretch_payload(count, check))[0] for count, check, _ in STRETCHES]
    assert found == [result for _, _, result in STRETCHES]


def test_registers_stay_registers():
    """Words in either order, and rows of equal registers."""
    strings = [
        made for k in range(3) for made in (
            new_field(f"voltage {k}", at(f"R{6 + 2 * k}"), ratio=Fraction(1, 10)),
            new_field(f"current {k}", at(f"R{7 + 2 * k}"), FieldKind.SIGNED),
        )
    ]  # fmt: skip
    fields = [new_field("energy", at("R1 R0")), new_field("heat", at("R4 R5"), FieldKind.FLOAT),
              new_field("power", at("R2 R3"), FieldKind.SIGNED, ratio=Fraction(1, 1000))]  # fmt: skip
    layout = new_layout("Charger", Applies(protocol="modbus"), 24, [*fields, *strings],
                        registers=RegisterMap(device=1, count=12))  # fmt: skip
    loaded = Loaded([layout])
    assert loaded.messages["Charger"].data == "ARRAY[0..11] OF WORD"
    assert "WORD_TO_LWORD(data[1])" in loaded.made.files["any.st"]
    payload = struct.pack(">HHifHhHhHh", 0x5678, 0x1234, -2500, 123.25, 4001, -3, 4002, 4, 0, -32768)
    assert len(payload) == 24
    result, found = loaded.unpack("Charger", payload)
    assert result == "ok"
    assert (found["energy_value"], found["power_value"], found["heat_value"]) == (0x12345678, -2.5, 123.25)
    assert [found[f"voltage_{k}_value"] for k in range(3)] == [400.1, 400.2, 0.0]
    assert [found[f"current_{k}_value"] for k in range(3)] == [-3, 4, -32768]
    assert loaded.pack("Charger", bytes(24), found["raw"]) == ("ok", payload)


def test_names_are_told_apart_in_either_case():
    """The result *ok*, the helpers and the words of the language are taken already."""
    fields = [new_field("Value", at("B0[7..4]")), new_field("value known", at("B0[3..0]"))]
    names = ["Result", "OK", "round", "Motion", "motion data", "Step"]
    layouts = [new_layout(name, Applies(address=number), 1, fields) for number, name in enumerate(names)]
    loaded = Loaded(layouts)
    assert len(loaded.messages) == 6
    for name in loaded.messages:
        _, found = loaded.unpack(name, b"\x5a")
        assert (found["value_value"], found["value_known_value"]) == (5, 10), name


def test_text_of_people_breaks_no_comment_and_no_string():
    names = (NamedValue(1, "it's 5 $ *) ü"),)
    layout = new_layout("Fees (* all *)", Applies(address=1), 1, [new_field("fee *) end", at("B0"), names=names)])
    loaded = Loaded([layout])
    _, found = loaded.unpack("Fees (* all *)", b"\x01")
    name = loaded.messages["Fees (* all *)"].struct
    assert loaded.program.call(f"{name}_label_fee_end", {"raw": found["raw"]})[0] == "it's 5 $ *) ü"


@pytest.mark.parametrize(
    ("statement", "said"),
    [
        ("n := n + INT#32767; n := n + INT#1;", "does not fit INT"),
        ("n := LINT_TO_INT(LINT#40000);", "does not fit INT"),
        ("n := LINT#1;", "is lint, not int"),
        ("n := n / m;", "division by zero"),
        ("n := a[3];", "item 3 of 3"),
        ("x := SQRT(LREAL#-1.0);", "SQRT"),
        ("b := LREAL_TO_LWORD(x);", "left to each controller"),
        ("b := INT_TO_LWORD(INT#-1);", "left to each controller"),
        ("m := INT#1;", "writes its input"),
        ("b := SHL(b, 65);", "a shift by 65"),
        ("IF n THEN n := 1; END_IF;", "is no condition"),
    ],
)
def test_what_a_controller_may_do_in_its_own_way_is_found(statement, said):
    """The other half of the comparison: whoever runs the code says no to these."""
    text = f"""FUNCTION tried : INT VAR_INPUT m : INT; END_VAR
        VAR n : INT; x : LREAL; b : LWORD; a : ARRAY[0..2] OF INT; END_VAR {statement} tried := n; END_FUNCTION"""
    with pytest.raises(FaultError, match=said):
        Program(text).call("tried", {"m": 0})


def test_the_fault_is_of_the_program_and_not_of_its_runner():
    text = """FUNCTION tried : INT VAR_INPUT m : INT; END_VAR VAR n : INT; END_VAR
        FOR n := m TO 1 BY -1 DO tried := tried + n; END_FOR; IF tried > 5 THEN tried := -tried; END_IF; END_FUNCTION"""
    assert Program(text).call("tried", {"m": 3})[0] == -6
