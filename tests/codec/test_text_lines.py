"""Columns of text: how numbers, words and names are read and written, arrays of columns, what is worked out."""

import math
import struct
from fractions import Fraction
from uuid import uuid4

import msgspec
import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from zesty_abacus.core.codec.columns import Validity
from zesty_abacus.core.codec.encode import EncodeError
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.codec.written import text_of
from zesty_abacus.core.layouts.model import (
    Applies,
    Computed,
    Coverage,
    Expression,
    FieldKind,
    Group,
    NamedValue,
    RawSet,
    Repeat,
    Rule,
    Selected,
    TextLine,
    Xor,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.validate import check_layout

from .frames import decoded_of

SERIAL = Applies(protocol="serial")
NONE = Places(())


def column(name, kind=FieldKind.UNSIGNED, **settings):
    return new_field(name, NONE, kind, **settings)


def line_of(*columns, **settings):
    return TextLine(id=uuid4(), name="line", columns=columns, **settings)


def layout_of(*parts, **settings):
    return new_layout("m", SERIAL, 0, parts=parts, **settings)


def read_one(field, text, **settings):
    """Return raw number, value and validity of the one column of a line."""
    found = decoded_of(layout_of(line_of(field, **settings)), text.encode()).named(field.name)
    return found.raw[0].item(), found.value[0].item(), Validity(found.validity[0])


@pytest.mark.parametrize(
    ("value", "text"),
    [(Fraction(1, 10), "0.0333333"), (Fraction(3, 10), "0.1"), (Fraction(29, 100), "0.0966667"), (1, "0.333333"),
     (-200, "-66.666667"), (Fraction(1, 1000), "0.000333333"), (Fraction(2, 10**9), "0.000000000666667")],
)  # fmt: skip
def test_a_number_without_an_end_is_written_with_six_digits_that_count(value, text):
    made = encode_message(layout_of(line_of(column("x", ratio=Fraction(3)))), {"x": value})
    assert made.payload.decode() == text


# numbers


@pytest.mark.parametrize(
    ("settings", "text", "raw"),
    [
        ({"base": 16}, "FF", 255), ({"base": 16}, "0xff", 255), ({"base": 16}, "-1F", -31),
        ({"base": 16}, "FFFFFFFFFFFFFFFF", 2**64 - 1), ({"base": 16}, "0000000000000000FF", 255),
        ({"base": 2}, "101", 5), ({"base": 2}, "0b101", 5), ({"base": 8}, "777", 511), ({"base": 8}, "0o17", 15),
        ({}, "18446744073709551615", 2**64 - 1), ({}, "-9223372036854775808", -(2**63)), ({}, "+12", 12),
        ({"kind": FieldKind.SIGNED, "base": 16}, "FF", -1), ({"kind": FieldKind.SIGNED, "base": 16}, "0FF", 255),
        ({"kind": FieldKind.SIGNED, "base": 16}, "-FF", -255), ({"kind": FieldKind.SIGNED, "base": 16}, "8000", -32768),
        ({"kind": FieldKind.SIGNED, "base": 16, "digits": 4}, "FF", 255),
        ({"kind": FieldKind.SIGNED, "base": 2}, "11", -1), ({"kind": FieldKind.SIGNED, "base": 8}, "7", -1),
        ({"kind": FieldKind.SIGNED, "base": 16}, "FFFFFFFFFFFFFFFF", -1),
    ],
)  # fmt: skip
def test_whole_numbers_in_every_base(settings, text, raw):
    assert read_one(column("x", **settings), text) == (raw, raw, Validity.GOOD)


@pytest.mark.parametrize(
    ("settings", "text", "value"),
    [
        ({}, "12.5", 12.5), ({}, "1e3", 1000.0), ({}, "-2.5E-3", -0.0025), ({}, ".5", 0.5), ({}, "5.", 5.0),
        ({}, "0.1234567890123456789012345", 0.1234567890123456789012345), ({}, "1e300", 1e300), ({}, "1e999", math.inf),
        ({"ratio": Fraction(1, 10)}, "3", 0.3), ({"ratio": Fraction(1, 3), "offset": Fraction(-40)}, "123.4", None),
        ({"kind": FieldKind.FLOAT}, "1e-3", 0.001), ({"kind": FieldKind.FLOAT}, "100", 100.0),
        ({"kind": FieldKind.FLOAT, "base": 16}, "40490FDB", 3.1415927410125732),
        ({"kind": FieldKind.FLOAT, "base": 16}, "0x400921FB54442D18", math.pi),
        ({"kind": FieldKind.FLOAT, "base": 16}, "C000", -2.0),
        ({"kind": FieldKind.FLOAT, "base": 16, "ratio": Fraction(2)}, "3C00", 2.0),
    ],
)  # fmt: skip
def test_decimals_and_floats(settings, text, value):
    field = column("x", **settings)
    wanted = float(Fraction(text) * field.ratio + field.offset) if value is None else value
    _, found, validity = read_one(field, text)
    assert (found, validity) == (wanted, Validity.GOOD)


@pytest.mark.parametrize(
    ("settings", "text"),
    [
        ({}, "abc"), ({}, "1.2.3"), ({}, "1e"), ({}, "e5"), ({}, "--1"), ({}, "-"), ({}, "18446744073709551616"),
        ({}, "-9223372036854775809"), ({"base": 16}, "10000000000000000"), ({"base": 16}, "0x"), ({"base": 2}, "2"),
        ({"base": 8}, "8"), ({"base": 16}, "1.5"), ({"kind": FieldKind.FLOAT, "base": 16}, "ABC"),
        ({"kind": FieldKind.FLOAT, "base": 16}, "-3C00"), ({"kind": FieldKind.SIGNED, "base": 16}, "-8000000000000001"),
    ],
)  # fmt: skip
def test_what_is_no_number_is_not_readable(settings, text):
    assert read_one(column("x", **settings), text)[2] is Validity.NOT_READABLE


@given(st.integers(-(10**25), 10**25), st.integers(0, 30), st.integers(-40, 40), st.fractions(-1000, 1000))
@example(9007199254740993, 0, 0, Fraction(1))
def test_decimals_are_the_nearest_floats_whatever_their_length(digits, places, power, ratio):
    if not ratio:
        return
    text = f"{'-' if digits < 0 else ''}{abs(digits):0{places + 1}d}"
    text = f"{text[: len(text) - places]}.{text[len(text) - places :]}e{power}" if places else f"{text}e{power}"
    field = column("x", FieldKind.FLOAT, ratio=ratio)
    assert read_one(field, text)[1] == float(Fraction(text) * ratio)


@given(st.integers(-(2**63), 2**63 - 1), st.sampled_from([2, 8, 10, 16]), st.booleans())
def test_whole_numbers_come_back_in_every_base(number, base, is_signed):
    field = column("x", FieldKind.SIGNED if is_signed else FieldKind.UNSIGNED, base=base)
    payload = encode_message(layout_of(line_of(field)), {"x": number}).payload
    assert read_one(field, payload.decode())[:2] == (number, number)


@given(st.floats(allow_nan=False, allow_infinity=False))
def test_floats_come_back_as_decimals_and_as_their_bits(number):
    for field in (column("x", FieldKind.FLOAT), column("x", FieldKind.FLOAT, base=16, digits=16)):
        said = text_of(field, number)
        assert said.loss == 0 and read_one(field, said.text)[1] == number
    single = column("x", FieldKind.FLOAT, base=16)
    if abs(number) < 3e38:
        assert text_of(single, number).text == struct.pack(">f", number + 0.0).hex().upper()


def test_digits_are_filled_up_in_front():
    assert text_of(column("x", base=16, digits=4), 255).text == "00FF"
    assert text_of(column("x", digits=3), 7).text == "007" and text_of(column("x", digits=3), -7).text == "-007"
    assert text_of(column("x", FieldKind.SIGNED, base=16, digits=4), -2).text == "FFFE"
    with pytest.raises(EncodeError, match="does not fit 2 digits"):
        text_of(column("x", FieldKind.SIGNED, base=16, digits=2), 200)


def test_small_numbers_without_an_end_keep_their_digits():
    said = text_of(column("x", ratio=Fraction(3)), Fraction(1, 10**9))
    assert said.text.startswith("0.0000000003333") and abs(said.loss) < Fraction(1, 10**14)


# words


SWITCH = column("switch", FieldKind.NAMES, names=(NamedValue(ord("Y"), "yes"), NamedValue(ord("N"), "no")))
MODE = column("mode", FieldKind.NAMES, names=(NamedValue(int.from_bytes(b"AUTO"), "by itself"), NamedValue(7, "seven")))


def test_words_are_named_by_the_codes_of_their_characters():
    layout = layout_of(line_of(SWITCH, MODE))
    decoded = decoded_of(layout, b"Y,AUTO", b"N,7", b"Y,MUCHTOOLONG")
    labels = [[SWITCH.label_of(int(raw)), MODE.label_of(int(mode))] for raw, mode in
              zip(decoded.named("switch").raw, decoded.named("mode").raw, strict=True)]  # fmt: skip
    assert labels[:2] == [["yes", "by itself"], ["no", "seven"]]
    assert decoded.named("mode").validity.tolist() == [Validity.GOOD, Validity.GOOD, Validity.NOT_READABLE]
    assert encode_message(layout, {"switch": "no", "mode": "by itself"}).payload == b"N,AUTO"
    assert encode_message(layout, {"switch": "yes", "mode": "seven"}).payload == b"Y,7"


def test_that_there_is_no_value_stands_in_a_column_as_its_number():
    heat = column("heat", ratio=Fraction(1, 10), digits=4, unavailable=RawSet.of(9999), errors=RawSet.of(-1))
    layout = layout_of(line_of(heat, column("on", FieldKind.FLAG)))
    for words, line in (("not available", b"9999,1"), ("fault", b"-0001,0")):
        assert encode_message(layout, {"heat": words, "on": "yes" if line[-1:] == b"1" else "no"}).payload == line
        assert Validity(decoded_of(layout, line).named("heat").validity[0]).words == words


def test_quotes_within_quotes_stand_twice():
    note = column("note", FieldKind.TEXT, padding="")
    layout = layout_of(line_of(note, column("n"), quote='"'))
    for text, line in (('say "hi"', b'"say ""hi""",1'), ("a,b", b'"a,b",1'), ("plain", b"plain,1")):
        assert encode_message(layout, {"note": text, "n": 1}).payload == line
    decoded = decoded_of(layout, b'"say ""hi""",1', b'"a,b",2', b"plain,3", b'"""",4')
    assert [decoded.named("note").text_of(row) for row in range(4)] == ['say "hi"', "a,b", "plain", '"']
    assert decoded.named("n").raw.tolist() == [1, 2, 3, 4]


def test_runs_of_blanks_count_once_where_that_is_said():
    columns = column("a"), column("b"), column("c")
    decoded = decoded_of(layout_of(line_of(*columns, separator=" ", merges=True)), b"  1   2 3  ", b"1 2")
    assert [decoded.named(name).raw[0] for name in "abc"] == [1, 2, 3]
    assert decoded.cut.tolist() == [False, True]
    once = decoded_of(layout_of(line_of(*columns, separator=" ")), b"1  3")
    assert once.named("b").validity[0] == Validity.NOT_AVAILABLE and once.named("c").raw[0] == 3


def test_lines_end_with_carriage_return_and_line_feed():
    layout = layout_of(line_of(column("a"), column("b"), ends="\r\n"))
    decoded = decoded_of(layout, b"1,2\r\n", b"3,4\r\nrest")
    assert decoded.named("b").raw.tolist() == [2, 4]
    assert encode_message(layout, {"a": 1, "b": 2}).payload == b"1,2\r\n"


def test_text_without_padding_keeps_its_blanks():
    field = new_field("t", at("B0..B3"), FieldKind.TEXT, padding="")
    layout = new_layout("m", SERIAL, 4, [field])
    assert decoded_of(layout, b"ab \t")[field.id].text_of(0) == "ab \t"
    assert encode_message(layout, {"t": "ab \t"}).payload == b"ab \t"
    with pytest.raises(EncodeError, match="do not fill the 4"):
        encode_message(layout, {"t": "ab"})


# arrays of columns

COUNT = column("count", base=16)
SCALE = column("scale", FieldKind.FLOAT)
DISTANCE = column("distance", base=16)
SCAN = layout_of(
    TextLine(id=uuid4(), name="head", columns=(column("word", FieldKind.TEXT), SCALE, COUNT), separator=" ",
             goes_on=True, begins="\x02", ends="\x03"),
    TextLine(id=uuid4(), name="distances", columns=(DISTANCE,), separator=" ", repeat=Repeat.COUNT,
             amount=Expression("count"), goes_on=True, ends="\x03",
             computed=(Computed(id=uuid4(), name="metres", expression=Expression("distance * scale")),)),
    TextLine(id=uuid4(), name="tail", columns=(column("serial"),), separator=" ", ends="\x03"),
)  # fmt: skip


def test_a_count_in_hex_text_says_how_many_columns_follow_and_an_earlier_column_scales_them():
    assert check_layout(SCAN) == []
    decoded = decoded_of(
        SCAN, b"\x02DIST 0.5 A 1 2 3 4 5 6 7 8 9 A 77\x03", b"\x02DIST 2 0 5\x03", b"\x02DIST 2 3 1 2\x03"
    )
    array = decoded.arrays[SCAN.parts[1].id]
    metres = next(one for one in array.columns.values() if one.field.name == "metres")
    assert metres.value.tolist() == [0.5, 1, 1.5, 2, 2.5, 3, 3.5, 4, 4.5, 5, 2, 4]
    assert array.frame.tolist() == [0] * 10 + [2] * 2 and array.index[:3, 0].tolist() == [0, 1, 2]
    assert decoded.named("serial").raw[:2].tolist() == [77, 5] and decoded.cut.tolist() == [False, False, True]


@given(st.lists(st.integers(0, 65535), max_size=20), st.integers(0, 99))
def test_a_count_in_text_is_worked_out(distances, serial):
    values = {"word": "DIST", "scale": 0.25, "distances": distances, "serial": serial}
    payload = encode_message(SCAN, values).payload
    middle = "".join(f"{one:X} " for one in distances)
    assert payload == f"\x02DIST 0.25 {len(distances):X} {middle}{serial}\x03".encode()
    decoded = decoded_of(SCAN, payload)
    array = decoded.arrays.get(SCAN.parts[1].id)
    assert ([] if array is None else array.columns[DISTANCE.id].raw.tolist()) == distances
    assert decoded.named("serial").raw[0] == serial


def test_columns_in_turns_to_the_end_of_the_line():
    part = line_of(column("x"), column("y"), repeat=Repeat.TO_END, ends="*")
    decoded = decoded_of(layout_of(part), b"1,2,3,4*", b"*", b"5,6,7*")
    array = decoded.arrays[part.id]
    found = {one.field.name: one.raw.tolist() for one in array.columns.values()}
    assert found == {"x": [1, 3, 5], "y": [2, 4, 6]} and array.frame.tolist() == [0, 0, 2]
    payload = encode_message(layout_of(part), {"line": [{"x": 1, "y": 2}, {"x": 3, "y": 4}]}).payload
    assert payload == b"1,2,3,4*"


@pytest.mark.parametrize(
    ("values", "words"),
    [
        ({"distances": 5}, "takes a list"), ({"distances": "5"}, "takes a list"),
        ({"distances": [{"speed": 1}]}, "no column 'speed'"), ({"distances": [1], "count": 2}, "distances has 1"),
        ({"word": "a b"}, "holds the separator"), ({"serial": "x"}, "no value for it"),
    ],
)  # fmt: skip
def test_what_does_not_go_into_a_line(values, words):
    with pytest.raises(EncodeError, match=words):
        encode_message(SCAN, {"scale": 1} | values)


def test_a_check_in_hex_text_is_worked_out():
    check = column("check", base=16, digits=2)
    over = Xor(
        id=uuid4(), name="xor", field=check.id, coverage=Coverage(first=Expression("1"), end=Expression("size - 3"))
    )
    layout = layout_of(
        line_of(column("talker", FieldKind.TEXT), column("depth", ratio=Fraction(1, 10)), begins="$", ends="*"),
        TextLine(id=uuid4(), name="tail", columns=(check,)), checks=(over,),
    )  # fmt: skip
    payload = encode_message(layout, {"talker": "SDDPT", "depth": Fraction(34, 10)}).payload
    wanted = np.bitwise_xor.reduce(np.frombuffer(b"SDDPT,34", np.uint8))
    assert payload == b"$SDDPT,34*" + f"{wanted:02X}".encode()
    assert decoded_of(layout, payload).named("depth").validity[0] == Validity.GOOD
    spoilt = payload.replace(b"34", b"35")
    assert decoded_of(layout, spoilt).named("depth").validity[0] == Validity.CHECK_FAILED


def test_a_length_in_text_is_worked_out_by_its_rule():
    layout = layout_of(
        line_of(column("length"), column("note", FieldKind.TEXT)),
        checks=(Rule(id=uuid4(), name="length", expression=Expression("length == size")),),
    )
    for note in ("", "abc", "abcdefg", "x" * 120):
        payload = encode_message(layout, {"note": note}).payload
        assert payload == f"{len(payload)},{note}".encode()


# what is there is said by what says so


def test_flags_and_pages_follow_from_what_is_given():
    flag, page = new_field("has more", at("B0[7]"), FieldKind.FLAG), new_field("page", at("B1"))
    on_page = new_field("heat", at("B2"), selected=Selected(page.id, RawSet.of(3)))
    more = Group(
        id=uuid4(), name="more", size=1, selected=Selected(flag.id, RawSet.of(1)), fields=(new_field("a", at("B0")),)
    )
    layout = new_layout("m", SERIAL, 3, [flag, page, on_page], parts=(more,))
    assert encode_message(layout, {"a": 9}).payload.hex() == "80000009"
    assert encode_message(layout, {"heat": 5}).payload.hex() == "000305"
    assert encode_message(layout, {"page": 3, "heat": 5}).payload.hex() == "000305"
    with pytest.raises(EncodeError, match="while page is 1"):
        encode_message(layout, {"page": 1, "heat": 5})
    with pytest.raises(EncodeError, match="not in a frame with"):
        encode_message(layout, {"has more": 0, "a": 9})


# what is accepted


@pytest.mark.parametrize(
    ("settings", "attribute", "words"),
    [
        ({"kind": FieldKind.GRAY}, "kind", "text does not say"), ({"kind": FieldKind.BCD}, "kind", "text does not say"),
        ({"kind": FieldKind.SIGN_MAGNITUDE}, "kind", "text does not say"),
        ({"inverted": True}, "inverted", "cannot be turned round"), ({"base": 7}, "base", "2, 8, 10 or 16"),
        ({"ratio": Fraction(0)}, "ratio", "ratio 0"), ({"digits": 65}, "digits", "0 to 64"),
        ({"kind": FieldKind.FLOAT, "base": 8}, "base", "in base 10"),
        ({"kind": FieldKind.FLOAT, "base": 16, "digits": 5}, "digits", "4, 8 or 16"),
        ({"kind": FieldKind.TEXT, "encoding": "klingon"}, "encoding", "is not one of"),
        ({"low": Fraction(2), "high": Fraction(1)}, "low", "low limit above"),
        ({"kind": FieldKind.NAMES}, "names", "none has a name"),
    ],
)  # fmt: skip
def test_what_a_column_cannot_be_is_told(settings, attribute, words):
    (problem,) = check_layout(layout_of(line_of(column("x", **settings))))
    assert problem.attribute == attribute and words in problem.sentence


def test_what_a_line_cannot_be_is_told():
    good = line_of(column("a"))
    for changes, words in (
        ({"repeat": Repeat.COUNT}, "does not say how many"), ({"repeat": Repeat.BYTES}, "cannot count bytes"),
        ({"columns": (column("a"), column("a"))}, "Two columns are called a"),
        ({"columns": (column(""),), "repeat": Repeat.TO_END}, "all passed over"),
        ({"separator": ""}, "one ASCII character"), ({"quote": ","}, "other than the separator"),
        ({"columns": ()}, "no columns"), ({"ends": "é"}, "not made of ASCII"),
    ):  # fmt: skip
        sentences = [one.sentence for one in check_layout(layout_of(msgspec.structs.replace(good, **changes)))]
        assert len(sentences) == 1 and words in sentences[0], changes


def test_a_rule_is_worked_out_beside_a_column_of_more_digits_than_64_bits():
    many, size = column("many", FieldKind.FLOAT), column("size of it", base=16)
    rule = Rule(id=uuid4(), name="r", expression=Expression("`size of it` == size"))
    layout = layout_of(line_of(many, size), checks=(rule,))
    frame = encode_message(layout, {"many": "123456789012345678901234567890"}).payload
    assert frame == b"1.2345678901234568e+29,19"
    assert decoded_of(layout, frame).named("size of it").value.tolist() == [len(frame)] == [0x19]


def test_a_check_is_worked_out_beside_a_column_of_more_digits_than_64_bits():
    wide, check = column("wide", ratio=Fraction(1, 10**6)), column("check", base=16, digits=2)
    before = Coverage(first=Expression("0"), end=Expression("size - 3"))
    over = Xor(id=uuid4(), name="x", field=check.id, coverage=before)
    frame = encode_message(layout_of(line_of(wide, check), checks=(over,)), {"wide": 10**16}).payload
    # the exclusive or of a one and 22 zeros, which cancel out
    assert frame == b"10000000000000000000000,31"
