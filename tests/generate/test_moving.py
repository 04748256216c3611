"""C from layouts whose parts move: equal to the codec under the sanitizers, and known bytes worked out by hand."""

from __future__ import annotations

import math
import os
import random
import re
import subprocess
from fractions import Fraction
from functools import reduce
from operator import xor
from uuid import uuid4

import msgspec
import pytest

from tests.generate.any_moving import MovingMaker
from tests.generate.compiled import COMPILERS, STRICT, WATCHED, Loaded, built, made_of
from zesty_abacus.core.generate.c99 import trial
from zesty_abacus.core.generate.c99.message import FORMS
from zesty_abacus.core.generate.carried import carry
from zesty_abacus.core.generate.samples import is_said
from zesty_abacus.core.generate.vectors import moving_vector
from zesty_abacus.core.layouts.model import (
    Applies,
    Carried,
    Computed,
    Coverage,
    ElementCase,
    Elements,
    Expression,
    FieldKind,
    Group,
    Labels,
    NamedValue,
    Packed,
    RawSet,
    Repeat,
    Run,
    Selected,
    Sum,
    TextLine,
    Xor,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.places import parse_places as at

FRESH = random.SystemRandom().getrandbits(32)
SEED = int(os.environ.get("LAYOUT_SEED", FRESH))
COUNT = int(os.environ.get("MOVING_COUNT", "10"))
NOWHERE = Places(())
HUGE = "would take"
"""Lists in lists in lists: the only thing that chance makes and C leaves out."""


@pytest.mark.parametrize("compiler", COMPILERS)
@pytest.mark.parametrize("seed", [1, SEED], ids=["fixed", "fresh"])
def test_any_moving_layout_is_read_and_written_as_the_codec_does(tmp_path, monkeypatch, seed, compiler):
    monkeypatch.setattr(trial, "_EACH", 6)
    made = made_of(list(MovingMaker(seed).layouts(COUNT)))
    assert len(made.manifest.messages) + len(made.manifest.left_out) == COUNT
    assert all(HUGE in one.reason for one in made.manifest.left_out), f"seed {seed}: {made.manifest.left_out}"
    program = built(tmp_path, made, *WATCHED[compiler], compiler=compiler, sources=("any_test.c",))
    done = subprocess.run([program], capture_output=True, text=True, check=False)
    found = re.search(r"0 of (\d+) differ", done.stdout)
    assert done.returncode == 0 and found and int(found[1]) > 60 * COUNT, (
        f"seed {seed}: {done.stdout[-1500:]}{done.stderr[-1500:]}"
    )
    assert made.files["any_test.c"].count("packed the same") > COUNT


def test_no_struct_and_no_payload_is_beyond_what_is_defined(tmp_path):
    """Counts, sizes and texts of any bits are refused or written, payloads of any bits read."""
    made = made_of(list(MovingMaker(SEED + 1).layouts(COUNT)))
    calls = []
    for one in made.manifest.messages:
        # chance makes some whose places can be told beforehand, which say nothing of how much was used
        pack = f"total += (double){one.pack}(data, size, {'&used, ' if one.moves else ''}&any);"
        calls += ["{", f"static struct {one.struct} any; uint8_t data[120];",
                  "size_t used = 0U, size = (size_t)rand() % 120U;",
                  "fill(&any, sizeof any, round); fill(data, sizeof data, 0);", pack,
                  f"total += (double){one.unpack}(&any, data, size);",
                  # what was read is whole, and written again as far as there is room
                  pack, "total += (double)used;"]  # fmt: skip
        for field in one.fields:
            calls += [f"total += {field.value}(&any) >= 0.0 ? 1.0 : 0.0;"] if field.value else []
        calls.append("}")
    (tmp_path / "any_bits.c").write_text(
        '#include "any.h"\n#include <stdio.h>\n#include <stdlib.h>\n#include <string.h>\n'
        # every other time the struct is nearly empty, so that counts are believed
        "static void fill(void *to, size_t size, int few) { uint8_t *at = to; size_t n; memset(to, 0, size);\n"
        "for (n = 0; n < size; n++) if (few % 2 == 0 || rand() % 97 == 0)\n"
        "at[n] = (uint8_t)(few % 2 ? rand() % 9 : rand()); }\n"
        f"int main(void) {{ double total = 0.0; int round; srand({SEED % 10000}U);\n"
        f"for (round = 0; round < 60; round++) {{ {' '.join(calls)} }}\n"
        'printf("%d\\n", total < 0.0); return 0; }\n'
    )
    program = built(tmp_path, made, *WATCHED["gcc"], sources=("any_bits.c",))
    done = subprocess.run([program], capture_output=True, text=True, check=False)
    assert done.returncode == 0, f"seed {SEED}: {done.stderr[:2000]}"


def loaded(folder, *layouts, options=()):
    return Loaded(folder, built(folder, made_of(list(layouts)), "-shared", "-fPIC", *options))


def text(struct, name):
    return bytes(getattr(struct, f"{name}_raw"))[: getattr(struct, f"{name}_size")]


def sentence():
    columns = (
        new_field("talker", NOWHERE, FieldKind.TEXT),
        new_field("depth", NOWHERE, FieldKind.UNSIGNED, ratio=Fraction(1, 10), offset=Fraction(2), unit="m",
                  low=Fraction(2), high=Fraction(50)),
        new_field("state", NOWHERE, FieldKind.NAMES, names=(NamedValue(ord("A"), "valid"),)),
    )  # fmt: skip
    check = new_field("check", NOWHERE, FieldKind.UNSIGNED, base=16, digits=2)
    held = Xor(
        id=uuid4(), name="held", field=check.id, coverage=Coverage(first=Expression("1"), end=Expression("size - 3"))
    )
    return new_layout(
        "Depth", Applies(address=7), 0, checks=(held,),
        parts=(TextLine(id=uuid4(), name="line", begins="$", ends="*", columns=columns),
               TextLine(id=uuid4(), name="tail", columns=(check,))),
        computed=(Computed(id=uuid4(), name="fathoms", expression=Expression("depth / 1.8288")),),
    )  # fmt: skip


def framed(body: str) -> bytes:
    return f"${body}*{reduce(xor, body.encode()):02X}".encode()


def test_a_text_line_by_hand(tmp_path):
    """123.4 tenths and 2 are 14.34; what is set is written with as few decimals as say it, and the check follows."""
    code = loaded(tmp_path, sentence())
    result, struct = code.unpack("Depth", framed("YZDPT,123.4,A"))
    assert result == "ok" and text(struct, "talker") == b"YZDPT"
    assert (struct.depth_raw, struct.depth_tens, struct.depth_known) == (1234, -1, 1)
    assert code.value("any_depth_depth", struct) == 14.34 and struct.state_raw == ord("A")
    assert code.value("any_depth_state", struct) == 65 and struct.check_raw == reduce(xor, b"YZDPT,123.4,A")
    assert code.present("any_depth_good_depth", struct) is True
    assert code.unpack("Depth", b"$YZDPT,123.5,A" + framed("YZDPT,123.4,A")[-3:])[0] == "check_failed"
    assert code.unpack("Depth", b"$YZDPT,123.4")[0] == "too_short"
    setter = code.library.any_depth_set_depth
    setter.argtypes = None
    import ctypes

    assert code.results[setter(ctypes.byref(struct), ctypes.c_double(9.025))] == "ok"
    assert (struct.depth_raw, struct.depth_tens) == (7025, -2)
    assert code.pack("Depth", bytes(40), struct) == ("ok", framed("YZDPT,70.25,A"))
    assert struct.check_raw == reduce(xor, b"YZDPT,70.25,A"), "what packing works out stands in the struct"
    assert code.pack("Depth", bytes(15), struct)[0] == "too_short"


def test_columns_that_hold_nothing_or_no_number_have_no_value(tmp_path):
    code = loaded(tmp_path, sentence())
    for body, known in (("YZ,,A", 0), ("YZ,twelve,A", 0), ("YZ,1e2,A", 1), ("YZ,  +7 ,A", 1), ("YZ,-0.5,A", 1)):
        result, struct = code.unpack("Depth", framed(body))
        assert result == "ok" and struct.depth_known == known, body
        value = code.value("any_depth_depth", struct)
        assert math.isnan(value) is not bool(known)
    assert code.value("any_depth_depth", struct) == 1.95, "-0.5 tenths and 2"
    assert code.pack("Depth", bytes(40), struct) == ("ok", framed("YZ,-0.5,A"))


def test_what_a_column_cannot_hold_is_refused(tmp_path):
    code = loaded(tmp_path, sentence())
    _, struct = code.unpack("Depth", framed("YZ,1,A"))
    struct.talker_raw[1] = ord(",")
    assert code.pack("Depth", bytes(40), struct)[0] == "does_not_fit", "without quotes a separator ends it"
    struct.talker_raw[1] = ord("*")
    assert code.pack("Depth", bytes(40), struct)[0] == "does_not_fit", "the line would end"
    struct.talker_raw[1] = ord("Z")
    struct.talker_size = 65
    assert code.pack("Depth", bytes(40), struct)[0] == "does_not_fit", "there are 64 bytes"
    assert code.unpack("Depth", framed("Y" * 64 + ",1,A"))[0] == "ok"
    assert code.unpack("Depth", framed("Y" * 65 + ",1,A"))[0] == "too_long"


def options():
    power = new_field("power", at("B0"), FieldKind.SIGNED, unit="dBm")
    name = Run(id=uuid4(), name="letters", field=new_field("name", NOWHERE, FieldKind.TEXT))
    cases = (
        ElementCase(id=uuid4(), name="sent with", types=RawSet.of(1), fields=(power,)),
        ElementCase(id=uuid4(), name="called", types=RawSet([(2, 3)]), parts=(name,)),
    )
    kind, length = new_field("type", at("B1")), new_field("length", at("B0"))
    tags = Elements(id=uuid4(), name="tags", head=2, length=length, type=kind, extra=-1, alone=RawSet.of(0x99),
                    cases=cases)  # fmt: skip
    return new_layout("Tags", Applies(address=8), 1, [new_field("number", at("B0"))], parts=(tags,))


@pytest.mark.parametrize(
    ("said", "is_it"),
    [
        ([["sent with", {"power": -10}], ["called", {"name": "abc"}]], True),
        ([["sent with", {"power": -9}], ["called", {"name": "abc"}]], False),
        ([["sent with", {"power": -10}], ["called", {"name": "abd"}]], False),
        ([["sent with", {"power": -10}]], False),
        ([["called", {"name": "abc"}], ["sent with", {"power": -10}]], False),
    ],
)
def test_what_elements_say_is_told_from_what_they_do_not(said, is_it):
    (message,), _ = carry([options()], FORMS, {})
    vector = moving_vector(message, bytes.fromhex("2A 02 01 F6 04 02 61 62 63"))
    assert is_said(message, vector.inside, {"number": 42, "tags": said}) == is_it


def test_a_list_of_types_by_hand(tmp_path):
    """The length stands in front and counts the type: 02 01 F6 is -10 dBm, 04 02 and three letters a name."""
    code = loaded(tmp_path, options())
    payload = bytes.fromhex("2A 02 01 F6 04 02 61 62 63 03 77 0102")
    result, struct = code.unpack("Tags", payload)
    assert result == "ok" and struct.number_raw == 0x2A and struct.tags_count == 3
    first, second, third = struct.tags[0], struct.tags[1], struct.tags[2]
    assert (first.type_raw, first.length_raw, first.sent_with.power_raw) == (1, 2, -10)
    assert code.present("any_tags_tags_has_sent_with", first) is True
    assert code.present("any_tags_tags_has_called", first) is False
    assert code.value("any_tags_tags_sent_with_power", first.sent_with) == -10
    assert text(second.called, "name") == b"abc" and code.present("any_tags_tags_has_called", second) is True
    assert third.type_raw == 0x77, "a type without a case is passed over"
    struct.tags_count = 2
    second.type_raw, second.called.name_size = 3, 1
    second.called.name_raw[0] = ord("Q")
    assert code.pack("Tags", bytes(30), struct) == ("ok", bytes.fromhex("2A 02 01 F6 02 03 51"))
    assert second.length_raw == 2, "lengths are worked out"
    second.length_raw = 200
    assert code.pack("Tags", bytes(30), struct)[0] == "ok" and second.length_raw == 2, "whatever stood there"
    struct.tags_count = 17
    assert code.pack("Tags", bytes(300), struct)[0] == "does_not_fit"


def test_a_list_that_is_longer_than_its_struct(tmp_path):
    """Sixteen items where no layout says; a macro makes more room."""
    payload = b"\x01" + bytes.fromhex("0201F6") * 17
    (tmp_path / "few").mkdir()
    assert loaded(tmp_path / "few", options()).unpack("Tags", payload)[0] == "too_long"
    (tmp_path / "use.c").write_text(
        '#include "any.h"\n#include <stdio.h>\nint main(void) { static struct any_tags tags; '
        f"static const uint8_t data[] = {{{', '.join(str(one) for one in payload)}}};\n"
        'printf("%d ", any_tags_unpack(&tags, data, sizeof data));\n'
        'printf("%u", (unsigned)tags.tags_count); return 0; }\n'
    )
    made = made_of([options()])
    program = built(tmp_path, made, "-DANY_MOST_ITEMS=20U", *WATCHED["gcc"], sources=("use.c",))
    assert subprocess.run([program], capture_output=True, text=True, check=True).stdout == "0 17"


def test_a_text_of_a_length_that_the_layout_says_has_that_room(tmp_path):
    """Three hundred bytes, on a link that carries as many; on CAN no text is longer than a frame."""
    long = Run(id=uuid4(), name="log", length=Expression("300"), field=new_field("log", NOWHERE, FieldKind.BYTES))
    rest = Run(id=uuid4(), name="rest", field=new_field("rest", NOWHERE, FieldKind.TEXT))
    made = made_of([new_layout("Page", Applies(protocol="udp", address=3), 0, parts=(long, rest)),
                    new_layout("Short", Applies(address=4), 0, parts=(rest,))])  # fmt: skip
    header = made.files["any.h"]
    assert "uint8_t log_raw[300U];" in header and "uint8_t rest_raw[ANY_MOST_TEXT];" in header
    assert "uint8_t rest_raw[64U];" in header and built(tmp_path, made, "-c", "-DANY_MOST_TEXT=9U")


def test_a_count_beyond_what_64_bits_with_a_sign_hold_is_none(tmp_path):
    """As decoding has it: 2**63 and 3 letters are no letters; of a part that starts there nothing is there at all."""
    count = new_field("count", at("B0..B7"))
    note = Run(id=uuid4(), name="note", length=Expression("count"), field=new_field("note", NOWHERE, FieldKind.TEXT))
    layout = new_layout("Wide", Applies(protocol="udp", address=3), 8, [count], parts=(note,))
    later = msgspec.structs.replace(note, start=Expression("count"), length=Expression("1"))
    far = msgspec.structs.replace(layout, id=uuid4(), name="Far", parts=(later,))
    code = loaded(tmp_path, layout, far)
    payload = bytes.fromhex("8000000000000003") + b"abcdefgh"
    result, struct = code.unpack("Wide", payload)
    assert (result, struct.note_size) == ("ok", 0)
    assert code.unpack("Wide", bytes(7) + b"\x03abcdefgh")[1].note_size == 3
    assert code.unpack("Far", payload)[0] == "too_short"
    for one in (layout, far):
        (message,), _ = carry([one], FORMS, {})
        assert moving_vector(message, payload).result == code.unpack(one.name, payload)[0], "the codec says so, too"


def test_types_without_a_length_are_read_and_written(tmp_path):
    first = new_field("type", at("B0"))
    length = new_field("length", at("B1"))
    case = ElementCase(id=uuid4(), name="speed", types=RawSet.of(5), fields=(new_field("speed", at("B0 B1")),))
    padding = Elements(id=uuid4(), name="tags", head=2, type=first, length=length, ends=RawSet.of(0),
                       alone=RawSet.of(1), cases=(case,))  # fmt: skip
    code = loaded(tmp_path, new_layout("Options", Applies(address=3), 0, parts=(padding,)))
    result, struct = code.unpack("Options", bytes.fromhex("01 01 05 02 0102 01 00 FFFF"))
    assert result == "ok" and struct.tags_count == 4, "what stands behind the end belongs to nobody"
    assert [struct.tags[k].type_raw for k in range(4)] == [1, 1, 5, 1] and struct.tags[2].speed.speed_raw == 0x0102
    assert code.present("any_options_tags_has_length", struct.tags[0]) is False
    assert code.pack("Options", bytes(20), struct) == ("ok", bytes.fromhex("01 01 05 02 0102 01"))
    struct.tags[0].type_raw = 0
    assert code.pack("Options", bytes(20), struct)[0] == "does_not_fit", "the list would end"


def test_a_head_that_its_fields_do_not_fill_is_empty_beside_them(tmp_path):
    """Four bytes of head, of which type and length take one each; the last element needs room for all four."""
    kind, length = new_field("type", at("B0")), new_field("length", at("B3"))
    case = ElementCase(id=uuid4(), name="speed", types=RawSet.of(5), fields=(new_field("speed", at("B0")),))
    tags = Elements(id=uuid4(), name="tags", head=4, type=kind, length=length, cases=(case,))
    code = loaded(tmp_path, new_layout("Heads", Applies(address=3), 0, parts=(tags,)))
    result, struct = code.unpack("Heads", bytes.fromhex("05 AAAA 01 42 07 BBBB 00"))
    assert result == "ok" and struct.tags_count == 2 and struct.tags[0].speed.speed_raw == 0x42
    wanted = bytes.fromhex("05 0000 01 42 07 0000 00")
    assert code.pack("Heads", bytes([0xFF] * 9), struct) == ("ok", wanted)
    assert code.pack("Heads", bytes(8), struct)[0] == "too_short"


def records():
    count = new_field("count", at("B0"))
    kind, check = new_field("kind", at("B0")), new_field("sum", at("B1"))
    note = Run(id=uuid4(), name="letters", end="00", field=new_field("note", NOWHERE, FieldKind.TEXT))
    over = Coverage(end=Expression("size"))
    adds = Sum(id=uuid4(), name="adds up", field=check.id, coverage=over)
    group = Group(id=uuid4(), name="records", size=2, fields=(kind, check), parts=(note,), repeat=Repeat.COUNT,
                  amount=Expression("count"), checks=(adds,))  # fmt: skip
    return new_layout("Log", Applies(address=4), 1, [count], parts=(group,))


def test_one_record_that_fails_its_check_leaves_the_others_read(tmp_path):
    """Each adds up by itself: 07 and 'a' are 68."""
    code = loaded(tmp_path, records())
    good = bytes.fromhex("02 07 68 61 00 08 08 00")
    assert code.unpack("Log", good)[0] == "ok"
    result, struct = code.unpack("Log", bytes.fromhex("02 07 69 61 00 08 08 00"))
    assert result == "check_failed" and struct.records_count == 2 and struct.records[1].kind_raw == 8
    assert code.pack("Log", bytes(20), struct) == ("ok", good)
    struct.records_count, struct.count_raw = 1, 9
    assert code.pack("Log", bytes(20), struct) == ("ok", bytes.fromhex("01 07 68 61 00")), "counts are worked out"
    assert code.unpack("Log", good[:-1])[0] == "too_short"


def test_an_optional_part_moves_what_stands_behind_it(tmp_path):
    flag = new_field("flag", at("B0"))
    part = Group(id=uuid4(), name="wind", size=2, fields=(new_field("speed", at("B0 B1")),),
                 selected=Selected(flag.id, RawSet.of(1)))  # fmt: skip
    behind = Group(id=uuid4(), name="behind", size=1, align=2, fields=(new_field("last", at("B0")),))
    code = loaded(tmp_path, new_layout("Maybe", Applies(address=5), 1, [flag], parts=(part, behind)))
    _, there = code.unpack("Maybe", bytes.fromhex("01 0203 EE 44"))
    assert (there.speed_raw, there.last_raw) == (0x0203, 0x44), "behind the part, moved up to an even byte"
    _, absent = code.unpack("Maybe", bytes.fromhex("00 EE 44"))
    assert absent.last_raw == 0x44 and code.present("any_maybe_has_speed", absent) is False
    assert code.pack("Maybe", bytes(9), there) == ("ok", bytes.fromhex("01 0203 00 44"))
    assert code.pack("Maybe", bytes(9), absent) == ("ok", bytes.fromhex("00 00 44"))


def test_names_of_labels_and_packed_numbers_by_hand(tmp_path):
    """RFC 1035, 4.1.4: a pointer C0 01 goes on at byte 1; twelve bits each, the highest first."""
    names = (Labels(id=uuid4(), name="first", field=new_field("first", NOWHERE, FieldKind.TEXT)),
             Labels(id=uuid4(), name="second", field=new_field("second", NOWHERE, FieldKind.TEXT)))  # fmt: skip
    cells = Packed(id=uuid4(), name="cells", bits=12, field=new_field("cell", NOWHERE, FieldKind.SIGNED))
    code = loaded(
        tmp_path, new_layout("Names", Applies(address=6), 1, [new_field("n", at("B0"))], parts=(*names, cells))
    )
    payload = bytes.fromhex("09 02 6162 01 2E 00 01 78 C001 FFE7FF")
    result, struct = code.unpack("Names", payload)
    assert result == "ok" and text(struct, "first") == rb"ab.\." and text(struct, "second") == rb"x.ab.\."
    assert struct.cells_count == 2 and [struct.cells[k].cell_raw for k in range(2)] == [-2, 2047]
    assert code.pack("Names", bytes(40), struct) == (
        "ok", bytes.fromhex("09 02 6162 01 2E 00 01 78 02 6162 01 2E 00 FFE7FF")
    )  # fmt: skip
    _, broken = code.unpack("Names", bytes.fromhex("09 C005 00"))
    assert broken.first_known == 0, "a pointer leads back"


def hex_float():
    return TextLine(id=uuid4(), name="line", columns=(new_field("x", NOWHERE, FieldKind.FLOAT, base=16, digits=8),))


def of_outside():
    inner = Group(id=uuid4(), name="inner", size=1, fields=(new_field("y", at("B0")),), repeat=Repeat.COUNT,
                  amount=Expression("many"))  # fmt: skip
    return Group(id=uuid4(), name="outer", size=1, fields=(new_field("x", at("B0")),), parts=(inner,),
                 repeat=Repeat.TO_END)  # fmt: skip


def with_size_inside():
    value = Computed(id=uuid4(), name="left", expression=Expression("size - x"))
    return Group(id=uuid4(), name="items", size=1, fields=(new_field("x", at("B0")),), repeat=Repeat.TO_END,
                 computed=(value,))  # fmt: skip


@pytest.mark.parametrize(
    ("part", "reason"),
    [(hex_float(), "x is floating point in hex digits of a text, which is not carried yet."),
     (of_outside(), "many names many, which is no number here."),
     (with_size_inside(), "left takes the size of the frame in, from inside a part of it.")],
    ids=["hex float", "outside", "size"],
)  # fmt: skip
def test_what_is_still_not_carried_is_left_out_by_name(part, reason):
    layout = new_layout("Odd", Applies(address=2), 1, [new_field("many", at("B0"))], parts=(part,))
    assert [(one.message, one.reason) for one in made_of([layout]).manifest.left_out] == [("Odd", reason)]


def test_the_program_of_a_node_leaves_moving_messages_out(tmp_path):
    from zesty_abacus.core.generate.node import Link

    made = made_of([sentence(), records()], link=Link.parse("udp://127.0.0.1:9"))
    assert len(made.manifest.messages) == 2 and "any_depth" not in made.files["any_node.c"]
    built(tmp_path, made, "-c", *STRICT)


def test_what_a_carried_payload_says_is_expected_of_the_program_that_tries_itself():
    label = Run(id=uuid4(), name="label", field=new_field("label", NOWHERE, FieldKind.TEXT), end="00")
    inner = new_layout("Gauge", Applies(address=8), 1, [new_field("level", at("B0"))])
    layout = new_layout(
        "Tank", Applies(address=7), 0, parts=(label, Carried(id=uuid4(), name="gauge", layout=inner.id))
    )
    said = made_of([layout, inner]).files["any_test.c"]
    assert re.search(r'expect\(found\.gauge\.level_raw == 0x\w+U, "any_tank 0: gauge: level', said)
