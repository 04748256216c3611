"""Parts of known place as fixed fields: decoded, they say what the parts say."""

from __future__ import annotations

import random
from fractions import Fraction
from uuid import uuid4

import msgspec
import numpy as np
import pytest

from zesty_abacus.core.codec.columns import Validity
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.generate.errors import CannotCarryError
from zesty_abacus.core.generate.unrolled import unrolled
from zesty_abacus.core.layouts.model import (
    Applies,
    Expression,
    FieldKind,
    Group,
    Packed,
    RawSet,
    Repeat,
    Run,
    Selected,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import Places
from zesty_abacus.core.layouts.places import parse_places as at

COUNT = new_field("count", at("B0[3..0]"))
STRAIN = new_field("strain", at("B0 B1"), FieldKind.SIGNED, ratio=Fraction(1, 10))
BOLT = new_field("bolt", at("B2"))


def frame_of(parts, **settings):
    return new_layout("Mooring", Applies(address=1), 2, [COUNT], parts=parts, **settings)


def cells(**settings):
    told = {"size": 3, "fields": (STRAIN, BOLT), "repeat": Repeat.COUNT, "amount": Expression("count")} | settings
    return Group(id=uuid4(), name="cells", **told)


def decoded(layout, payload):
    size = -(-len(payload) // 8) * 8
    matrix = np.frombuffer(payload.ljust(size, b"\0"), np.uint8).reshape(1, -1)
    return decode(compile_layout(layout), matrix, np.array([len(payload)], np.uint32))


@pytest.mark.parametrize(("amount", "count"), [("count", 15), ("4", 4)])
def test_items_are_fields_that_say_the_same(amount, count):
    layout = frame_of((cells(amount=Expression(amount)),))
    flat = unrolled(layout)
    assert [field.name for field in flat.fields][:4] == ["count", "strain[0]", "bolt[0]", "strain[1]"]
    assert not flat.parts and len(flat.fields) == 1 + 2 * count
    for seed in range(40):
        payload = random.Random(seed).randbytes(48)
        (array,) = decoded(layout, payload).arrays.values()
        found = decoded(flat, payload)
        values = [found[field.id] for field in flat.fields if field.name.startswith("strain")]
        there = [float(one.value[0]) for one in values if one.validity[0] != Validity.ABSENT]
        (wanted,) = (column for key, column in array.columns.items() if key == STRAIN.id)
        assert there == wanted.value.tolist()
        assert len(there) == (payload[0] & 15 if amount == "count" else 4)


def test_strings_and_parts_stand_behind_one_another():
    text = Run(id=uuid4(), name="name", field=new_field("name", Places(()), FieldKind.TEXT), length=Expression("3"))
    inner = Group(id=uuid4(), name="inner", size=1, fields=(new_field("inside", at("B0")),), align=4)
    outer = Group(id=uuid4(), name="outer", size=2, fields=(new_field("outside", at("B1")),), parts=(inner,))
    layout = frame_of((text, outer))
    flat = {field.name: field.places for field in unrolled(layout).fields}
    assert (flat["name"], flat["outside"], flat["inside"]) == (at("B2 B3 B4"), at("B6"), at("B9"))
    payload = bytes(range(65, 85))
    for name in ("name", "outside", "inside"):
        (before,) = (one for one in decoded(layout, payload).columns.values() if one.field.name == name)
        (after,) = (one for one in decoded(unrolled(layout), payload).columns.values() if one.field.name == name)
        assert said_by(before) == said_by(after), name


@pytest.mark.parametrize(("count", "behind"), [(1, "B5"), (3, "B11"), (4, "B14")])
def test_what_stands_behind_so_many_items_begins_at_their_end(count, behind):
    """Two bytes stand before items of three bytes each."""
    after = Group(id=uuid4(), name="after", size=1, fields=(new_field("x", at("B0")),))
    flat = unrolled(frame_of((cells(amount=Expression(str(count))), after)))
    assert flat.fields[-1].name == "x" and flat.fields[-1].places == at(behind)


@pytest.mark.parametrize(("amount", "fits"), [("256", True), ("257", False)])
def test_up_to_256_items_are_members(amount, fits):
    one = cells(size=1, fields=(new_field("level", at("B0")),), amount=Expression(amount))
    layout = msgspec.structs.replace(frame_of((one,)), applies=Applies(protocol="udp", address=1))
    if fits:
        assert len(unrolled(layout).fields) == 1 + 256
    else:
        with pytest.raises(CannotCarryError, match="cells has up to 257 items, more than 256"):
            unrolled(layout)


def said_by(column):
    return column.content[0].tobytes() if column.raw is None else int(column.raw[0])


def flagged(**settings):
    return Group(id=uuid4(), name="more", size=1, fields=(new_field("x", at("B0")),),
                 selected=Selected(COUNT.id, RawSet.of(2)), **settings)  # fmt: skip


@pytest.mark.parametrize(
    ("parts", "reason"),
    [
        ((flagged(), cells()), "cells has no fixed place"),
        ((cells(), flagged()), "more has no fixed place"),
        ((cells(repeat=Repeat.TO_END, amount=None),), "cells has no count"),
        ((cells(amount=Expression("count + 1")),), "has count + 1 items, which is more than a count"),
        ((cells(amount=Expression("2000")),), "cells has up to 2000 items"),
        ((cells(selected=Selected(COUNT.id, RawSet.of(2))),), "cells is optional and has a count"),
        ((cells(limit=Expression("4")),), "a length, checks or values of its own"),
        ((flagged(start=Expression("count * 2")),), "more has no fixed place"),
        ((Run(id=uuid4(), name="tail", field=new_field("tail", Places(()), FieldKind.TEXT)),), "no fixed length"),
        ((flagged(parts=(flagged(),)),), "more stands under two selectors"),
        (
            (Run(id=uuid4(), name="digits", field=new_field("depth", Places(()), base=16), length=Expression("4")),),
            "digits is a number in digits",
        ),
        ((Packed(id=uuid4(), name="samples", field=new_field("one", Places(())), bits=12),), "array of 12-bit numbers"),
        ((cells(repeat=Repeat.UNTIL, amount=None, end="00"),), "cells has no count"),
    ],
)  # fmt: skip
def test_what_has_no_place_beforehand_is_refused_by_name(parts, reason):
    with pytest.raises(CannotCarryError) as told:
        unrolled(frame_of(parts))
    assert reason in str(told.value)


def test_a_part_that_says_where_it_begins_stands_behind_an_optional_one():
    flat = unrolled(frame_of((flagged(), cells(start=Expression("6"), amount=Expression("1")))))
    by_name = {field.name: field for field in flat.fields}
    assert by_name["x"].selected.values == RawSet.of(2) and by_name["strain[0]"].places == at("B6 B7")


def test_a_text_may_fill_the_longest_frame_and_no_more():
    """A message on CAN has 64 bytes at most, two of which stand before the text."""
    for length, fits in ((62, True), (64, True), (65, False), (0, False)):
        field = new_field("t", Places(()), FieldKind.TEXT)
        run = Run(id=uuid4(), name="t", field=field, length=Expression(str(length)))
        if fits:
            flat = unrolled(frame_of((run,)))
            assert len(flat.fields[-1].places) == 8 * length
        else:
            with pytest.raises(CannotCarryError, match="t has no fixed length"):
                unrolled(frame_of((run,)))
