from uuid import UUID, uuid4

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import layouts
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.kind_key import KindKey
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.layouts.model import Applies, Carried, RawSet, Selected, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.reading.all_frames import layouts_in_use
from zesty_abacus.core.reading.explained import Explained
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.reading.owners import owned_bits
from zesty_abacus.core.reading.ties import Tie


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


def match_kinds(capture, layouts):
    """Return the first layout that reads each kind."""
    meaning = Meaning.of(capture, layouts)
    return [meaning.layout_of(kind) for kind in range(len(meaning.kinds))]


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
    assert match_kinds(capture, [layout]) == [layout if reads else None]


def test_a_layout_for_the_lane_goes_before_one_for_any_lane():
    capture = capture_of(KindKey(0, 0x100, 0), KindKey(1, 0x100, 0))
    general, special = layout_for(0x100, "a"), layout_for(0x100, "z", lanes=("thruster",))
    for order in ([general, special], [special, general]):
        assert match_kinds(capture, order) == [special, general]


def test_a_tie_is_broken_by_name_whatever_the_order():
    capture = capture_of(KindKey(0, 1, 0))
    one, two = layout_for(1, "one"), layout_for(1, "two")
    assert match_kinds(capture, [two, one]) == match_kinds(capture, [one, two]) == [one]


def test_a_meaning_knows_what_it_was_made_of():
    capture, some = capture_of(KindKey(0, 0x1A0, 0)), [layout_for(0x1A0, "a"), layout_for(0x1A1, "b")]
    tie = Tie(layout=some[0].id, lane="thruster", address=0x1A0)
    meaning = Meaning.of(capture, some, [tie], "2.0")
    assert meaning.is_of(some, (tie,), "2.0") and meaning.is_of(some[::-1], [tie], "2.0")
    # one that says the same is another one: what was worked out of it is not known to hold
    same = msgspec.structs.replace(some[0])
    for others in ([same, some[1]], some[:1], [*some, layout_for(0x1A2)], [some[0], layout_for(0x1A1, "b")]):
        assert not meaning.is_of(others, [tie], "2.0")
    assert not meaning.is_of(some, [], "2.0") and not meaning.is_of(some, [tie], "")


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
    total = Explained(10, 4, 1) + Explained(0, 0) + Explained(6, 6, 3)
    assert total == Explained(16, 10, 4) and total.share == 0.625 and total.proved_share == 0.25
    assert Explained(0, 0).share is None


# several layouts for one kind


def frames_of(*payloads, address=0x100, protocol="can", flags=0):
    """Return a capture of one kind with these payloads, a microsecond apart."""
    n = len(payloads)
    sizes = np.array([len(one) for one in payloads], np.uint32)
    table = FrameTable(
        np.arange(n) * 1000, np.zeros(n, np.uint16), np.full(n, address, np.int64), np.full(n, flags, np.uint32),
        np.cumsum(sizes, dtype=np.int64) - sizes, sizes, np.frombuffer(b"".join(payloads), np.uint8),
    )  # fmt: skip
    return Capture.from_table(table, (Lane("thruster", protocol),))


def names_of(meaning, kind=0):
    """Return the name of the layout that reads each frame, nothing where none does."""
    frames = meaning.capture.kind_frames(kind)
    readers = meaning.kinds[kind].readers
    return [readers[number].layout.name if number >= 0 else "" for number in meaning.numbers(kind, frames)]


def test_two_messages_of_one_address_are_told_apart_by_their_first_byte():
    capture = frames_of(b"\x01a", b"\x02b", b"\x01c", b"\x03d")
    layouts = [layout_for(0x100, "one", pattern="01"), layout_for(0x100, "two", pattern="02")]
    meaning = Meaning.of(capture, layouts)
    assert names_of(meaning) == ["one", "two", "one", ""]
    assert [meaning.reader_of(0, row) and meaning.reader_of(0, row).layout.name for row in range(4)] == [
        "one", "two", "one", None,
    ]  # fmt: skip
    assert meaning.kinds[0].words() == (
        "one reads frames that begin 01 since it names this address; two reads frames that begin 02 since it names "
        "this address."
    )
    assert layouts_in_use(meaning) == {layout.id for layout in layouts}
    rest = layout_for(0x100, "any")
    assert names_of(Meaning.of(capture, [rest, *layouts])) == ["one", "two", "one", "any"]


def test_who_stands_back_is_told():
    layouts = [layout_for(0x100, name) for name in ("one", "other", "third")]
    meaning = Meaning.of(frames_of(b"\x01a"), layouts)
    (reader,) = meaning.kinds[0].readers
    stand_back = ", ".join(layout.name for layout in meaning.kinds[0].others)
    assert {reader.layout.name, *stand_back.split(", ")} == {"one", "other", "third"}
    assert meaning.kinds[0].words() == (
        f"{reader.layout.name} reads this message since it {reader.reason}; {stand_back} would read it, too."
    )


