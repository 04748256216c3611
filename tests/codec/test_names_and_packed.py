"""Names of labels with pointers, packed numbers, arrays up to an end, digits at a place."""

import struct
from fractions import Fraction
from uuid import uuid4

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from zesty_abacus.core.codec.columns import Validity
from zesty_abacus.core.codec.encode import EncodeError
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.codec.moving import bit_owners
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.layouts.json_form import layout_from_json, layout_to_json
from zesty_abacus.core.layouts.model import (
    Applies,
    Expression,
    FieldKind,
    Group,
    NamedValue,
    Repeat,
    Run,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.parts.labels import Labels
from zesty_abacus.core.layouts.parts.packed import Packed
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.validate import check_layout

from .frames import decoded_of

SERIAL = Applies(protocol="serial")
GOOD, SHORT, UNREADABLE = Validity.GOOD, Validity.TOO_SHORT, Validity.NOT_READABLE


def layout_of(*parts, size=0, fields=()):
    layout = new_layout("message", SERIAL, size, fields, parts=parts)
    assert check_layout(layout) == []
    assert layout_from_json(layout_to_json(layout)) == layout
    return layout


def name_of(name="name", **settings):
    return Labels(id=uuid4(), name=name, field=new_field(name, Places(()), FieldKind.TEXT), **settings)


def written(layout, **values):
    return encode_message(layout, values).payload


def texts(decoded, layout, name):
    """Return the text of a field in every frame, None where it has none."""
    key = next(one.id for one in layout.all_fields() if one.name == name)
    column = decoded.columns[key]
    return [column.text_of(row) if column.validity[row] == GOOD else None for row in range(len(column))]


# names of labels


def published():
    """The message of RFC 1035, 4.1.4: F.ISI.ARPA at 20, FOO.F.ISI.ARPA at 40, ARPA at 64, the root at 92."""
    message = bytearray(93)
    message[20:32] = b"\x01F\x03ISI\x04ARPA\x00"
    message[40:46] = b"\x03FOO\xc0\x14"
    message[64:66] = b"\xc0\x1a"
    return bytes(message)


@pytest.mark.parametrize(
    ("start", "name", "after"), [(20, "F.ISI.ARPA", 32), (40, "FOO.F.ISI.ARPA", 46), (64, "ARPA", 66), (92, "", 93)]
)
def test_the_published_example_of_compression(start, name, after):
    byte = Group(id=uuid4(), name="behind", size=0, parts=(
        Run(id=uuid4(), name="rest", field=new_field("rest", Places(()), FieldKind.BYTES)),))  # fmt: skip
    layout = layout_of(name_of(start=Expression(str(start))), byte)
    decoded = decoded_of(layout, published())
    assert texts(decoded, layout, "name") == [name]
    assert len(texts(decoded, layout, "rest")[0].replace(" ", "")) // 2 == 93 - after


def test_pointers_count_from_where_the_layout_says():
    layout = layout_of(
        name_of("first", start=Expression("2"), origin=Expression("2")), name_of("second", origin=Expression("2"))
    )
    decoded = decoded_of(layout, b"\x00\x0e\x04yuzu\x03tug\x00\x04port\xc0\x00")
    assert texts(decoded, layout, "first") == ["yuzu.tug"] and texts(decoded, layout, "second") == ["port.yuzu.tug"]


@pytest.mark.parametrize(
    ("payload", "validity"),
    [
        (b"\xc0\x00", UNREADABLE), (b"\x01a\xc0\x00", UNREADABLE), (b"\x01a\xc0\x02", UNREADABLE),
        (b"\x41a\x00", UNREADABLE), (b"\x81a\x00", UNREADABLE), (b"", SHORT), (b"\x01", SHORT), (b"\x03ab", SHORT),
        (b"\x01a", SHORT), (b"\x01a\xc0", SHORT), (b"\x01a\x00", GOOD), (b"\x00", GOOD),
    ],
)  # fmt: skip
def test_what_leads_nowhere_is_no_name(payload, validity):
    layout = layout_of(name_of())
    decoded = decoded_of(layout, payload)
    assert next(iter(decoded.columns.values())).validity.tolist() == [validity]


def test_without_pointers_a_label_may_be_long():
    layout = layout_of(name_of(pointers=False))
    text = "x" * 200
    assert texts(decoded_of(layout, b"\xc8" + text.encode() + b"\0"), layout, "name") == [text]


LABELS = st.lists(
    st.text(st.sampled_from("ab.\\-7 "), min_size=1, max_size=12).map(lambda one: one.rstrip() + "z"), max_size=6
)


@given(LABELS, st.sampled_from([".", "/", ","]))
def test_names_are_written_as_they_are_read(labels, separator):
    layout = layout_of(name_of(separator=separator))
    payload = b"".join(bytes([len(one)]) + one.encode() for one in labels) + b"\0"
    (text,) = texts(decoded_of(layout, payload), layout, "name")
    escaped = [one.replace("\\", "\\\\").replace(separator, f"\\{separator}") for one in labels]
    assert text == separator.join(escaped)
    assert written(layout, **{"name": text}) == payload


@given(st.lists(st.binary(max_size=40), min_size=1, max_size=5))
def test_any_bytes_are_read_to_an_end(payloads):
    layout = layout_of(name_of(), name_of("second"))
    decoded = decoded_of(layout, *payloads)
    for row, payload in enumerate(payloads):
        name = slow_name(payload, 0)
        column = decoded.columns[layout.parts[0].field.id]
        assert (column.text_of(row) if column.validity[row] == GOOD else None) == name, payload


def slow_name(payload, place):
    """Read a name label by label, as RFC 1035 describes it; None where it leads nowhere."""
    labels, before = [], place
    while place < len(payload):
        size = payload[place]
        if size == 0:
            return ".".join(labels).rstrip(" \0")
        if size >= 0xC0:
            if place + 1 >= len(payload):
                break
            target = (size & 0x3F) << 8 | payload[place + 1]
            if target >= before:
                break
            place = before = target
            continue
        if size >= 0x40 or place + 1 + size > len(payload):
            break
        label = payload[place + 1 : place + 1 + size].decode("ascii", "replace")
        labels.append(label.replace("\\", "\\\\").replace(".", "\\."))
        place += 1 + size
    return None


@pytest.mark.parametrize("text", ["a..b", ".a", "x" * 64])
def test_a_label_that_cannot_be_is_refused(text):
    with pytest.raises(EncodeError, match="a label has 1 to 63 bytes"):
        encode_message(layout_of(name_of()), {"name": text})


# packed numbers


def packed(bits, *, low_first=False, repeat=Repeat.TO_END, amount=None, **settings):
    field = new_field("number", Places(()), **settings)
    amount = Expression(amount) if amount else None
    return Packed(id=uuid4(), name="numbers", field=field, bits=bits, repeat=repeat, amount=amount, low_first=low_first)


def array_of(decoded, row=0):
    array = next(iter(decoded.arrays.values()))
    return next(iter(array.columns.values())).value[array.rows_of(row)].tolist()


def test_samples_of_twelve_bits_in_both_orders():
    payload = bytes.fromhex("123ABC")
    assert array_of(decoded_of(layout_of(packed(12)), payload)) == [0x123, 0xABC]
    assert array_of(decoded_of(layout_of(packed(12, low_first=True)), bytes.fromhex("23C1AB"))) == [0x123, 0xABC]


def test_bits_are_flags_one_behind_the_other():
    layout = layout_of(packed(1, kind=FieldKind.FLAG, repeat=Repeat.COUNT, amount="count"), size=1,
                       fields=[new_field("count", at("B0"))])  # fmt: skip
    decoded = decoded_of(layout, bytes([10, 0b1010_0000, 0b0100_0000]))
    assert array_of(decoded) == [1, 0, 1, 0, 0, 0, 0, 0, 0, 1]
    assert written(layout, **{"numbers": [1, 0, 1, 0, 0, 0, 0, 0, 0, 1]}) == bytes([10, 0xA0, 0x40])


@given(
    st.integers(1, 64), st.booleans(), st.lists(st.integers(0, 2**64 - 1), min_size=1, max_size=9),
    st.sampled_from([FieldKind.UNSIGNED, FieldKind.SIGNED, FieldKind.GRAY]),
)  # fmt: skip
@example(64, True, [2**64 - 1, 0], FieldKind.SIGNED)
def test_packed_numbers_are_the_digits_of_one_number(bits, low_first, drawn, kind):
    raws = [one % (1 << bits) for one in drawn]
    # the definition: one long number, the first of them at its low end or at its high end
    if low_first:
        whole = sum(raw << place * bits for place, raw in enumerate(raws))
        payload = whole.to_bytes(-(-len(raws) * bits // 8), "little")
    else:
        text = "".join(f"{raw:0{bits}b}" for raw in raws)
        payload = bytes(int(text[at : at + 8].ljust(8, "0"), 2) for at in range(0, len(text), 8))
    layout = layout_of(packed(bits, low_first=low_first, kind=kind, repeat=Repeat.COUNT, amount=str(len(raws))))
    values = array_of(decoded_of(layout, payload))
    if kind is FieldKind.UNSIGNED:
        assert values == raws
    elif kind is FieldKind.SIGNED:
        assert values == [raw - (raw >> bits - 1 << bits) for raw in raws]
    else:
        assert [value ^ value >> 1 for value in values] == raws
    assert written(layout, **{"numbers": values}) == payload


def test_packed_numbers_are_scaled_have_names_and_own_their_bits():
    layout = layout_of(packed(3, kind=FieldKind.NAMES, names=(NamedValue(5, "ahead"),)))
    decoded = decoded_of(layout, bytes([0b1010_0110]))
    column = next(iter(next(iter(decoded.arrays.values())).columns.values()))
    assert column.raw.tolist() == [5, 1] and column.label_codes().tolist() == [0, -1]
    matrix = np.frombuffer(bytes([0xA6]), np.uint8)[None, :]
    owners = bit_owners(compile_layout(layout), matrix, np.array([1], np.uint32))
    assert owners[0].tolist() == [-1, -1, 0, 0, 0, 0, 0, 0]
    scaled = layout_of(packed(10, ratio=Fraction(1, 4), offset=Fraction(-10)))
    assert array_of(decoded_of(scaled, b"\xff\x40")) == [1021 / 4 - 10]


def test_fewer_numbers_than_are_counted_are_cut():
    layout = layout_of(packed(12, repeat=Repeat.COUNT, amount="4"))
    decoded = decoded_of(layout, bytes(5))
    assert len(array_of(decoded)) == 3 and decoded.cut.tolist() == [True]


# arrays up to an end


def until(end="00", size=1, **settings):
    fields = (new_field("cell", at("B0" if size == 1 else "B0 B1")),)
    return Group(id=uuid4(), name="cells", size=size, fields=fields, repeat=Repeat.UNTIL, end=end, **settings)


def test_items_go_on_to_the_bytes_that_end_them_and_what_follows_stands_behind():
    rest = Run(id=uuid4(), name="rest", field=new_field("rest", Places(()), FieldKind.TEXT))
    layout = layout_of(until(), rest)
    decoded = decoded_of(layout, b"\x05\x07\x00ok", b"\x00!", b"\x01\x02")
    assert [array_of(decoded, row) for row in range(3)] == [[5, 7], [], [1, 2]]
    assert texts(decoded, layout, "rest") == ["ok", "!", ""] and decoded.cut.tolist() == [False, False, True]
    assert written(layout, **{"cells": [5, 7], "rest": "ok"}) == b"\x05\x07\x00ok"


def test_an_end_is_looked_for_where_items_begin():
    layout = layout_of(until("0000", size=2))
    assert array_of(decoded_of(layout, bytes.fromhex("0100 0002 0000"))) == [0x0100, 0x0002]
    with pytest.raises(EncodeError, match="item 1 begins with the bytes that end it"):
        encode_message(layout, {"cells": [1, 0]})


def test_items_that_differ_in_size_go_on_to_an_end():
    item = Group(
        id=uuid4(), name="names", size=0, repeat=Repeat.UNTIL, end="00",
        parts=(Labels(id=uuid4(), name="one", field=new_field("one", Places(()), FieldKind.TEXT)),),
    )  # fmt: skip
    layout = layout_of(item)
    payload = b"\x01a\x02bc\x00\x01d\x00\x00"
    array = next(iter(decoded_of(layout, payload).arrays.values()))
    assert [next(iter(array.columns.values())).text_of(row) for row in range(2)] == ["a.bc", "d"]
    assert written(layout, **{"names": [{"one": "a.bc"}, {"one": "d"}]}) == payload


@pytest.mark.parametrize(
    ("settings", "sentence"),
    [
        ({"end": ""}, "'' is not hex digits that end cells."),
        ({"end": "0"}, "'0' is not hex digits that end cells."),
        ({"end": "00", "repeat": Repeat.TO_END}, "cells has an end, and does not go on until it."),
    ],
)
def test_an_end_has_to_be_one(settings, sentence):
    import msgspec

    layout = new_layout("message", SERIAL, 0, parts=(msgspec.structs.replace(until(), **settings),))
    assert [problem.sentence for problem in check_layout(layout)] == [sentence]


# digits at a place


def digits(length, name="level", start=None, **settings):
    field = new_field(name, Places(()), **settings)
    start = Expression(start) if start else None
    return Run(id=uuid4(), name=f"{name} digits", field=field, length=Expression(length), start=start)


def test_hex_digits_at_fixed_places_are_numbers():
    layout = layout_of(
        digits("4", base=16, digits=4, start="1"), digits("2", "heat", kind=FieldKind.SIGNED, base=16, digits=2),
        digits("8", "flow", kind=FieldKind.FLOAT, base=16, digits=8),
    )  # fmt: skip
    payload = b":01A4F0" + struct.pack(">f", 2.5).hex().upper().encode()
    decoded = decoded_of(layout, payload, b":01XZF0" + b"00000000", b":01")
    values = {column.field.name: column.value[0] for column in decoded.columns.values()}
    assert values == {"level": 0x1A4, "heat": -16, "flow": 2.5}
    level = next(column for column in decoded.columns.values() if column.field.name == "level")
    assert level.validity.tolist() == [GOOD, UNREADABLE, SHORT]
    assert written(layout, **{"level": 0x1A4, "heat": -16, "flow": 2.5})[1:] == payload[1:]


def test_digits_say_how_long_what_follows_is():
    text = Run(id=uuid4(), name="text", field=new_field("text", Places(()), FieldKind.TEXT), length=Expression("count"))
    layout = layout_of(digits("2", "count", base=16, digits=2), text)
    assert texts(decoded_of(layout, b"0Aharbour tu", b"03abcde"), layout, "text") == ["harbour tu", "abc"]
    assert written(layout, **{"text": "harbour tug"}) == b"0Bharbour tug"
