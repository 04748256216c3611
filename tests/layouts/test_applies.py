"""When a layout applies, said in a line; and what of it is there on a page."""

import pytest

from zesty_abacus.core.layouts.checks.counter import Counter
from zesty_abacus.core.layouts.model import Applies, Group, RawSet, Selected, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.variants import present_ids, variants_of


@pytest.mark.parametrize(("settings", "said"), [
    ({"address": 0x1A0}, "0x1A0, on any lane"),
    ({"address": 0x1A0, "lanes": ("bow", "stern")}, "0x1A0, on bow, stern"),
    ({"address": 0x103, "protocol": "i2c", "way": "read"}, "0x103, on any lane, read only"),
    ({"address": 0x1A0, "sizes": RawSet.of(8)}, "0x1A0, on any lane, 8 bytes"),
    ({"address": 0x1A0, "pattern": "A5 1?"}, "0x1A0, on any lane, beginning A5 1?"),
    ({"address": 0x12, "protocol": "i2c", "lanes": ("bilge",), "way": "write", "sizes": RawSet.of(2), "pattern": "01"},
     "0x12, on bilge, write only, 2 bytes, beginning 01"),
])  # fmt: skip
def test_when_a_layout_applies_in_a_line(settings, said):
    assert Applies(**settings).words() == said


def test_a_part_is_there_on_the_pages_that_select_it_and_without_a_selector_always():
    from uuid import uuid4

    page = new_field("page", at("B0"))
    own = new_field("own", at("B1"), selected=Selected(page.id, RawSet.of(1)))
    parts = [
        Group(id=uuid4(), name="first", size=1, selected=Selected(page.id, RawSet.of(1))),
        Group(id=uuid4(), name="second", size=1, selected=Selected(page.id, RawSet.of(2))),
        Group(id=uuid4(), name="always", size=1),
    ]
    layout = new_layout("m", Applies(), 2, [page, own], parts=tuple(parts))
    names = {one.id: one.name for one in (page, own, *parts)}
    there = {one.words: {names[key] for key in present_ids(layout, one)} for one in variants_of(layout)}
    assert there == {"page = 1": {"page", "own", "first", "always"}, "page = 2": {"page", "second", "always"}}


@pytest.mark.parametrize(("width", "wraps", "is_right"), [
    (4, None, True), (4, 16, True), (4, 17, False), (4, 2, True), (4, 1, False), (62, 1 << 62, True),
    (64, None, True), (64, 1 << 62, True), (64, (1 << 62) + 1, False),
])  # fmt: skip
def test_a_counter_runs_through_no_more_values_than_its_field_and_our_arithmetic_hold(width, wraps, is_right):
    from uuid import uuid4

    field = new_field("n", at(f"B{width // 8 - 1}..B0" if width % 8 == 0 else f"B{width // 8}[{width % 8 - 1}..0]"
                              + "".join(f" B{n}" for n in range(width // 8 - 1, -1, -1))))  # fmt: skip
    assert len(field.places) == width
    problems = list(Counter(id=uuid4(), name="n", field=field.id, wraps_at=wraps).problems({"n": field}))
    assert (problems == []) == is_right
    if problems:
        assert problems == [("wraps_at", f"n cannot run through {wraps} values in {width} bits.")]
