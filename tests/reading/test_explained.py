"""What counts as explained, against small captures in which every bit can be counted by hand."""

from __future__ import annotations

from fractions import Fraction
from uuid import uuid4

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.reading.test_meaning import frames_of, layout_for, paged
from tests.strategies import layouts
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.activity import capture_activity
from zesty_abacus.core.frames.capture import Capture
from zesty_abacus.core.layouts.model import (
    Applies,
    Carried,
    Computed,
    Counter,
    Coverage,
    Expression,
    Field,
    FieldKind,
    Group,
    NamedValue,
    Reserved,
    Sum,
    TextLine,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.registers import RegisterMap, Space
from zesty_abacus.core.reading.explained import explain
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.reading.ties import Tie


def counted(capture, *layouts, ties=()):
    """Return moving, claimed and proved bits of a capture's first kind."""
    found = explain(Meaning.of(capture, layouts, ties), capture_activity(capture))[0].explained
    return found.moving, round(found.claimed, 3), round(found.proved, 3)


def layout_of(*fields, address=0x100, size=2, **rest):
    return msgspec.structs.replace(new_layout("m", Applies(address=address), size, fields), **rest)


COUNTING = frames_of(*(bytes([n, 255 - n]) for n in range(256)))
"""Both bytes go through all values: 16 bits move."""


def test_a_bit_is_claimed_by_the_field_it_belongs_to():
    assert counted(COUNTING, layout_of(new_field("v", at("B0")))) == (16, 8, 0)
    assert counted(COUNTING) == (16, 0, 0)


@given(layouts(max_size=2), st.lists(st.binary(min_size=2, max_size=2), min_size=2, max_size=20))
def test_claimed_bits_of_plain_fields_are_those_that_move_and_have_one(layout, payloads):
    plain = [f for f in layout.fields if f.selected is None and f.kind not in (FieldKind.BYTES, FieldKind.TEXT)]
    layout = msgspec.structs.replace(layout, applies=Applies(address=0x100), fields=tuple(plain), size=2, checks=())
    capture = frames_of(*payloads)
    words = [int.from_bytes(payload, "little") for payload in payloads]
    moving = {bit for bit in range(16) if len({word >> bit & 1 for word in words}) == 2}
    owned = {bit for field in plain for bit in field.places}
    found = explain(Meaning.of(capture, [layout]), capture_activity(capture))[0].explained
    assert (found.moving, found.claimed) == (len(moving), pytest.approx(len(moving & owned)))


def test_raw_bytes_and_texts_that_nobody_named_say_nothing():
    for kind, name, claims in [
        (FieldKind.BYTES, "all the rest", 0), (FieldKind.TEXT, "text", 0), (FieldKind.TEXT, "text 2", 0),
        (FieldKind.TEXT, "station", 16),
    ]:  # fmt: skip
        assert counted(COUNTING, layout_of(new_field(name, at("B0 B1"), kind))) == (16, claims, 0), name


def test_a_layout_explains_nothing_of_frames_that_it_does_not_fit():
    short = layout_of(new_field("v", at("B0")), size=3)
    assert counted(COUNTING, short) == (16, 0, 0), "frames are shorter than the layout"
    half = frames_of(*(bytes([n % 2, n]) for n in range(256)))
    begins = layout_of(new_field("v", at("B0 B1")), applies=Applies(address=0x100, pattern="01"))
    assert counted(half, begins) == (9, 4.5, 0), "every other frame begins so"


def test_frames_whose_check_disagrees_are_explained_by_nobody():
    sums = [bytes([n, (n + (n % 4 == 0)) % 256]) for n in range(256)]
    value, check = new_field("v", at("B0")), new_field("sum", at("B1"))
    layout = layout_of(value, check, checks=(
        Sum(id=uuid4(), name="s", field=check.id, coverage=Coverage(first=Expression("0"), end=Expression("1"))),
    ))  # fmt: skip
    assert counted(frames_of(*sums), layout) == (16, 12, 12)


@pytest.mark.parametrize(
    ("coverage", "proved"),
    [(Coverage(end=Expression("1")), 16), (Coverage(places=at("B0")), 16), (Coverage(places=at("B2 B0")), 16),
     (Coverage(first=Expression("0"), end=Expression("0")), 8), (Coverage(places=at("B2")), 8)],
)  # fmt: skip
def test_a_check_proves_itself_and_what_it_is_taken_over(coverage, proved):
    """The third byte is always zero, so that whether it goes in or not the sum is that of the first, or nothing."""
    payloads = [bytes([n, n if proved == 16 else 0, 0]) for n in range(256)]
    value, check = new_field("v", at("B0")), new_field("sum", at("B1"))
    layout = layout_of(value, check, size=3, checks=(Sum(id=uuid4(), name="s", field=check.id, coverage=coverage),))
    assert counted(frames_of(*payloads), layout) == ((16, 16, 16) if proved == 16 else (8, 8, 0))


def test_frames_that_broke_on_the_way_are_left_out():
    table = COUNTING.in_order()
    flags = table.flags.copy()
    flags[::2] |= F.BAD_CHECK
    broken = Capture.from_table(with_flags(table, flags), COUNTING.lanes)
    assert counted(broken, layout_of(new_field("v", at("B0")))) == (16, 8, 0)


def with_flags(table, flags):
    """Return a table with other flags."""
    return type(table)(table.time_ns, table.lane, table.address, flags, table.start, table.size, table.payload)


def test_counters_names_and_limits_bear_out_what_they_could_contradict():
    field = new_field("v", at("B0"))
    assert counted(COUNTING, layout_of(field, checks=(Counter(id=uuid4(), name="c", field=field.id),))) == (16, 8, 8)
    named = new_field("v", at("B0"), FieldKind.NAMES, names=(NamedValue(0, "low", 127),))
    assert counted(COUNTING, layout_of(named)) == (16, 8, 4), "half of the values have a name"
    every = new_field("v", at("B0"), FieldKind.NAMES, names=(NamedValue(0, "any", 255),))
    assert counted(COUNTING, layout_of(every)) == (16, 8, 0), "a name for everything proves nothing"
    limited = new_field("v", at("B0"), low=Fraction(0), high=Fraction(63))
    assert counted(COUNTING, layout_of(limited)) == (16, 8, 2)
    wide = new_field("v", at("B0"), low=Fraction(-5), high=Fraction(300))
    assert counted(COUNTING, layout_of(wide)) == (16, 8, 0), "limits that no value can break prove nothing"


def test_a_computed_value_within_its_limits_bears_out_what_it_is_made_of():
    one, two = new_field("a", at("B0")), new_field("b", at("B1"))
    total = Computed(id=uuid4(), name="sum", expression=Expression("a + b"), low=Fraction(250), high=Fraction(260))
    assert counted(COUNTING, layout_of(one, two, computed=(total,))) == (16, 16, 16)


def test_reserved_bits_are_claimed_while_they_are_still():
    reserved = Reserved(id=uuid4(), name="r", places=at("B1[7]"), value=0)
    assert counted(COUNTING, layout_of(new_field("v", at("B0")), checks=(reserved,))) == (16, 8.5, 0)


def test_pages_count_where_they_are():
    capture = frames_of(*(bytes([n % 2, n if n % 2 else 0]) for n in range(256)))
    # on page 0 the second byte is still: nothing is asked of it there
    assert counted(capture, paged("m", 1)) == (9, 9, 0)
    moving = frames_of(*(bytes([n % 2, n // 2]) for n in range(256)))
    assert counted(moving, paged("m", 1)) == (8, 4.5, 0), "the page itself, and half of what moves behind it"


def test_what_moves_counts_like_what_stands():
    line = TextLine(id=uuid4(), name="line", begins="$", ends="*", columns=(
        Field(id=uuid4(), name="speed"), Field(id=uuid4(), name="", kind=FieldKind.TEXT),
    ))  # fmt: skip
    capture = frames_of(*(f"${n},{n % 7}*".encode() for n in range(100, 200)), protocol="serial", address=0)
    layout = new_layout("m", Applies(protocol="serial"), 0, parts=(line,))
    moving, claimed, proved = counted(capture, layout)
    # digits 00..99 behind a still 1: four bits each; the second column has no name, its three bits are nobody's
    assert (moving, claimed, proved) == (11, 8, 0)


def test_a_carried_layout_counts():
    inner = new_layout("inner", Applies(address=9), 1, [new_field("v", at("B0"))])
    outer = layout_of(size=0, parts=(
        Group(id=uuid4(), name="g", size=1, fields=(new_field("w", at("B0")),)),
        Carried(id=uuid4(), name="c", layout=inner.id),
    ))  # fmt: skip
    assert counted(COUNTING, outer, inner)[:2] == (16, 16)
    assert counted(COUNTING, outer)[:2] == (16, 0), "what it carries is not known"


# ties


def tie_to(layout, address=0x100):
    return [Tie(layout=layout.id, lane="thruster", address=address, flags=0)]


def test_a_wrong_layout_tied_by_hand_raises_nothing():
    plain = layout_of(new_field("v", at("B0 B1")), address=0x300)
    assert counted(COUNTING, plain, ties=tie_to(plain)) == (16, 0, 0)
    checked = new_field("sum", at("B1"))
    wrong = layout_of(new_field("v", at("B0")), checked, address=0x300, checks=(
        Sum(id=uuid4(), name="s", field=checked.id, coverage=Coverage(end=Expression("1"))),
    ))  # fmt: skip
    assert counted(COUNTING, wrong, ties=tie_to(wrong)) == (16, 0, 0)
    everything = new_layout("raw", Applies(protocol="tied by hand"), 0, [new_field("v", at("B0 B1"), FieldKind.BYTES)])
    assert counted(COUNTING, everything, ties=tie_to(everything)) == (16, 0, 0)


def test_a_wrong_layout_tied_by_hand_lowers_nothing():
    right = layout_of(new_field("v", at("B0 B1")))
    wrong = layout_of(new_field("v", at("B0")), address=0x300)
    assert counted(COUNTING, right) == (16, 16, 0)
    assert counted(COUNTING, right, wrong, ties=tie_to(wrong)) == (16, 16, 0)


def test_a_tied_layout_that_something_bears_out_counts():
    field = new_field("n", at("B0"))
    right = layout_of(field, address=0x300, checks=(Counter(id=uuid4(), name="c", field=field.id),))
    assert counted(COUNTING, right, ties=tie_to(right)) == (16, 8, 8)


# register maps, and several layouts of one kind


def test_a_window_of_a_map_counts_like_a_layout():
    meter = new_layout(
        "meter", Applies(protocol="modbus"), 0, [new_field("a", at("R100")), new_field("b", at("R0"))],
        registers=RegisterMap(device=1, space=Space.HOLDING),
    )  # fmt: skip
    capture = frames_of(
        *(n.to_bytes(2, "big") + b"\0\0" for n in range(256)),
        address=1 << 24 | 3 << 16 | 100, protocol="modbus", flags=F.ANSWER,
    )  # fmt: skip
    assert counted(capture, meter) == (8, 8, 0)


def test_each_frame_is_explained_by_the_layout_that_reads_it():
    capture = frames_of(*(bytes([n % 2, n // 2]) for n in range(256)))
    one = layout_for(0x100, "one", pattern="00").with_field(new_field("v", at("B1")))
    two = layout_for(0x100, "two", pattern="01").with_field(new_field("w", at("B1[3..0]")))
    one, two = (msgspec.structs.replace(layout, size=2) for layout in (one, two))
    # of the seven bits of the second byte all count in one half of the frames, four in the other; the first byte
    # belongs to nobody
    assert counted(capture, one, two) == (8, 5.5, 0)


def test_what_was_counted_is_taken_where_nothing_changed():
    meaning = Meaning.of(COUNTING, [layout_of(new_field("v", at("B0")))])
    activities = capture_activity(COUNTING)
    before = explain(meaning, activities)
    again = explain(meaning.changed({uuid4(): None}), activities, before)
    assert again[0] is before[0]


def test_sampling_sees_a_layout_that_fits_only_some_stretches():
    payloads = np.repeat(np.arange(2, dtype=np.uint8), 20_000)
    capture = frames_of(*(bytes([first, n % 251]) for n, first in enumerate(payloads)))
    layout = layout_of(new_field("v", at("B1")), applies=Applies(address=0x100, pattern="00"))
    moving, claimed, _ = counted(capture, layout)
    assert moving == 9 and claimed == pytest.approx(4, abs=0.2)


def test_a_page_that_nobody_describes_stays_unexplained():
    capture = frames_of(*(bytes([n % 3, n]) for n in range(255)))
    moving, claimed, _ = counted(capture, paged("one", 0), paged("two", 1))
    assert (moving, claimed) == (10, pytest.approx(10 * 2 / 3, abs=0.01))
