"""What a history says of what changed beside fields: the head, a register map, parts, checks, computed values."""

from uuid import uuid4

import msgspec
import pytest

from tests.live.maps import byte_map
from zesty_abacus.core.layouts.changes import describe_change, head_changes, without_content
from zesty_abacus.core.layouts.checks.counter import Counter
from zesty_abacus.core.layouts.checks.coverage import Coverage
from zesty_abacus.core.layouts.checks.crc import Crc
from zesty_abacus.core.layouts.item_changes import ItemChanges
from zesty_abacus.core.layouts.model import Applies, Axis, Computed, Expression, FieldKind, new_field, new_layout
from zesty_abacus.core.layouts.parts.group import Group, Repeat
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.registers import PastEnd

WAS = ", was 27 byte registers of device 90; papers count from 0"


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"device": 91}, "27 byte registers of device 91; papers count from 0"),
        ({"device": None, "count": 0}, "byte registers of any device; papers count from 0"),
        (
            {"past_end": PastEnd.WRAP},
            "27 byte registers of device 90; papers count from 0; past the end it goes on with the first",
        ),
        (
            {"past_end": PastEnd.IGNORE, "advances": False},
            "27 byte registers of device 90; papers count from 0; past the end it ignores it; "
            "an access stays on its register",
        ),
    ],
)
def test_a_map_says_what_it_is_now_and_was(changes, words):
    before = byte_map()
    assert before.registers is not None
    after = msgspec.structs.replace(before, registers=msgspec.structs.replace(before.registers, **changes))
    assert describe_change(before, after) == f"is a map of {words}{WAS}"


def test_a_map_begins_and_ends():
    map_of = byte_map()
    plain = msgspec.structs.replace(map_of, registers=None)
    assert describe_change(plain, map_of) == "is a map of 27 byte registers of device 90; papers count from 0"
    assert describe_change(map_of, plain) == "is no register map any more"


COUNT, CHECK, HEIGHT = new_field("count", at("B0")), new_field("check", at("B1")), new_field("height", at("B0"))
CRC = Crc(id=uuid4(), name="sum", field=CHECK.id, width=8, polynomial=0x2F)
COUNTER = Counter(id=uuid4(), name="goes up", field=COUNT.id)
LIST = Group(id=uuid4(), name="points", size=1, fields=(HEIGHT,), repeat=Repeat.COUNT,
             amount=Expression("2"))  # fmt: skip
TWICE = Computed(id=uuid4(), name="twice", expression=Expression("count * 2"))
BASE = new_layout("Pod", Applies(address=0x1A1), 8, [COUNT, CHECK], parts=(LIST,), checks=(CRC, COUNTER),
                  computed=(TWICE,))  # fmt: skip


@pytest.mark.parametrize(
    ("changes", "sentence"),
    [
        ({"name": "Port pod"}, "renamed to Port pod, was Pod"), ({"size": 1}, "1 byte, was 8"),
        ({"size": 9}, "9 bytes, was 8"), ({"sender": "bridge"}, "sent by bridge"), ({"note": "n"}, "note rewritten"),
        ({"applies": Applies(address=0x1A2)}, "applies to 0x1A2, was 0x1A1"),
        ({"note": "n", "sender": "x", "size": 7}, "7 bytes, was 8; sent by x; note rewritten"),
    ],
)  # fmt: skip
def test_the_head_says_what_it_is_now_and_was(changes, sentence):
    after = msgspec.structs.replace(BASE, **changes)
    assert describe_change(BASE, after) == sentence and "; ".join(head_changes(BASE, after)) == sentence


def test_a_sender_that_is_taken_out_is_nobody():
    assert describe_change(msgspec.structs.replace(BASE, sender="x"), BASE) == "sent by nobody named"


def put(item, **changes):
    """Return the layout with something else in the place of one of its things."""
    return BASE.with_item(msgspec.structs.replace(item, **changes))


@pytest.mark.parametrize(
    ("after", "sentence"),
    [
        (put(CRC, name="crc"), "sum renamed to crc"), (put(CRC, polynomial=0x1D), "sum polynomial 0x1D, was 0x2F"),
        (put(CRC, reflect_in=True), "sum bytes reflected yes, was no"),
        (put(CRC, note="SAE"), "note on sum rewritten"),
        (put(COUNTER, wraps_at=10), "goes up values 10, was none"),
        (put(LIST, size=2), "points bytes an item 2, was 1"),
        (put(LIST, repeat=Repeat.ONCE), "points how often once, was count"),
        (put(LIST, fields=(msgspec.structs.replace(HEIGHT, unit="m"),)), "height in m, was no unit"),
        (put(LIST, fields=(HEIGHT, CHECK)), "check added"), (put(LIST, fields=()), "height removed"),
        (put(LIST, axis=Axis("depth", Expression("1"), Expression("1/2"), "m")),
         "points axis depth: 1, 1/2, m, was none"),
        (put(CRC, field=COUNT.id), "sum field count, was check"),
        (put(CRC, coverage=Coverage(first=2)), "sum from byte 2, was 0"),
        (put(COUNTER, per=(CHECK.id,)), "goes up per is another one"),
        (put(TWICE, unit="kN"), "twice unit kN, was none"),
        (BASE.without_item(CRC.id), "sum removed"), (BASE.without_item(LIST.id), "points removed"),
        (msgspec.structs.replace(BASE, checks=(COUNTER, CRC)), "order of checks changed"),
        (BASE.with_item(Counter(id=CRC.id, name="sum", field=COUNT.id)), "sum is now counter, was CRC-8"),
    ],
)  # fmt: skip
def test_what_belongs_to_a_layout_says_what_changed_in_it(after, sentence):
    assert describe_change(BASE, after) == sentence


def test_what_is_added_says_what_it_is():
    bare = msgspec.structs.replace(BASE, checks=(CRC,))
    assert describe_change(bare, BASE) == "goes up added (counter)"
    signed = new_field("depth", at("B4 B5"), FieldKind.SIGNED)
    assert describe_change(BASE, BASE.with_field(signed)) == "depth added at B4 B5"


def test_another_identity_alone_is_no_change_of_a_thing():
    changes = ItemChanges(BASE, BASE)
    assert changes.of(CRC, msgspec.structs.replace(CRC, id=uuid4())) == []
    assert changes.of(COUNT, msgspec.structs.replace(COUNT, unit="m")) == ["count in m, was no unit"]


def test_a_field_of_the_same_name_in_another_layout_is_no_change():
    other = new_field("check", at("B1"))
    theirs = new_layout("Pod", BASE.applies, 8, [COUNT, other], checks=(msgspec.structs.replace(CRC, field=other.id),))
    assert ItemChanges(BASE, theirs).of(CRC, theirs.checks[0]) == []


def test_without_its_content_nothing_but_the_head_is_left():
    said = msgspec.structs.replace(BASE, note="n", sender="x")
    bare = without_content(said)
    assert (bare.name, bare.size, bare.applies) == (BASE.name, BASE.size, BASE.applies)
    assert not (bare.fields or bare.parts or bare.checks or bare.computed or bare.note or bare.sender)
