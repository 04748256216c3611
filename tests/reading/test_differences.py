"""One capture decoded with two sets of layouts, against frames whose values are worked out by hand."""

from __future__ import annotations

from fractions import Fraction

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.layouts.model import Applies, FieldKind, NamedValue, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.progress import Cancelled, Progress
from zesty_abacus.core.reading import differences
from zesty_abacus.core.reading.meaning import Meaning


def capture_of(payloads, address=0x100):
    count, size = len(payloads), len(payloads[0])
    table = FrameTable(
        np.arange(count) * 1000, np.zeros(count, np.uint16), np.full(count, address, np.int64),
        np.zeros(count, np.uint32), np.arange(count) * size, np.full(count, size, np.uint32),
        np.frombuffer(b"".join(payloads), np.uint8),
    )  # fmt: skip
    return Capture.from_table(table, (Lane("thruster"),))


def decoded_differences(capture, before, after, progress=None):
    """Compare two sets of layouts on a capture."""
    return differences.decoded_differences(Meaning.of(capture, before), Meaning.of(capture, after), progress)


SPEED = new_field("speed", at("B1 B0"))
GEAR = msgspec.structs.replace(
    new_field("gear", at("B2")), kind=FieldKind.NAMES, names=(NamedValue(0, "out"), NamedValue(1, "ahead"))
)
LAYOUT = msgspec.structs.replace(new_layout("Thruster", Applies(address=0x100), 3), fields=(SPEED, GEAR))
FRAMES = capture_of([bytes([n, 0, n % 2]) for n in range(10)])


def replaced(**changes):
    """Return the layout with the speed changed."""
    return LAYOUT.with_field(msgspec.structs.replace(SPEED, **changes))


def test_the_same_layouts_decode_alike():
    assert decoded_differences(FRAMES, [LAYOUT], [LAYOUT]) == []


def test_a_rename_is_no_difference_and_a_scale_is_one():
    assert decoded_differences(FRAMES, [LAYOUT], [replaced(name="v")]) == []
    (one,) = decoded_differences(FRAMES, [LAYOUT], [replaced(name="v", ratio=Fraction(2))])
    # zero times two is zero: nine of ten frames
    assert (one.lane, one.address, one.message, one.field) == ("thruster", 0x100, "Thruster", "v")
    assert (one.frames, one.differing, one.first_ns, one.before, one.after) == (10, 9, 1000, "1", "2")


def test_units_names_limits_and_text_count():
    (unit,) = decoded_differences(FRAMES, [LAYOUT], [replaced(unit="rpm")])
    assert unit.differing == 10 and unit.after == "0 rpm"
    gear = msgspec.structs.replace(GEAR, names=(NamedValue(0, "out"), NamedValue(1, "astern")))
    (name,) = decoded_differences(FRAMES, [LAYOUT], [LAYOUT.with_field(gear)])
    assert (name.differing, name.before, name.after) == (5, "ahead", "astern")
    (limit,) = decoded_differences(FRAMES, [LAYOUT], [replaced(high=Fraction(7))])
    assert limit.differing == 2 and limit.first_ns == 8000
    text = replaced(kind=FieldKind.TEXT, places=at("B0"))
    (as_text,) = decoded_differences(capture_of([b"a\0\0", b"b\0\0"]), [text], [replaced(places=at("B0"))])
    assert (as_text.differing, as_text.before, as_text.after) == (2, "a", "97")


def test_a_field_or_layout_of_one_side_only():
    without = msgspec.structs.replace(LAYOUT, fields=(GEAR,))
    (gone,) = decoded_differences(FRAMES, [LAYOUT], [without])
    assert (gone.field, gone.differing, gone.after) == ("speed", 10, "")
    both = decoded_differences(FRAMES, [], [LAYOUT])
    assert [(one.field, one.before, one.differing) for one in both] == [("gear", "", 10), ("speed", "", 10)]


def test_cancelled_in_between():
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        decoded_differences(FRAMES, [LAYOUT], [], progress)


@given(st.lists(st.binary(min_size=3, max_size=3), min_size=1, max_size=30), st.integers(-3, 3))
def test_counts_agree_with_a_plain_loop(payloads, offset):
    """The oracle is a loop over the frames by hand."""
    other = replaced(places=at("B0 B1"), offset=Fraction(offset))
    expected = [
        n for n, data in enumerate(payloads)
        if data[0] + 256 * data[1] != data[1] + 256 * data[0] + offset
    ]  # fmt: skip
    found = decoded_differences(capture_of(payloads), [LAYOUT], [other])
    assert [(one.differing, one.first_ns) for one in found] == (
        [(len(expected), expected[0] * 1000)] if expected else []
    )
