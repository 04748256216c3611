"""A layout tried on frames: counts of what each field, check and array gives."""

from fractions import Fraction
from uuid import uuid4

import numpy as np

from tests.problems.made import MS, capture_of, stream
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.layouts.checks.reserved import Reserved
from zesty_abacus.core.layouts.model import (
    Applies,
    Expression,
    FieldKind,
    Group,
    NamedValue,
    RawSet,
    Repeat,
    Selected,
    new_field,
    new_layout,
)  # fmt: skip
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.progress import Progress
from zesty_abacus.core.reading.trying import try_layout


def tried(payloads, fields, **settings):
    settings = {"applies": Applies(address=0x100), "size": 1, **settings}
    applies, size = settings.pop("applies"), settings.pop("size")
    layout = new_layout("tried", applies, size, fields, **settings)
    capture = capture_of(stream(np.arange(len(payloads)) * 10 * MS, payloads))
    return try_layout(capture, compile_layout(layout), capture.kind_frames(0), Progress())


def test_a_field_says_its_range_and_where_it_is_outside_silent_or_not_there():
    page = new_field("page", at("B0"))
    level = new_field("level", at("B1"), low=Fraction(10), high=Fraction(50), unavailable=RawSet.of(255),
                      selected=Selected(page.id, RawSet.of(1)))  # fmt: skip
    found = tried([b"\1\x14", b"\1\x28", b"\1\xff", b"\1\x63", b"\2\x14", b"\1"], [page, level], size=2)
    one = found.fields[1]
    assert (one.field.name, one.frames, one.present, one.outside, one.silent, one.unnamed) == ("level", 6, 4, 1, 1, 0)
    assert (one.low, one.high) == (20.0, 99.0), "what is outside is drawn, what is silent is not"
    assert (found.fields[0].present, found.cut, found.others) == (6, 0, 0)


def test_values_and_bits_without_a_name_are_counted():
    state = new_field("state", at("B0[1..0]"), FieldKind.NAMES, names=(NamedValue(0, "off"), NamedValue(1, "on")))
    lamps = new_field("lamps", at("B0[7..4]"), FieldKind.BITS, names=(NamedValue(0, "red"), NamedValue(3, "green")))
    found = tried([b"\x00", b"\x01", b"\x02", b"\x93", b"\x20"], [state, lamps])
    assert [one.unnamed for one in found.fields] == [2, 1]


def test_a_check_says_how_often_and_where_it_first_disagrees():
    zero = Reserved(id=uuid4(), name="reserved", places=at("B0[7]"), value=0)
    found = tried([b"\1", b"\2", b"\x81", b"\3", b"\xff"], [new_field("a", at("B0[6..0]"))], checks=(zero,))
    (check,) = found.checks
    assert (check.agrees, check.disagrees, check.first_wrong_ns) == (3, 2, 20 * MS)
    good = tried([b"\1"], [new_field("a", at("B0[6..0]"))], checks=(zero,)).checks[0]
    assert (good.agrees, good.disagrees, good.first_wrong_ns) == (1, 0, None)


def test_an_array_says_in_how_many_frames_and_how_many_items_there_are_and_cut_ones_are_counted():
    count = new_field("count", at("B0"))
    points = Group(id=uuid4(), name="points", size=1, fields=(new_field("height", at("B0"), unit="m"),),
                   repeat=Repeat.COUNT, amount=Expression("count"))  # fmt: skip
    found = tried([b"\2\4\6", b"\0", b"\3\1\2\3", b"\2\1"], [count], parts=(points,))
    (array,) = found.arrays
    assert (array.name, array.frames, array.fewest, array.most) == ("points", 3, 1, 3) and found.cut == 1
    assert array.words == "height 1 … 6 m"
    (none,) = tried([b"\0", b"\0"], [count], parts=(points,)).arrays
    assert (none.frames, none.fewest, none.most, none.words) == (0, 0, 0, "")


def test_frames_of_another_shape_are_no_frames_of_the_layout():
    found = tried([b"\1\4", b"\2\5", b"\1\6"], [new_field("a", at("B1"))], size=2,
                  applies=Applies(address=0x100, pattern="01 ??"))  # fmt: skip
    assert (found.others, found.fields[0].present, found.fields[0].high) == (1, 2, 6.0)


def test_a_text_shows_itself_and_whether_there_are_others():
    name, code = new_field("name", at("B0..B2"), FieldKind.TEXT), new_field("code", at("B3 B4"), FieldKind.BYTES)
    fields = [name, code, new_field("n", at("B5"))]
    found = tried([b"YZU\x01\x02\0", b"YZU\x01\x03\0", b"YZU"], fields, size=6)
    assert [one.text for one in found.fields] == ["YZU", "01 02 …", ""]
    assert [one.text for one in tried([b""], [name], size=3).fields] == [""]
