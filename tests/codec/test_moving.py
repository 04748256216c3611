"""Layouts that move, against a slow second reader, and against frames from published standards."""

from __future__ import annotations

from fractions import Fraction
from uuid import uuid4

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.codec.columns import Validity
from zesty_abacus.core.codec.encode import EncodeError
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.codec.moving import bit_owners
from zesty_abacus.core.codec.plan import PlanError, compile_layout
from zesty_abacus.core.layouts.model import (
    Applies,
    Axis,
    ElementCase,
    Elements,
    Expression,
    FieldKind,
    Group,
    RawSet,
    Repeat,
    Run,
    Selected,
    TextLine,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.validate import check_layout

from .frames import decoded_of
from .structure_oracle import read_frame

ANY = Applies(protocol="serial")
NONE = Places(())


def cell(column, row):
    state = Validity(column.validity[row])
    if state in (Validity.ABSENT, Validity.TOO_SHORT):
        return "absent" if state is Validity.ABSENT else "short"
    if column.raw is None:
        return column.content[row].tobytes()[: int(column.lengths[row])]
    return int(column.raw[row])


def assert_reads_the_same(layout, payloads):
    decoded = decoded_of(layout, *payloads)
    for row, payload in enumerate(payloads):
        wanted = read_frame(layout, payload)
        found = {column.field.name: cell(column, row) for column in decoded.columns.values()}
        assert found == wanted.once, payload.hex()
        assert bool(decoded.cut[row]) == wanted.cut, payload.hex()
        for array in decoded.arrays.values():
            items = [
                {column.field.name: cell(column, i) for column in array.columns.values()}
                for i in range(*array.rows_of(row).indices(len(array)))
            ]
            assert items == wanted.arrays.get(array.name, []), (array.name, payload.hex())


# random layouts


class Names:
    """Hands out names that occur once in a layout."""

    def __init__(self):
        self.count = 0

    def next(self, word):
        self.count += 1
        return f"{word}{self.count}"


@st.composite
def byte_fields(draw, names, size):
    count = draw(st.integers(1, 2))
    fields = []
    free = list(range(size * 8))
    for _ in range(count):
        width = draw(st.integers(1, min(12, len(free))))
        bits = [free.pop(draw(st.integers(0, len(free) - 1))) for _ in range(width)]
        fields.append(new_field(names.next("f"), Places(bits)))
        if not free:
            break
    return tuple(fields)


@st.composite
def some_parts(draw, names, numbers, depth):
    """Draw one to three parts; ``numbers`` are fields that counts may come from."""
    parts = []
    for _ in range(draw(st.integers(1, 3))):
        kinds = ["once", "count", "bytes", "length", "end"]
        kind = draw(st.sampled_from(kinds if depth else ["once", "count", "length"]))
        settings = {"id": uuid4(), "align": draw(st.sampled_from([1, 1, 1, 2, 4]))}
        if kind == "once" and draw(st.booleans()):
            settings["selected"] = Selected(draw(st.sampled_from(numbers)).id, RawSet([(0, draw(st.integers(0, 9)))]))
        amount = Expression(f"{draw(st.sampled_from(numbers)).name} % {draw(st.integers(2, 6))}")
        if kind in ("length", "end"):
            field = new_field(names.next("text"), NONE, FieldKind.BYTES)
            extra = {"length": amount} if kind == "length" else {"end": draw(st.sampled_from(["00", "0D0A"]))}
            parts.append(Run(name=names.next("run"), field=field, **extra, **settings))
            continue
        size = draw(st.integers(1, 3))
        fields = draw(byte_fields(names, size))
        inner = draw(some_parts(names, list(fields), depth - 1)) if depth and draw(st.booleans()) else ()
        repeat = {"once": Repeat.ONCE, "count": Repeat.COUNT, "bytes": Repeat.BYTES}[kind]
        if repeat is Repeat.BYTES and inner:
            repeat = Repeat.COUNT
        parts.append(
            Group(name=names.next("group"), size=size, fields=fields, parts=inner, repeat=repeat,
                  amount=None if repeat is Repeat.ONCE else amount, **settings)
        )  # fmt: skip
    return tuple(parts)


@st.composite
def moving_layouts(draw):
    names = Names()
    size = draw(st.integers(1, 4))
    fields = draw(byte_fields(names, size))
    parts = draw(some_parts(names, list(fields), 1))
    if draw(st.booleans()):
        rest = new_field(names.next("rest"), NONE, FieldKind.BYTES)
        parts = (*parts, Run(id=uuid4(), name=names.next("run"), field=rest))
    else:
        last = draw(byte_fields(names, 1))
        parts = (*parts, Group(id=uuid4(), name=names.next("tail"), size=1, fields=last, repeat=Repeat.TO_END))
    return new_layout("m", ANY, size, fields, parts=parts)


@given(moving_layouts(), st.lists(st.binary(max_size=24), min_size=1, max_size=8))
def test_random_layouts_read_as_the_slow_reader_reads_them(layout, payloads):
    assert_reads_the_same(layout, payloads)


@given(st.data())
def test_lists_of_elements_read_as_the_slow_reader_reads_them(data):
    order = data.draw(st.permutations([0, 1]))
    part = Elements(
        id=uuid4(), name="list", head=2, type=new_field("kind", at(f"B{order[0]}")),
        length=new_field("length", at(f"B{order[1]}")), length_unit=data.draw(st.integers(1, 2)),
        extra=data.draw(st.integers(-2, 1)), ends=data.draw(st.sampled_from([RawSet(), RawSet.of(0), RawSet.of(255)])),
        alone=data.draw(st.sampled_from([RawSet(), RawSet.of(1), RawSet([(3, 4)])])),
        cases=(
            ElementCase(id=uuid4(), name="low", types=RawSet([(1, 3)]), fields=(new_field("a", at("B1 B0")),)),
            ElementCase(id=uuid4(), name="high", types=RawSet([(4, 200)]), fields=(new_field("b", at("B0[7..3]")),)),
        ),
    )  # fmt: skip
    layout = new_layout("m", ANY, 1, [new_field("head", at("B0"))], parts=(part,))
    small = st.lists(st.integers(0, 5), max_size=20).map(bytes)
    payloads = data.draw(st.lists(st.one_of(small, st.binary(max_size=20)), min_size=1, max_size=6))
    assert_reads_the_same(layout, payloads)


# single structures


def counted(amount="count", repeat=Repeat.COUNT, **more):
    cell = new_field("cell", at("B1 B0"), ratio=Fraction(1, 1000), unit="V")
    group = Group(id=uuid4(), name="cells", size=2, fields=(cell,), repeat=repeat, amount=Expression(amount), **more)
    return new_layout("pack", ANY, 1, [new_field("count", at("B0"))], parts=(group,)), group


def test_an_array_stands_on_its_axis():
    axis = Axis("distance", Expression("count * 10"), Expression("5"), "m")
    layout, group = counted(axis=axis)
    array = decoded_of(layout, bytes([3, 0, 1, 0, 2, 0, 3]), bytes([1, 9, 9])).arrays[group.id]
    assert array.axis.tolist() == [30, 35, 40, 10] and (array.axis_name, array.axis_unit) == ("distance", "m")
    assert array.frame.tolist() == [0, 0, 0, 1] and array.index[:, 0].tolist() == [0, 1, 2, 0]
    (column,) = array.columns.values()
    assert column.value.tolist() == pytest.approx([0.256, 0.512, 0.768, 2.313])


def test_a_count_beyond_the_payload_gives_what_is_there_and_says_so():
    layout, group = counted()
    decoded = decoded_of(layout, bytes([200, 1, 0, 2]), bytes([1, 1, 0]))
    assert decoded.cut.tolist() == [True, False]
    (column,) = decoded.arrays[group.id].columns.values()
    assert column.validity.tolist() == [Validity.GOOD, Validity.TOO_SHORT, Validity.GOOD]


def test_an_expression_with_no_value_makes_an_empty_array():
    layout, group = counted("count // 0")
    assert len(decoded_of(layout, b"\x01\x02\x03").arrays[group.id]) == 0


def test_items_that_take_no_byte_end():
    run = Run(id=uuid4(), name="run", field=new_field("text", NONE, FieldKind.TEXT), length=Expression("0"))
    group = Group(id=uuid4(), name="g", size=0, parts=(run,), repeat=Repeat.TO_END)
    decoded = decoded_of(new_layout("m", ANY, 0, parts=(group,)), b"abc")
    assert len(decoded.arrays[group.id]) == 1


def test_a_wide_count_does_not_take_memory():
    layout, group = counted("count * 0x7FFFFFFFFF")
    assert len(decoded_of(layout, b"\xff\x01\x02").arrays[group.id]) == 1


def line(**settings):
    columns = (
        new_field("talker", NONE, FieldKind.TEXT),
        new_field("depth", NONE, ratio=Fraction(1, 2), unit="m", high=Fraction(100)),
        new_field("", NONE),
        new_field("flags", NONE, base=16),
    )
    part = TextLine(id=uuid4(), name="line", columns=columns, begins="$", ends="*", **settings)
    return new_layout("text", ANY, 0, parts=(part,))


def test_text_columns_are_read_in_their_base_and_scale():
    decoded = decoded_of(
        line(), b"$AB,12.50,x,1F*33", b"$AB,,x,ff*", b"$AB,-7,x,zz*00", b"$AB,400", b"noise", b"$,1.2.3,,0*"
    )
    depth, flags = decoded.named("depth"), decoded.named("flags")
    assert depth.value[:3].tolist()[0] == 6.25 and depth.value[2] == -3.5
    assert [Validity(v).name for v in depth.validity] == [
        "GOOD", "NOT_AVAILABLE", "GOOD", "OUTSIDE_LIMITS", "TOO_SHORT", "NOT_READABLE",
    ]  # fmt: skip
    assert flags.raw[:2].tolist() == [31, 255] and flags.validity[2] == Validity.NOT_READABLE
    assert decoded.named("talker").text_of(0) == "AB"
    assert decoded.cut.tolist() == [False, False, False, True, True, False]


def test_quotes_keep_the_separator():
    layout = line(quote='"', separator=";")
    assert decoded_of(layout, b'$"A;B"; 8 ;;0*').named("talker").text_of(0) == "A;B"
    payload = encode_message(layout, {"talker": "A;B", "depth": 4, "flags": 10}).payload
    assert payload == b'$"A;B";8;;A*'


@given(st.integers(-(10**12), 10**12), st.integers(0, 6))
def test_decimals_in_text_are_rounded_once(digits, places):
    whole, part = divmod(abs(digits), 10**places)
    text = f"{'-' if digits < 0 else ''}{whole}" + (f".{part:0{places}d}" if places else "")
    columns = (new_field("x", NONE),)
    layout = new_layout("t", ANY, 0, parts=(TextLine(id=uuid4(), name="l", columns=columns),))
    assert float(decoded_of(layout, text.encode()).named("x").value[0]) == float(text)


# frames from standards


def test_an_ipv4_header_moves_what_follows():
    """RFC 791: the header length counts words of four bytes, options lie between header and payload."""
    options = Run(
        id=uuid4(), name="options", field=new_field("options", NONE, FieldKind.BYTES),
        length=Expression("header_words * 4 - 20"),
    )  # fmt: skip
    udp = Group(
        id=uuid4(), name="udp", size=8, start=Expression("header_words * 4"),
        fields=(new_field("source", at("B0 B1")), new_field("target", at("B2 B3")), new_field("length", at("B4 B5"))),
    )  # fmt: skip
    fields = [
        new_field("version", at("B0[7..4]")), new_field("header_words", at("B0[3..0]")),
        new_field("total", at("B2 B3")), new_field("protocol", at("B9")),
    ]  # fmt: skip
    layout = new_layout("ip", ANY, 20, fields, parts=(options, udp))
    plain = bytes.fromhex("45000020000100004011000010000001C0000202 0035 1234 000C 0000 61626364")
    longer = bytes.fromhex("46000024000100004011000010000001C0000202 94040000 0035 1234 000C 0000 61626364")
    decoded = decoded_of(layout, plain, longer)
    assert decoded.named("source").raw.tolist() == [53, 53] and decoded.named("target").raw.tolist() == [0x1234] * 2
    assert decoded.named("options").text_of(0) == "" and decoded.named("options").text_of(1) == "94 04 00 00"
    made = encode_message(layout, {"version": 4, "options": "94040000", "source": 53}).payload
    assert made[0] == 0x46 and made[24:26] == b"\x00\x35"


ADVERTISING = Elements(
    id=uuid4(), name="structures", head=2, length=new_field("length", at("B0")), type=new_field("type", at("B1")),
    extra=-1,
    cases=(
        ElementCase(id=uuid4(), name="flags", types=RawSet.of(1), fields=(new_field("modes", at("B0")),)),
        ElementCase(
            id=uuid4(), name="name", types=RawSet([(8, 9)]),
            parts=(Run(id=uuid4(), name="text", field=new_field("local name", NONE, FieldKind.TEXT)),),
        ),
        ElementCase(
            id=uuid4(), name="services", types=RawSet([(2, 3)]),
            parts=(Group(id=uuid4(), name="list", size=2, fields=(new_field("service", at("B1 B0")),),
                         repeat=Repeat.TO_END),),
        ),
        ElementCase(id=uuid4(), name="power", types=RawSet.of(10),
                    fields=(new_field("level", at("B0"), FieldKind.SIGNED, unit="dBm"),)),
    ),
)  # fmt: skip


def test_bluetooth_advertising_structures():
    """Bluetooth Core, Vol 3, Part C, 11: the length counts the type; zeros fill up the rest."""
    layout = new_layout("adv", ANY, 0, parts=(ADVERTISING,))
    payload = bytes.fromhex("020106 0503 0D18 0F18 0309 5975 020AF6 0000")
    decoded = decoded_of(layout, payload)
    _, name, services, power = ADVERTISING.cases
    assert not decoded.cut[0] and len(decoded.arrays[ADVERTISING.id]) == 4
    (text,) = decoded.arrays[name.id].columns.values()
    assert text.text_of(0) == "Yu"
    (level,) = decoded.arrays[power.id].columns.values()
    assert int(level.value[0]) == -10
    heart = decoded.arrays[services.parts[0].id]
    assert next(iter(heart.columns.values())).raw.tolist() == [0x180D, 0x180F]
    assert heart.index.tolist() == [[1, 0], [1, 1]]
    elements = [
        ("flags", {"modes": 6}), (3, {"list": [0x180D, 0x180F]}), (9, {"local name": "Yu"}),
        ("power", {"level": -10}),
    ]  # fmt: skip
    assert encode_message(layout, {"structures": elements}).payload == payload[:-2]


TCP_OPTIONS = Elements(
    id=uuid4(), name="options", head=2, type=new_field("kind", at("B0")), length=new_field("length", at("B1")),
    extra=-2, ends=RawSet.of(0), alone=RawSet.of(1),
    cases=(
        ElementCase(id=uuid4(), name="no operation", types=RawSet.of(1)),
        ElementCase(id=uuid4(), name="segment", types=RawSet.of(2), fields=(new_field("most", at("B0 B1")),)),
        ElementCase(id=uuid4(), name="window", types=RawSet.of(3), fields=(new_field("shift", at("B0")),)),
    ),
)  # fmt: skip


def test_options_that_do_nothing_do_not_end_the_list():
    """RFC 9293, 3.2: kind 1 is one byte, kind 0 ends the list; RFC 7323: kind 3 is the window scale."""
    layout = new_layout("tcp", ANY, 0, parts=(TCP_OPTIONS,))
    payload = bytes.fromhex("020405B4 01 030307 01 01 00 00")
    decoded = decoded_of(layout, payload)
    items = decoded.arrays[TCP_OPTIONS.id].columns
    kinds, lengths = items[TCP_OPTIONS.type.id], items[TCP_OPTIONS.length.id]
    assert kinds.raw.tolist() == [2, 1, 3, 1, 1]
    assert [Validity(one).is_present for one in lengths.validity] == [True, False, True, False, False]
    _, segment, window = TCP_OPTIONS.cases
    assert next(iter(decoded.arrays[segment.id].columns.values())).raw.tolist() == [1460]
    assert next(iter(decoded.arrays[window.id].columns.values())).raw.tolist() == [7]
    (owners,) = bit_owners(compile_layout(layout), np.frombuffer(payload, np.uint8)[None], np.array([len(payload)]))
    whose = [owners[byte * 8] for byte in range(len(payload))]
    assert whose[0] == whose[4] == whose[5] == whose[8] == whose[9] != whose[1] == whose[6]
    said = [("segment", {"most": 1460}), ("no operation", {}), ("window", {"shift": 7}), (1, b""), (1, b""), (0, b"")]
    assert encode_message(layout, {"options": said}).payload == payload[:-1]
    with pytest.raises(EncodeError, match="elements of type 1 hold nothing"):
        encode_message(layout, {"options": [(1, b"x")]})
    both = new_layout("m", ANY, 0, parts=(msgspec.structs.replace(TCP_OPTIONS, alone=RawSet([(0, 1)])),))
    assert any("ends the list and does not" in one.sentence for one in check_layout(both))


# encoding


@given(st.lists(st.integers(0, 65535), max_size=40))
def test_counted_arrays_come_back(cells):
    layout, group = counted()
    payload = encode_message(layout, {"cells": [Fraction(raw, 1000) for raw in cells]}).payload
    assert payload[0] == len(cells)
    decoded = decoded_of(layout, payload)
    assert next(iter(decoded.arrays[group.id].columns.values())).raw.tolist() == cells


@given(st.lists(st.tuples(st.binary(max_size=9), st.integers(0, 255)), max_size=5))
def test_items_of_any_length_come_back(items):
    """Strings with a length inside an array: the k-th items of all frames are one batch."""
    text = Run(id=uuid4(), name="text", field=new_field("text", NONE, FieldKind.BYTES), length=Expression("length"))
    group = Group(
        id=uuid4(), name="items", size=2, fields=(new_field("length", at("B0")), new_field("mark", at("B1"))),
        parts=(text,), repeat=Repeat.COUNT, amount=Expression("count"),
    )  # fmt: skip
    layout = new_layout("m", ANY, 1, [new_field("count", at("B0"))], parts=(group,))
    payload = encode_message(layout, {"items": [{"text": data, "mark": mark} for data, mark in items]}).payload
    decoded = decoded_of(layout, payload, payload)
    array = decoded.arrays[group.id]
    found = [
        (cell(array.columns[text.field.id], row), int(array.columns[group.fields[1].id].raw[row]))
        for row in range(*array.rows_of(1).indices(len(array)))
    ]
    assert found == items


def test_parts_that_name_what_they_cannot_know_are_refused():
    later = new_field("later", at("B0"))
    tail = Group(id=uuid4(), name="tail", size=1, fields=(later,))
    early = Group(id=uuid4(), name="early", size=1, fields=(new_field("x", at("B0")),), repeat=Repeat.COUNT,
                  amount=Expression("later"))  # fmt: skip
    with pytest.raises(PlanError, match="early uses later, which is not known where it stands"):
        compile_layout(new_layout("m", ANY, 0, parts=(early, tail)))
