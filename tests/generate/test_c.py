"""C from layouts: equal to the codec under the sanitizers, and what its manifest says it is."""

from __future__ import annotations

import difflib
import math
import os
import random
import re
import subprocess
from fractions import Fraction
from uuid import uuid4

import pytest

from tests.generate.any_layouts import Maker
from tests.generate.compiled import COMPILERS, WATCHED, Loaded, built, made_of
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.generate.c99 import trial
from zesty_abacus.core.generate.carried import carry
from zesty_abacus.core.generate.vectors import vector_of, vectors_of
from zesty_abacus.core.layouts.model import (
    Applies,
    Counter,
    Expression,
    FieldKind,
    Group,
    NamedValue,
    RawSet,
    Repeat,
    Rule,
    Selected,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import parse_places as at

FRESH = random.SystemRandom().getrandbits(32)
SEED = int(os.environ.get("LAYOUT_SEED", FRESH))
COUNT = int(os.environ.get("LAYOUT_COUNT", "30"))


@pytest.mark.parametrize("compiler", COMPILERS)
@pytest.mark.parametrize("seed", [1, SEED], ids=["fixed", "fresh"])
def test_any_layout_is_read_and_written_as_the_codec_does(tmp_path, monkeypatch, seed, compiler):
    """The program that is handed over with the code, under the sanitizers of gcc, and as clang reads the standard."""
    monkeypatch.setattr(trial, "_EACH", 12)
    made = made_of(list(Maker(seed).layouts(COUNT)))
    assert len(made.manifest.messages) + len(made.manifest.left_out) == COUNT
    assert all("64 bits" in one.reason for one in made.manifest.left_out), f"seed {seed}"
    program = built(tmp_path, made, *WATCHED[compiler], compiler=compiler, sources=("any_test.c",))
    done = subprocess.run([program], capture_output=True, text=True, check=False)
    found = re.search(r"0 of (\d+) differ", done.stdout)
    assert done.returncode == 0 and found and int(found[1]) > 40 * COUNT, (
        f"seed {seed}: {done.stdout[-1500:]}{done.stderr[-1500:]}"
    )


def test_what_the_manifest_says_is_what_other_programs_find(tmp_path):
    """Structs are laid out by the manifest alone, and every function is called by the name that it gives."""
    layouts = list(Maker(SEED).layouts(COUNT))
    made = made_of(layouts)
    loaded = Loaded(tmp_path, built(tmp_path, made, "-shared", "-fPIC"))
    messages, _ = carry(layouts, {"message": ("{}",), "field": ("{message}_{field}",)}, {})
    compared = 0
    for message in (one for one in messages if one.layout.name in loaded.messages):
        name = message.layout.name
        said = loaded.messages[name]
        assert said["size"] == message.layout.size and said["address"] == message.layout.applies.address
        for vector in vectors_of(message, 8, seed=1):
            result, struct = loaded.unpack(name, vector.payload)
            assert result == vector.result, f"seed {SEED}: {name}"
            for one in said["fields"]:
                expected = vector.fields[one["field"]]
                assert (
                    one["present"] is None
                    or result == "too_short"
                    or loaded.present(one["present"], struct) is expected.is_there
                )
                if expected.is_there and expected.raw is not None:
                    raw = getattr(struct, one["raw"])
                    assert (bytes(raw) if isinstance(expected.raw, bytes) else raw) == expected.raw
                    value = math.nan if one["value"] is None else loaded.value(one["value"], struct)
                    assert value == expected.value or (math.isnan(value) and math.isnan(expected.value)), f"seed {SEED}"
                    compared += 1
            if vector.comes_back:
                packed = loaded.pack(name, bytes(len(vector.payload)), struct)
                assert packed == ("ok", vector.payload), f"seed {SEED}: {name}"
    assert compared > 10 * COUNT


def test_no_struct_and_no_payload_is_beyond_what_is_defined(tmp_path):
    """Whatever bits a struct and a payload hold, the sanitizers find nothing in any function."""
    made = made_of(list(Maker(SEED + 1).layouts(COUNT)))
    calls = []
    for one in made.manifest.messages:
        calls += ["{", f"struct {one.struct} any; uint8_t data[80]; size_t size = (size_t)rand() % 80U;",
                  "fill(&any, sizeof any); fill(data, sizeof data);",
                  f"total += (double){one.pack}(data, size, &any);"]  # fmt: skip
        for field in one.fields:
            calls += [f"total += {field.value}(&any);"] if field.value else []
            calls += [f"total += {field.present}(&any) ? 1.0 : 0.0;"] if field.present else []
        calls += [f"total += (double){one.unpack}(&any, data, size);", "}"]
    (tmp_path / "any_bits.c").write_text(
        '#include "any.h"\n#include <stdio.h>\n#include <stdlib.h>\n'
        "static void fill(void *to, size_t size) { uint8_t *at = to; while (size-- > 0U) *at++ = (uint8_t)rand(); }\n"
        f"int main(void) {{ double total = 0.0; int round; srand({SEED % 10000}U);\n"
        f"for (round = 0; round < 300; round++) {{ {' '.join(calls)} }}\n"
        'printf("%d\\n", total < 0.0); return 0; }\n'
    )
    program = built(tmp_path, made, *WATCHED["gcc"], sources=("any_bits.c",))
    done = subprocess.run([program], capture_output=True, text=True, check=False)
    assert done.returncode == 0, f"seed {SEED}: {done.stderr[:2000]}"


def tug_layout():
    page = new_field("page", at("B0[7..4]"), FieldKind.NAMES, names=(NamedValue(1, "ahead"), NamedValue(2, "astern")))
    speed = new_field("water speed", at("B2 B1"), FieldKind.SIGNED, ratio=Fraction(1, 100), unit="m/s",
                      unavailable=RawSet.of(-32768), low=Fraction(-5), high=Fraction(12))  # fmt: skip
    pull = new_field("pull", at("B3"), selected=Selected(page.id, RawSet.of(1)))
    turns = new_field("turns", at("B0[3..0]"))
    counter = Counter(id=uuid4(), name="goes up", field=turns.id)
    return new_layout("Motion", Applies(address=0x2C1), 4, [page, turns, speed, pull], checks=(counter,))


def test_a_message_by_hand(tmp_path):
    """Known bytes and what they say, worked out on paper."""
    loaded = Loaded(tmp_path, built(tmp_path, made_of([tug_layout()], prefix="tug"), "-shared", "-fPIC"))
    said = loaded.messages["Motion"]
    fields = {one["field"]: one for one in said["fields"]}
    assert (said["struct"], said["unpack"], said["pack"], said["address"]) == (
        "tug_motion", "tug_motion_unpack", "tug_motion_pack", 705,
    )  # fmt: skip
    assert fields["water speed"] == {
        "field": "water speed", "raw": "water_speed_raw", "raw_type": "int16_t", "value": "tug_motion_water_speed",
        "present": None,
    }  # fmt: skip
    result, struct = loaded.unpack("Motion", bytes.fromhex("135AFF21"))
    assert result == "ok" and struct.water_speed_raw == -166 and struct.turns_raw == 3 and struct.pull_raw == 0x21
    assert loaded.value("tug_motion_water_speed", struct) == -1.66
    assert loaded.present("tug_motion_has_pull", struct) is True
    _, without = loaded.unpack("Motion", bytes.fromhex("230080FF"))
    assert math.isnan(loaded.value("tug_motion_water_speed", without)) and without.pull_raw == 0
    assert loaded.present("tug_motion_has_pull", without) is False
    assert math.isnan(loaded.value("tug_motion_pull", without))
    assert loaded.unpack("Motion", bytes.fromhex("135AFF"))[0] == "too_short"
    assert loaded.unpack("Motion", bytes.fromhex("235AFF"))[0] == "ok", "what is not there needs no room"
    assert loaded.unpack("Motion", bytes.fromhex("135AFF21AABB"))[0] == "ok", "a longer payload is read"
    # what no field owns stays: of page 2 all of the last byte
    without.water_speed_raw = 256
    assert loaded.pack("Motion", bytes.fromhex("FFFFFFFFEE"), without) == ("ok", bytes.fromhex("230001FFEE"))
    without.turns_raw = 16
    assert loaded.pack("Motion", bytes(4), without) == ("does_not_fit", bytes([0x20, 0, 0, 0]))
    assert loaded.pack("Motion", bytes(2), without)[0] == "too_short"


def test_values_are_set_counted_and_named(tmp_path):
    made = made_of([tug_layout()], prefix="tug")
    (tmp_path / "use.c").write_text(
        '#include "tug.h"\n#include <math.h>\n#include <stdio.h>\nint main(void) { struct tug_motion motion = {0};\n'
        "motion.page_raw = TUG_MOTION_PAGE_ASTERN; motion.turns_raw = 15U; tug_motion_count_turns(&motion);\n"
        'printf("%d %d ", tug_motion_set_water_speed(&motion, -1.664), tug_motion_set_water_speed(&motion, 400.0));\n'
        'printf("%d ", tug_motion_set_water_speed(&motion, (double)NAN));\n'
        'printf("%d %u %d ", motion.water_speed_raw, motion.turns_raw, motion.page_raw);\n'
        'printf("%d ", tug_motion_good_water_speed(&motion));\n'
        "tug_motion_set_water_speed(&motion, TUG_MOTION_WATER_SPEED_HIGH);\n"
        'printf("%d ", tug_motion_good_water_speed(&motion)); tug_motion_set_water_speed(&motion, 12.01);\n'
        'printf("%d %u %d", tug_motion_good_water_speed(&motion), TUG_MOTION_SIZE, (int)TUG_MOTION_ADDRESS);\n'
        "return 0; }\n"
    )
    program = built(tmp_path, made, *WATCHED["gcc"], sources=("use.c",))
    done = subprocess.run([program], capture_output=True, text=True, check=True)
    assert done.stdout == "0 4 4 -166 0 2 1 1 0 4 705"


def test_nothing_comes_of_what_is_infinite_along_a_curve(tmp_path):
    """A double that runs over when it is scaled has no value behind the curve, as in decoding."""
    curved = new_field("curved", at("B0..B7"), FieldKind.FLOAT, ratio=Fraction(10),
                       polynomial=(Fraction(1, 2), Fraction(-9, 4), Fraction(7, 4)))  # fmt: skip
    layout = new_layout("Flow", Applies(address=1), 8, [curved])
    loaded = Loaded(tmp_path, built(tmp_path, made_of([layout]), "-shared", "-fPIC"))
    _, struct = loaded.unpack("Flow", bytes.fromhex("7FE5CB2004B5F75B"))
    (message,), _ = carry([layout], {"message": ("{}",), "field": ("{message}_{field}",)}, {})
    assert math.isnan(vector_of(message, bytes.fromhex("7FE5CB2004B5F75B")).fields["curved"].value)
    assert math.isnan(loaded.value("any_flow_curved", struct))


def test_lengths_and_checks_are_worked_out_over_what_the_struct_holds(tmp_path):
    length, body = new_field("length", at("B0")), new_field("body", at("B1 B2"))
    rule = Rule(id=uuid4(), name="length", expression=Expression("length == size - 1"))
    layout = new_layout("Parcel", Applies(address=1), 3, [length, body], checks=(rule,))
    loaded = Loaded(tmp_path, built(tmp_path, made_of([layout]), "-shared", "-fPIC"))
    assert loaded.unpack("Parcel", bytes.fromhex("02AABB"))[0] == "ok"
    result, struct = loaded.unpack("Parcel", bytes.fromhex("07AABB"))
    assert result == "check_failed" and struct.length_raw == 7
    assert loaded.pack("Parcel", bytes(3), struct) == ("ok", bytes.fromhex("02AABB"))
    assert struct.length_raw == 7, "the struct of the caller is not written"
    assert loaded.pack("Parcel", bytes(6), struct) == ("ok", bytes.fromhex("05AABB000000"))
    assert encode_message(layout, {"body": 0xAABB}).payload == bytes.fromhex("02AABB")


def test_what_is_not_carried_is_left_out_by_name():
    heights = Group(id=uuid4(), name="heights", size=1, repeat=Repeat.TO_END, fields=(new_field("height", at("B0")),))
    moving = new_layout("Swell", Applies(address=2), 1, [new_field("count", at("B0"))], parts=(heights,))
    made = made_of([moving, tug_layout()], "python")
    assert [one.message for one in made.manifest.messages] == ["Motion"]
    assert [(one.message, one.reason) for one in made.manifest.left_out] == [
        ("Swell", "heights has no count, which is not carried yet.")
    ]
    assert "swell" not in made.files["any.py"]
    assert not made_of([moving, tug_layout()]).manifest.left_out, "C has structs in structs"


def test_an_edit_changes_what_it_is_about_and_nothing_else():
    """Numbers of lines do not move names, and no date is written."""
    layouts = list(Maker(5).layouts(12))
    before = made_of(layouts).files["any.c"].splitlines()
    layout = layouts[4]
    renoted = [*layouts[:4], new_layout("Between", Applies(address=9), 1, [new_field("x", at("B0"))]), *layouts[4:]]
    after = made_of(renoted).files["any.c"].splitlines()
    gone = [line for line in difflib.unified_diff(before, after, n=0, lineterm="") if line.startswith("-")]
    assert gone == ["--- "], "nothing of the others is written in another way"
    assert layout.name in {one.message for one in made_of(renoted).manifest.messages}


def test_vectors_of_a_layout_stay_the_same():
    (message,), _ = carry([tug_layout()], {"message": ("{}",), "field": ("{message}_{field}",)}, {})
    first, again = vectors_of(message, 5), vectors_of(message, 5)
    assert [one.payload for one in first] == [one.payload for one in again]
    assert vector_of(message, bytes(4)).result == "ok"
