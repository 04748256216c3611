"""Checks and computed values of parts: of a payload that is carried, of the items of an array."""

import binascii
import struct
from uuid import uuid4

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.codec.columns import CheckState, Validity
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.encode import EncodeError
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.codec.plan import PlanError, compile_layout
from zesty_abacus.core.layouts.json_form import layout_from_json, layout_to_json
from zesty_abacus.core.layouts.model import (
    Applies,
    Carried,
    Computed,
    Counter,
    Coverage,
    Crc,
    Expression,
    FieldKind,
    Group,
    Matched,
    Pair,
    RawSet,
    Repeat,
    Rule,
    Selected,
    Sum,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.validate import check_layout

from .frames import matrix_of

SERIAL = Applies(protocol="serial")
GOOD, FAILED = Validity.GOOD, Validity.CHECK_FAILED


def crc16(data: bytes) -> int:
    """CRC-16 of polynomial 0x1021 that starts with 0, by the standard library."""
    return binascii.crc_hqx(data, 0)


def crc_over(field, end):
    return Crc(
        id=uuid4(), name="crc", field=field.id, width=16, polynomial=0x1021, coverage=Coverage(end=Expression(end))
    )


# a payload that is carried

VOLTAGE, CURRENT = new_field("voltage", at("B0")), new_field("current", at("B1"))
LENGTH, CHECK = new_field("length", at("B2")), new_field("check", at("B3 B4"))
INNER = new_layout(
    "meter", SERIAL, 5, [VOLTAGE, CURRENT, LENGTH, CHECK],
    checks=(
        Rule(id=uuid4(), name="length", expression=Expression("length == size - 2")),
        crc_over(CHECK, "size - 2"),
        Counter(id=uuid4(), name="counts", field=CURRENT.id),
        Pair(id=uuid4(), name="answered", answer="other", match=(Matched(VOLTAGE.id, "voltage"),)),
    ),
    computed=(Computed(id=uuid4(), name="power", expression=Expression("voltage * current")),),
)  # fmt: skip
OUTER = new_layout(
    "frame", SERIAL, 2, [new_field("check", at("B0")), new_field("length", at("B1"))],
    parts=(Carried(id=uuid4(), name="meter", layout=INNER.id, length=Expression("length")),),
    checks=(Rule(id=uuid4(), name="own", expression=Expression("length == size - 2")),),
)  # fmt: skip


def meter(voltage, current, *, wrong=0, length=3):
    body = bytes((voltage, current, length))
    return body + struct.pack(">H", crc16(body) ^ wrong)


def read(layout, others, *payloads):
    return decode(compile_layout(layout, others), *matrix_of(payloads))


def validity_of(decoded):
    return {column.field.name: column.validity.tolist() for column in decoded.columns.values()}


def test_a_carried_layout_keeps_its_checks_and_computed_values():
    payloads = [
        b"\x07\x05" + meter(24, 10),
        b"\x07\x05" + meter(24, 11, wrong=1),
        b"\x07\x05" + meter(24, 12, length=4),
    ]
    decoded = read(OUTER, [INNER], *payloads)
    assert decoded.named("power").value.tolist() == [240, 264, 288]
    found = {column.check.name: column.state.tolist() for column in decoded.checks.values()}
    agrees, disagrees = CheckState.AGREES, CheckState.DISAGREES
    assert found == {
        "own": [agrees] * 3, "length": [agrees, agrees, disagrees], "crc": [agrees, disagrees, agrees],
        "counts": [agrees] * 3,
    }  # fmt: skip
    # what is around it has agreed by itself
    outer = {field.id for field in OUTER.fields}
    assert all(decoded[one].validity.tolist() == [GOOD] * 3 for one in outer)
    inner = [column for key, column in decoded.columns.items() if key not in outer and column.field.name != "power"]
    assert len(inner) == 4 and all(column.validity.tolist() == [GOOD, FAILED, FAILED] for column in inner)


def test_names_of_what_is_carried_and_of_what_is_around_do_not_meet():
    """Both have a length and a check: each rule means its own."""
    wrong = read(OUTER, [INNER], b"\x07\x05" + meter(1, 2, length=5))
    states = {column.check.name: CheckState(column.state[0]).name for column in wrong.checks.values()}
    assert states["own"] == "AGREES" and states["length"] == "DISAGREES"
    around = msgspec.structs.replace(
        INNER, computed=(Computed(id=uuid4(), name="odd", expression=Expression("size + address")),)
    )
    decoded = decode(compile_layout(OUTER, [around]), *matrix_of([b"\x07\x05" + meter(1, 2)]), address=100)
    assert decoded.named("odd").value.tolist() == [105], "its own size, the frame's address"


def test_a_carried_payload_cannot_name_what_is_around_it():
    prying = Computed(id=uuid4(), name="x", expression=Expression("outside"))
    nosy = msgspec.structs.replace(INNER, computed=(prying,))
    part = Carried(id=uuid4(), name="meter", layout=nosy.id)
    named = new_layout("frame", SERIAL, 2, [new_field("outside", at("B1"))], parts=(part,))
    assert check_layout(nosy)
    with pytest.raises(PlanError, match="outside"):
        compile_layout(named, [nosy])


@given(st.integers(0, 255), st.integers(0, 255))
def test_a_carried_payload_is_written_with_its_checks(voltage, current):
    plan = compile_layout(OUTER, [INNER])
    for values in ({"voltage": voltage, "current": current}, {"meter": {"voltage": voltage, "current": current}}):
        encoded = encode_message(plan.layout, {"check": 7, **values})
        assert encoded.payload == b"\x07\x05" + meter(voltage, current)


def test_values_under_the_name_of_what_is_carried_are_its_own():
    plan = compile_layout(OUTER, [INNER])
    encoded = encode_message(plan.layout, {"check": 7, "meter": {"voltage": 1, "current": 2, "check": 0x1234}})
    assert encoded.payload[0] == 7 and encoded.payload[-2:] == b"\x12\x34"
    with pytest.raises(EncodeError, match="no field 'speed'"):
        encode_message(plan.layout, {"meter": {"speed": 1}})


def test_an_optional_payload_is_checked_where_it_is_there():
    kind = new_field("kind", at("B0"))
    part = Carried(id=uuid4(), name="meter", layout=INNER.id, selected=Selected(kind.id, RawSet.of(1)))
    outer = new_layout("frame", SERIAL, 1, [kind], parts=(part,))
    decoded = read(outer, [INNER], b"\x01" + meter(1, 2), b"\x02" + bytes(5), b"\x01" + meter(1, 2, wrong=3))
    states = {column.check.name: column.state.tolist() for column in decoded.checks.values()}
    assert states["crc"] == [CheckState.AGREES, CheckState.NOT_THERE, CheckState.DISAGREES]
    assert decoded.named("voltage").validity.tolist() == [GOOD, Validity.ABSENT, FAILED]


# items of an array

SCALE = new_field("scale", at("B0"), FieldKind.SIGNED)
RAW, SUM = new_field("raw", at("B0 B1")), new_field("sum", at("B2"))
RECORDS = Group(
    id=uuid4(), name="records", size=3, repeat=Repeat.TO_END, fields=(RAW, SUM),
    checks=(Sum(id=uuid4(), name="record sum", field=SUM.id, coverage=Coverage(end=Expression("size - 1"))),),
    computed=(Computed(id=uuid4(), name="value", expression=Expression("raw * pow(10, scale)")),),
)  # fmt: skip
LIST = new_layout("list", SERIAL, 1, [SCALE], parts=(RECORDS,))


def record(raw, wrong=0):
    high, low = divmod(raw, 256)
    return bytes((high, low, (high + low + wrong) & 255))


def test_every_item_has_a_check_and_a_value_of_its_own():
    assert check_layout(LIST) == []
    decoded = read(LIST, [], b"\x02" + record(300) + record(5, wrong=1) + record(7), b"\xff" + record(1), b"\x00")
    array = decoded.arrays[RECORDS.id]
    named = {column.field.name: column for column in array.columns.values()}
    assert named["value"].value.tolist() == pytest.approx([30000, 500, 700, 0.1])
    assert named["raw"].validity.tolist() == named["value"].validity.tolist() == [GOOD, FAILED, GOOD, GOOD]
    (column,) = decoded.checks.values()
    assert column.state.tolist() == [CheckState.DISAGREES, CheckState.AGREES, CheckState.NOT_THERE]


def test_items_that_hold_arrays_take_them_along_when_they_disagree():
    size, total, cell = new_field("size of it", at("B0")), new_field("total", at("B1")), new_field("cell", at("B0"))
    cells = Group(
        id=uuid4(), name="cells", size=1, repeat=Repeat.COUNT, amount=Expression("`size of it`"), fields=(cell,)
    )
    blocks = Group(
        id=uuid4(), name="blocks", size=2, repeat=Repeat.TO_END, fields=(size, total), parts=(cells,),
        checks=(Sum(id=uuid4(), name="sum", field=total.id, coverage=Coverage(first=Expression("2"))),),
    )  # fmt: skip
    layout = new_layout("blocks", SERIAL, 0, [], parts=(blocks,))
    assert check_layout(layout) == []
    good, bad = bytes((2, 3, 1, 2)), bytes((3, 0, 4, 5, 6))
    decoded = read(layout, [], good + bad + good, bad + good, good)
    inner, outer = decoded.arrays[cells.id], decoded.arrays[blocks.id]
    assert outer.columns[total.id].validity.tolist() == [GOOD, FAILED, GOOD, FAILED, GOOD, GOOD]
    states = zip(inner.frame, inner.index, inner.columns[cell.id].validity, strict=True)
    spoilt = {(int(frame), int(index[0])) for frame, index, state in states if state == FAILED}
    assert spoilt == {(0, 1), (1, 0)} and len(inner) == 14
    assert np.count_nonzero(inner.columns[cell.id].validity == FAILED) == 6


@given(st.lists(st.integers(0, 65535), max_size=6))
def test_items_are_written_with_their_checks(raws):
    encoded = encode_message(LIST, {"scale": 1, "records": [{"raw": raw} for raw in raws]})
    assert encoded.payload == b"\x01" + b"".join(record(raw) for raw in raws)


def test_a_part_that_is_there_once_is_checked_over_its_own_bytes():
    tail = new_field("tail", at("B2"))
    once = Group(
        id=uuid4(), name="body", size=3, fields=(new_field("a", at("B0")), new_field("b", at("B1")), tail),
        checks=(Sum(id=uuid4(), name="sum", field=tail.id, coverage=Coverage(end=Expression("size - 1"))),),
    )  # fmt: skip
    layout = new_layout("once", SERIAL, 2, [new_field("head", at("B0 B1"))], parts=(once,))
    decoded = read(layout, [], bytes((9, 9, 1, 2, 3)), bytes((9, 9, 1, 2, 4)))
    assert decoded[tail.id].validity.tolist() == [GOOD, FAILED]
    assert decoded.named("head").validity.tolist() == [GOOD, GOOD]
    assert encode_message(layout, {"head": 1, "a": 200, "b": 100}).payload == bytes((0, 1, 200, 100, 44))


def test_what_compares_frames_cannot_stand_in_an_array():
    counting = msgspec.structs.replace(RECORDS, checks=(Counter(id=uuid4(), name="counts", field=RAW.id),))
    (problem,) = check_layout(msgspec.structs.replace(LIST, parts=(counting,)))
    assert problem.sentence == "counts compares frames; it cannot stand in records."
    once = msgspec.structs.replace(counting, repeat=Repeat.ONCE)
    assert check_layout(msgspec.structs.replace(LIST, parts=(once,))) == []


def test_what_is_wrong_inside_a_part_is_told_there():
    wrong = msgspec.structs.replace(
        RECORDS, computed=(Computed(id=uuid4(), name="value", expression=Expression("speed * 2")),),
        checks=(Rule(id=uuid4(), name="rule", expression=Expression("raw > limit")),),
    )  # fmt: skip
    problems = check_layout(msgspec.structs.replace(LIST, parts=(wrong,)))
    assert {(one.field, one.attribute) for one in problems} == {
        (wrong.checks[0].id, "expression"), (wrong.computed[0].id, "expression"),
    }  # fmt: skip


def test_checks_and_values_of_parts_go_through_json():
    assert layout_from_json(layout_to_json(LIST)) == LIST
    assert [check.name for check in LIST.all_checks()] == ["record sum"]
    assert [value.name for value in LIST.all_computed()] == ["value"]
