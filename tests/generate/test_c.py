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

import msgspec
import pytest

from tests.generate.any_layouts import Maker
from tests.generate.compiled import COMPILERS, WATCHED, Loaded, built, made_of
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.generate.c99 import trial
from zesty_abacus.core.generate.c99.message import FORMS
from zesty_abacus.core.generate.carried import carry
from zesty_abacus.core.generate.vectors import vector_of, vectors_of
from zesty_abacus.core.layouts.model import (
    AddressKey,
    Applies,
    Computed,
    Counter,
    Coverage,
    Expression,
    FieldKind,
    Group,
    NamedValue,
    RawSet,
    Repeat,
    Rule,
    Selected,
    Xor,
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
                expected = vector.told.fields[one["raw"].removesuffix("_raw")]
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
    header, calls = str(made.files["any.h"]), []
    for one in made.manifest.messages:
        calls += ["{", f"struct {one.struct} any; uint8_t data[80]; size_t size = (size_t)rand() % 80U;",
                  "fill(&any, sizeof any); fill(data, sizeof data);",
                  f"total += (double){one.pack}(data, size, &any);"]  # fmt: skip
        for field in one.fields:
            calls += [f"total += {field.value}(&any);"] if field.value else []
            calls += [f"total += {field.present}(&any) ? 1.0 : 0.0;"] if field.present else []
        for value in one.computed:
            takes_size = re.search(rf"{value.value}\(const struct \w+ \*in, size_t size\)", header)
            calls += [f"total += {value.value}(&any{', size' if takes_size else ''});"]
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


def printed_by(folder, made, source):
    """Return what a program in C prints that uses generated code, with nothing to be said by the sanitizers."""
    program = built(folder, made, *WATCHED["gcc"], sources=(source,))
    done = subprocess.run([program], capture_output=True, text=True, check=False)
    assert (done.returncode, done.stderr) == (0, "")
    return done.stdout


def test_a_number_beyond_its_bits_is_refused_before_another_is_made_of_it(tmp_path):
    """Three times a number of 33 bits fits 64, three times what its struct may hold does not."""
    low, wide = new_field("low", at("B1 B0")), new_field("wide", at("B6[0] B5 B4 B3 B2"))
    rule = Rule(id=uuid4(), name="three", expression=Expression("low == wide * 3"))
    more = Computed(id=uuid4(), name="more", expression=Expression("wide * 3"))
    made = made_of([new_layout("Sum", Applies(address=1), 7, [low, wide], checks=(rule,), computed=(more,))])
    (tmp_path / "beyond.c").write_text(
        '#include "any.h"\n#include <stdio.h>\n'
        "int main(void) { uint8_t data[7]; struct any_sum in = { 0 };\n"
        'in.wide_raw = UINT64_C(0xB0CD93ADCB7E1A14); printf("%d ", any_sum_pack(data, 7, &in) == ANY_DOES_NOT_FIT);\n'
        'printf("%g ", any_sum_more(&in));\n'
        'in.wide_raw = UINT64_C(0x1FFFFFFFF); printf("%d ", any_sum_pack(data, 7, &in) == ANY_DOES_NOT_FIT);\n'
        'in.wide_raw = 5U; printf("%d ", any_sum_pack(data, 7, &in) == ANY_OK); printf("%d", data[0]);\n'
        'printf(" %g", any_sum_more(&in)); return 0; }\n'
    )
    assert printed_by(tmp_path, made, "beyond.c") == "1 nan 1 1 15 15"


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


def stretch_layout():
    """Return a message whose check is taken over as many bytes as its first eight say."""
    count, check = new_field("count", at("B0..B7")), new_field("check", at("B11"))
    over = Xor(
        id=uuid4(), name="over", field=check.id, coverage=Coverage(first=Expression("8"), end=Expression("count"))
    )
    return new_layout("Stretch", Applies(address=1), 12, [count, check], checks=(over,))


STRETCHES = [
    # of bytes 8 and 9 the exclusive or is 3; what ends before it begins, or behind the frame, is not taken
    (10, 3, "ok"), (10, 4, "check_failed"), (9, 1, "ok"), (8, 0, "ok"), (8, 1, "check_failed"), (7, 9, "ok"),
    (13, 9, "ok"),
    ((1 << 62) + 10, 9, "ok"), ((1 << 63) + 10, 9, "ok"), ((1 << 64) - 1, 9, "ok"), ((1 << 32) + 10, 9, "ok"),
]  # fmt: skip


@pytest.mark.parametrize(("count", "check", "result"), STRETCHES)
def test_a_check_over_as_many_bytes_as_a_large_number_says(count, check, result):
    (message,), _ = carry([stretch_layout()], FORMS, {})
    assert vector_of(message, stretch_payload(count, check)).result == result, "the codec says so"


def stretch_payload(count, check):
    return count.to_bytes(8, "big") + bytes([1, 2, 0, check])


def test_the_same_stretches_in_c(tmp_path):
    loaded = Loaded(tmp_path, built(tmp_path, made_of([stretch_layout()]), "-shared", "-fPIC"))
    found = [loaded.unpack("Stretch", stretch_payload(count, check))[0] for count, check, _ in STRETCHES]
    assert found == [result for _, _, result in STRETCHES]


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
    assert printed_by(tmp_path, made, "use.c") == "0 4 4 -166 0 2 1 1 0 4 705"


def test_nothing_comes_of_what_is_infinite_along_a_curve(tmp_path):
    """A double that runs over when it is scaled has no value behind the curve, as in decoding."""
    curved = new_field("curved", at("B0..B7"), FieldKind.FLOAT, ratio=Fraction(10),
                       polynomial=(Fraction(1, 2), Fraction(-9, 4), Fraction(7, 4)))  # fmt: skip
    layout = new_layout("Flow", Applies(address=1), 8, [curved])
    loaded = Loaded(tmp_path, built(tmp_path, made_of([layout]), "-shared", "-fPIC"))
    _, struct = loaded.unpack("Flow", bytes.fromhex("7FE5CB2004B5F75B"))
    (message,), _ = carry([layout], {"message": ("{}",), "field": ("{message}_{field}",)}, {})
    assert math.isnan(vector_of(message, bytes.fromhex("7FE5CB2004B5F75B")).told.fields["curved"].value)
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


@pytest.mark.parametrize(
    "applies", [Applies(address=1), Applies(address=1, to=9), Applies(address=1, mask=7), Applies()]
)
@pytest.mark.parametrize("asks", ["bytes of the address", "a key of it", "a rule with it", "nothing"])
def test_what_asks_for_the_address_has_one(applies, asks):
    coverage = {
        "bytes of the address": Coverage(end=Expression("1"), address_bytes=2),
        "a key of it": Coverage(end=Expression("1"), keys=(AddressKey(address=1, key="5A"),)),
    }.get(asks, Coverage(end=Expression("1")))
    value, check = new_field("value", at("B0")), new_field("check", at("B1"))
    over = Xor(id=uuid4(), name="over", field=check.id, coverage=coverage)
    rule = Rule(id=uuid4(), name="over", expression=Expression("value == address"))
    layout = new_layout("m", applies, 2, [value, check], checks=(rule if asks == "a rule with it" else over,))
    made = made_of([layout]).manifest
    if asks == "nothing" or applies.is_for_one_address:
        assert [one.message for one in made.messages] == ["m"]
        return
    assert [one.reason for one in made.left_out] == [
        "the check over takes the address of the frame in, and the message has more than one."
    ]


def test_a_value_is_its_number_and_what_is_added(tmp_path):
    """By hand: of an offset alone a value is another number than the raw one, in expressions as well."""
    fields = [new_field("plain", at("B0")), new_field("more", at("B1"), offset=Fraction(1)),
              new_field("half", at("B2"), ratio=Fraction(1, 2))]  # fmt: skip
    computed = tuple(
        Computed(id=uuid4(), name=f"twice {one.name}", expression=Expression(f"{one.name} * 2")) for one in fields
    )
    layout = new_layout("Sums", Applies(address=1), 3, fields, computed=computed)
    loaded = Loaded(tmp_path, built(tmp_path, made_of([layout]), "-shared", "-fPIC"))
    _, struct = loaded.unpack("Sums", bytes([5, 5, 5]))
    assert [loaded.value(f"any_sums_{name}", struct) for name in ("plain", "more", "half")] == [5.0, 6.0, 2.5]
    assert [loaded.value(f"any_sums_twice_{name}", struct) for name in ("plain", "more", "half")] == [10.0, 12.0, 5.0]


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


def test_every_page_is_among_the_vectors():
    """A page of sixteen, and under it one of a second selector, which chance would meet once in 256 payloads."""
    page, inner = new_field("page", at("B0[7..4]")), new_field("inner", at("B1[7..4]"))
    inner = msgspec.structs.replace(inner, selected=Selected(page.id, RawSet.of(9)))
    deep = new_field("deep", at("B2"), selected=Selected(inner.id, RawSet.of(3, 4)))
    other = new_field("other", at("B3"), selected=Selected(page.id, RawSet.of(12)))
    (message,), _ = carry([new_layout("Pages", Applies(address=1), 4, [page, inner, deep, other])], FORMS, {})
    vectors = [one for one in vectors_of(message, 12) if one.result != "too_short"]
    there = [{name for name, one in vector.told.fields.items() if one.is_there} for vector in vectors]
    for name in ("inner", "deep", "other"):
        assert 2 <= sum(name in fields for fields in there) < len(vectors), "there in some, and away in others"
    assert any("deep" in fields and "other" not in fields for fields in there)


def test_vectors_of_a_layout_stay_the_same():
    (message,), _ = carry([tug_layout()], {"message": ("{}",), "field": ("{message}_{field}",)}, {})
    first, again = vectors_of(message, 5), vectors_of(message, 5)
    assert [one.payload for one in first] == [one.payload for one in again]
    assert vector_of(message, bytes(4)).result == "ok"