def test_two_messages_of_one_address_are_told_apart_by_size():
    capture = frames_of(b"a", b"bb", b"ccc")
    layouts = [layout_for(0x100, "short", sizes=RawSet.of(1)), layout_for(0x100, "long", sizes=RawSet([(2, 2)]))]
    assert names_of(Meaning.of(capture, layouts)) == ["short", "long", ""]


def paged(name, *pages):
    """Return a layout of which every field stands under a page."""
    page = new_field("page", at("B0"))
    value = new_field(f"value {name}", at("B1"), selected=Selected(page.id, RawSet.of(*pages)))
    return new_layout(name, Applies(address=0x100), 2, [page, value])


def test_two_messages_of_one_address_are_told_apart_by_their_selector():
    capture = frames_of(b"\0a", b"\1b", b"\2c", b"\3d")
    one, two = paged("one", 0, 2), paged("two", 1)
    assert names_of(Meaning.of(capture, [one, two])) == ["one", "two", "one", ""]
    # one alone reads every frame, and a second that wants the same pages stands back
    assert names_of(Meaning.of(capture, [one])) == ["one"] * 4
    meaning = Meaning.of(capture, [one, paged("other", 2)])
    assert names_of(meaning) == ["one"] * 4 and [x.name for x in meaning.kinds[0].others] == ["other"]


def test_a_layout_with_a_pattern_alone_reads_no_other_frames():
    meaning = Meaning.of(frames_of(b"\1", b"\2"), [layout_for(0x100, "one", pattern="01")])
    assert names_of(meaning) == ["one", ""] and not any(reader.choice.takes_all for reader in meaning.kinds[0].readers)
    assert layouts_in_use(Meaning.of(frames_of(b"\2"), [layout_for(0x100, "one", pattern="01")])) == set()


# changes

KEYS = [
    KindKey(lane, address, flags) for lane in (0, 1, 2) for address in (1, 2, 0x100, 0x101) for flags in (0, F.EXTENDED)
]
applying = st.builds(
    Applies,
    address=st.sampled_from([None, 1, 2, 0x100, 0x101]),
    protocol=st.sampled_from(["can", "modbus"]),
    extended=st.booleans(),
    lanes=st.sampled_from([(), ("thruster",), ("battery", "shore")]),
    pattern=st.sampled_from(["", "01"]),
)
IDS = [UUID(int=number) for number in range(5)]
stepping = st.lists(
    st.tuples(st.sampled_from(IDS), st.none() | applying, st.sampled_from(["a", "b"])), min_size=1, max_size=12
)
tying = st.lists(
    st.builds(
        Tie,
        layout=st.sampled_from(IDS),
        lane=st.sampled_from(["thruster", "shore"]),
        address=st.sampled_from([None, 1, 0x100]),
        flags=st.just(0),
    ),
    max_size=3,
)


def told(meaning):
    """Return everything a meaning says, to compare two."""
    return [
        (one.words(), [reader.layout for reader in one.readers], [other.id for other in one.others])
        for one in meaning.kinds
    ]


@given(stepping, tying)
def test_changes_one_by_one_mean_what_all_at_once_mean(steps, ties):
    capture = capture_of(*KEYS)
    known, meaning = {}, Meaning.of(capture, [])
    for number, (key, applies, name) in enumerate(steps):
        layout = None if applies is None else new_layout(name, applies, 1)
        layout = None if layout is None else msgspec.structs.replace(layout, id=key)
        known.pop(key, None)
        if layout is not None:
            known[key] = layout
        meaning = meaning.changed({key: layout})
        if number == len(steps) // 2:
            meaning = meaning.with_ties(ties)
        assert told(meaning) == told(Meaning.of(capture, known.values(), meaning.ties))


def test_kinds_that_a_change_does_not_touch_keep_their_meaning():
    capture = capture_of(KindKey(0, 1, 0), KindKey(0, 2, 0))
    one, two = layout_for(1, "one"), layout_for(2, "two")
    before = Meaning.of(capture, [one, two])
    plan = before.plan(before.kinds[1].readers[0])
    after = before.changed({one.id: msgspec.structs.replace(one, name="uno")})
    assert after.kinds[0] is not before.kinds[0] and after.kinds[1] is before.kinds[1]
    assert after.plan(after.kinds[1].readers[0]) is plan


def test_what_carries_a_changed_layout_is_read_anew():
    inner = new_layout("inner", Applies(address=9), 1, [new_field("v", at("B0"))])
    outer = msgspec.structs.replace(
        layout_for(1, "outer"), size=0, parts=(Carried(id=uuid4(), name="c", layout=inner.id),)
    )
    before = Meaning.of(frames_of(b"\5", address=1), [inner, outer])
    assert before.trouble(before.kinds[0].readers[0]) == ""
    after = before.changed({inner.id: None})
    assert "carries a layout that is not in the library" in after.trouble(after.kinds[0].readers[0])
    assert before.trouble(before.kinds[0].readers[0]) == ""
