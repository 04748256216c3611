import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import layouts
from zesty_abacus.core.codec.matching import Explained, explained_bits, match_kind, match_kinds, owned_bits
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.activity import KindActivity
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.kinds import KindKey
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.layouts.model import Applies, RawSet, Selected, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at


def capture_of(*keys: KindKey) -> Capture:
    """Return a capture with one empty frame of each kind."""
    n = len(keys)
    table = FrameTable(
        np.arange(n), np.array([k.lane for k in keys], np.uint16), np.array([k.address for k in keys], np.int64),
        np.array([k.flags for k in keys], np.uint32), np.zeros(n, np.int64), np.zeros(n, np.uint32),
        np.empty(0, np.uint8),
    )  # fmt: skip
    return Capture.from_table(table, (Lane("thruster"), Lane("battery"), Lane("shore", "modbus")))


def layout_for(address, name="m", **applies):
    return new_layout(name, Applies(address=address, **applies), 8)


def activity_of(moving: set[int], size: int = 8) -> KindActivity:
    flips = np.zeros(size * 8, np.int64)
    flips[list(moving)] = 3
    return KindActivity(10, size, flips, flips)


@pytest.mark.parametrize(
    ("key", "applies", "reads"),
    [
        (KindKey(0, 0x100, 0), {}, True),
        (KindKey(1, 0x100, 0), {}, True),
        (KindKey(0, 0x101, 0), {}, False),
        (KindKey(0, 0x100, F.EXTENDED), {}, False),
        (KindKey(0, 0x100, F.EXTENDED), {"extended": True}, True),
        (KindKey(0, 0x100, 0), {"lanes": ("thruster", "spare")}, True),
        (KindKey(1, 0x100, 0), {"lanes": ("thruster",)}, False),
        (KindKey(2, 0x100, 0), {}, False),
        (KindKey(0, 0x100, F.REMOTE), {}, False),
        (KindKey(0, 0x100, F.ERROR), {}, False),
    ],
)
def test_what_a_layout_reads(key, applies, reads):
    capture = capture_of(key)
    layout = layout_for(0x100, **applies)
    assert (match_kind(capture, capture.kinds.keys[0], [layout]) is layout) == reads


def test_a_layout_for_the_lane_goes_before_one_for_any_lane():
    capture = capture_of(KindKey(0, 0x100, 0), KindKey(1, 0x100, 0))
    general, special = layout_for(0x100, "a"), layout_for(0x100, "z", lanes=("thruster",))
    for order in ([general, special], [special, general]):
        assert match_kinds(capture, order) == [special, general]


def test_a_tie_is_broken_by_name_whatever_the_order():
    capture = capture_of(KindKey(0, 1, 0))
    one, two = layout_for(1, "one"), layout_for(1, "two")
    assert match_kinds(capture, [two, one]) == match_kinds(capture, [one, two]) == [one]


@given(layouts(max_size=8), st.sets(st.integers(0, 63)))
def test_explained_bits_are_those_that_move_and_have_a_field(layout, moving):
    owned = {bit for field in layout.fields for bit in field.places}
    found = explained_bits(activity_of(moving), layout)
    assert found == Explained(len(moving), len(moving & owned))
    assert explained_bits(activity_of(moving), None) == Explained(len(moving), 0)


@given(layouts(max_size=64), st.integers(1, 64))
def test_each_bit_names_its_field(layout, size):
    owners = owned_bits(layout, size)
    for bit in range(size * 8):
        named = [number for number, field in enumerate(layout.fields) if bit in field.places.bits]
        assert owners[bit] == (named[0] if named else -1)


def test_bits_shared_under_selectors_name_the_first_field():
    page = new_field("page", at("B0"))
    first = new_field("a", at("B1"), selected=Selected(page.id, RawSet.of(0)))
    second = new_field("b", at("B1"), selected=Selected(page.id, RawSet.of(1)))
    owners = owned_bits(new_layout("m", Applies(address=1), 2, [page, first, second]), 2)
    assert list(owners) == [0] * 8 + [1] * 8


def test_shares_add_up():
    total = Explained(10, 4) + Explained(0, 0) + Explained(6, 6)
    assert total == Explained(16, 10) and total.share == 0.625
    assert Explained(0, 0).share is None
