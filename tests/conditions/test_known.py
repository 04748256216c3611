"""What conditions mean, by known answers: every name and function of the language on frames made for it."""

from uuid import uuid4

import numpy as np
import pytest

from tests.conditions.test_random import LANES, LAYOUTS
from zesty_abacus.core.conditions.bind import Known, bind
from zesty_abacus.core.conditions.hits import find
from zesty_abacus.core.conditions.tree import ConditionError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.layouts.checks.coverage import Coverage
from zesty_abacus.core.layouts.checks.sum import Sum
from zesty_abacus.core.layouts.checks.xor import Xor
from zesty_abacus.core.layouts.model import (
    Applies,
    Expression,
    FieldKind,
    Group,
    NamedValue,
    Repeat,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.trial.content import Moment

BOAT = (Lane("deck"), Lane("bilge", "i2c"), Lane("shore", "modbus"))


def capture_of(*frames, lanes=BOAT):
    """Return a capture of (ms, lane, address, flags, payload)."""
    sizes = np.array([len(frame[4]) for frame in frames], np.uint32)
    table = FrameTable(
        np.array([frame[0] * 1_000_000 for frame in frames], np.int64), np.array([f[1] for f in frames], np.uint16),
        np.array([frame[2] for frame in frames], np.int64), np.array([f[3] for f in frames], np.uint32),
        (np.cumsum(sizes) - sizes).astype(np.int64), sizes,
        np.frombuffer(b"".join(frame[4] for frame in frames), np.uint8),
    )  # fmt: skip
    return Capture.from_table(table, lanes)


def asked(capture, text, layouts=(), moments=()):
    known = Known([lane.name for lane in capture.lanes], layouts, moments)
    return find(Meaning.of(capture, layouts), bind(text, known)).rows.tolist()


FRAMES = capture_of(
    (0, 0, 0x100, F.RECEIVED, b"\x00\x01hook"), (10, 1, 0x5A, F.READ, b"\x55\xaa\x10"), (11, 1, 0x5A, 0, b"\x12\x34"),
    (20, 2, 1 << 24 | 3 << 16 | 100, 0, b"\x00\x02"),
        (55, 2, 1 << 24 | 3 << 16 | 100, F.ANSWER | F.LATE, b"\x01\x02\x03\x04"),
    (60, 2, 2 << 24 | 3 << 16 | 100, F.UNANSWERED, b""), (75, 1, 0x5A, F.REFUSED, b""),
    (80, 2, 1 << 24 | 3 << 16 | 100, F.ANSWER | F.EXCEPTION, b"\x02"), (1000, 0, 0x100, F.SENT, b"HOOK"),
)  # fmt: skip


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        ('lane == "bilge" and address == 0x5A and way == "read"', [1]), ('way == "write"', [2, 3, 4, 5, 6, 7]),
        ('way == "answer"', [4, 7]), ('way == "request"', [3, 5]), ('way != "read"', [2, 3, 4, 5, 6, 7]),
        ("address == 1", [3, 4, 7]), ("address == 0x1030064", [3, 4, 7]), ("address > 1 and address < 3", [5]),
        ('bytes("0? 01")', [0]), ('bytes("aa??", 1)', [1]), ('bytes("55 AA 10 00")', []), ('has_bytes("AA10")', [1]),
        ('has_text("hook")', [0]), ('has_text("HOOK")', [8]), ("size == 0", [5, 6]), ('flag("not acknowledged")', [6]),
        ('flag("refused")', [6, 7]), ('flag("LATE")', [4]), ("unanswered", [5]), ("not unanswered and size == 0", [6]),
        ("response_time > 30 ms", [4]), ("response_time == 35 ms", [4]), ("time >= 1 s", [8]), ("time < 0.01", [0]),
        ("gap > 900 ms", [8]), ("gap == 64 ms", [6]), ("lane_gap == 1 ms", [2]), ("at(B0 B1) == 0x1234", [2]),
        ("at(B1 B0) == 0x3412", [2]), ("at(B0[7..4]) == 5", [1]), ('after("casting off", 10 ms)', [1, 2, 3]),
        ('after("casting off", 0)', [1]), ('check == "bad"', []), ('check == "none" and lane == "deck"', [0, 8]),
        ('lane == "bilge" then lane == "shore" within 10 ms', [3, 7]), ("size == 2 or size == 3", [1, 2, 3]),
        ("size % 2 == 1", [1, 7]), ("abs(size - 4) < 1", [4, 8]),
        # what is worked out over the whole capture may stand on either side
        ("30 ms < response_time", [4]), ("1 ms == lane_gap", [2]), ("900 ms < gap", [8]), ("2 == size", [2, 3]),
    ],
)  # fmt: skip
def test_what_is_found(text, rows):
    assert asked(FRAMES, text, moments=[Moment(time_ns=10_000_000, text="casting off")]) == rows


def test_checks_of_a_layout_tell_good_and_bad():
    layout = new_layout("Summed", Applies(address=0x100), 2, [new_field("value", at("B0")), new_field("sum", at("B1"))])
    capture = capture_of((0, 0, 0x100, F.BAD_CHECK, b"\x01\x01"), (1, 0, 0x100, 0, b"\x01\x01"))
    assert asked(capture, 'check == "bad"', [layout]) == [0] and asked(capture, 'check == "none"', [layout]) == [1]
    assert asked(capture, "value == 1", [layout]) == [1], "of a frame whose check failed nothing is good"


def test_several_checks_of_a_layout_are_good_together_and_one_makes_all_bad():
    value, total, folded = new_field("value", at("B0")), new_field("sum", at("B1")), new_field("folded", at("B2"))
    first = Coverage(end=Expression("1"))
    checks = (Sum(id=uuid4(), name="s", field=total.id, coverage=first),
              Xor(id=uuid4(), name="x", field=folded.id, coverage=first))  # fmt: skip
    layout = new_layout("Summed", Applies(address=0x100), 3, [value, total, folded], checks=checks)
    payloads = [b"\x05\x05\x05", b"\x05\x05\x06", b"\x05\x06\x05", b"\x05\x06\x06", b"\x05\x05", b"\x05\x06", b"\x05"]
    capture = capture_of(*((number, 0, 0x100, 0, payload) for number, payload in enumerate(payloads)))
    assert asked(capture, 'check == "good"', [layout]) == [0, 4]
    assert asked(capture, 'check == "bad"', [layout]) == [1, 2, 3, 5]
    assert asked(capture, 'check == "none"', [layout]) == [6]


def test_outside_limits_is_good_enough_to_be_found_and_not_available_is_not():
    field = new_field("load", at("B0"), unit="kN", high=10)
    capture = capture_of((0, 0, 0x100, 0, b"\xc8"), (1, 0, 0x100, 0, b""))
    layout = new_layout("Winch", Applies(address=0x100), 1, [field])
    assert asked(capture, "load > 100 kN", [layout]) == [0] and asked(capture, "load > 100000 N", [layout]) == [0]
    assert asked(capture, "not load > 100 kN", [layout]) == [1], "not holds also where the field is absent"


def test_a_text_field_is_compared_as_a_text():
    layout = new_layout("Name", Applies(address=0x100), 4, [new_field("name", at("B0..B3"), FieldKind.TEXT)])
    capture = capture_of((0, 0, 0x100, 0, b"YUZU"), (1, 0, 0x100, 0, b"KIWI"), (2, 0, 0x101, 0, b"YUZU"))
    assert asked(capture, 'name == "YUZU"', [layout]) == [0] and asked(capture, 'name != "YUZU"', [layout]) == [1]


def test_a_flag_is_asked_for_as_it_is_told():
    plain = new_layout("Pump", Applies(address=0x100), 1, [new_field("on", at("B0[7]"), FieldKind.FLAG)])
    names = NamedValue(0, "yes"), NamedValue(1, "never")
    named = new_layout("Lamp", Applies(address=0x101), 1, [new_field("on", at("B0[7]"), FieldKind.FLAG, names=names)])
    capture = capture_of(*((n, 0, 0x100 + n % 2, 0, bytes([top])) for n, top in enumerate([0x80, 0x80, 0x7F, 0x7F])))
    assert asked(capture, 'on == "yes"', [plain]) == [0] and asked(capture, 'on != "yes"', [plain]) == [2]
    assert asked(capture, 'on == "no"', [plain]) == [2]
    # one that is called otherwise is what it is called
    assert asked(capture, 'on == "yes"', [plain, named]) == [0, 3]
    assert asked(capture, 'on != "no"', [plain, named]) == [0, 1, 3]
    with pytest.raises(ConditionError, match="no value of on called “on”"):
        bind('on == "on"', Known(["deck"], [plain]))


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "no condition"), ("size ==", "ends too early"), ('lane = "deck"', "letter 6 (=)"),
        ("drive mode == 3", "letter 7 (mode). Names of several words stand in back quotes: `drive mode`"),
        ('lane == "dock"', "no lane called “dock”"), ('message == "Motio"', "Did you mean Motion"),
        ("sped > 3", "no field called sped. Did you mean speed"),
        ("Motion.heat > 1", "Motion has no field called heat"),
        ("speed > 3 kg", "no unit called kg"), ("speed > 3 s", "cannot be compared"),
        ("speed > heat", "never in one frame"),
        ('`drive mode` == "astrn"', "Did you mean astern"), ('speed == "fast"', "has no named values"),
        ('flag("bad chek")', "Did you mean bad check"), ('after("x", 2 s)', "There are no moments here"),
        ('has_text(55)', "text in quotes"), ('has_bytes("5")', "are no bytes"), ('bytes("5G")', "no pattern of bytes"),
        ("lane > 3", "compared with a text"), ('lane < "deck"', "neither more nor less"),
        ("gap > 3 m", "cannot be compared"),
        ('"hook"', "has_text"), ("foo(3)", "no function called foo"), ("changes(lane)", "is a text"),
        ("size == 3 then size == 4", "as within 50 ms"), ("size == 3 then size == 4 within 3 m", "takes a time"),
        ("way == \"up\"", "no way called"), ("(size == 3", "closing )"), ("size == 3 and", "has to follow"),
        ("size && 3", "Write and, or, not"), ("crosses(speed)", "takes 2 values"),
        ("size == 3 " * 300, "letters are more"), ("at(B999999) == 1", "byte number"),
        ("at(B0 B0) == 1", "named twice"),
        ("at(B0..B8) == 1", "64 bits"), ("at(B0[9]) == 1", "B0[9]"),
    ],
)  # fmt: skip
def test_a_mistake_is_told_at_its_place_with_what_would_be_right(text, said):
    with pytest.raises(ConditionError) as told:
        bind(text, Known(LANES, LAYOUTS))
    assert said in str(told.value) and len(str(told.value)) < 300


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('lane == "deck" and address == 0x5A', "on deck of address 0x5A"), ("size == 8", "where the size is 8"),
        ("speed > 1000000.25 kn", "where speed is above 1\u2009000\u2009000.25 kn"),
        ("speed < -0.123456789", "where speed is below −0.123456789"),
        ('way == "read" and lane == "deck" and size > 2', "on deck that read where the size is above 2"),
        ("speed > 3 kn", "where speed is above 3 kn"), ('has_text("55")', "that hold the text “55”"),
        ('has_bytes("55")', "that hold the bytes 55"), ("not size == 8", "other than those where the size is 8"),
        ("size == 1 or size == 2", "where the size is 1, or those where the size is 2"),
        ("size == 1 then size == 2 within 50 ms", "where the size is 2, within 50 ms after those where the size is 1"),
    ],
)  # fmt: skip
def test_what_is_asked_is_said_back(text, said):
    assert bind(text, Known(LANES, LAYOUTS)).words() == said


CELLS = new_layout(
    "Cells", Applies(address=0x100), 1, [new_field("count", at("B0"))],
    parts=[
        Group(id=uuid4(), name="cells", repeat=Repeat.COUNT, amount=Expression("count"), size=2, fields=(
            new_field("voltage", at("B0"), unit="V"),
            new_field("state", at("B1"), names=(NamedValue(raw=1, label="hot"),)),
        )),
    ],
)  # fmt: skip


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        ("voltage > 3 V", [1, 2]), ("voltage > 3000 mV", [1, 2]), ("not voltage > 3 V", [0, 3]), ("voltage", [0, 1, 2]),
        ('state == "hot"', [1]), ("Cells.voltage == 1", [0, 1]), ("raw(voltage) > count", [1, 2]),
        ("raw(voltage) + raw(state) == 8", [1]),
        ("`cells[0].voltage` > 3", [2]), ("`cells[1].voltage` >= 2", [0, 1]), ("changes(`cells[0].voltage`)", [2]),
        ("crosses(`cells[1].voltage`, 3)", [1]), ('`cells[1].state` == "hot"', [1]), ("`cells[7].voltage` == 0", []),
        ("not `cells[1].voltage` >= 2", [2, 3]),
    ],
)  # fmt: skip
def test_what_is_several_times_in_a_frame_is_asked_of_any_item_or_of_one(text, rows):
    payloads = b"\2\1\0\2\0", b"\2\1\0\7\1", b"\1\4\0", b"\0"
    capture = capture_of(*((10 * n, 0, 0x100, 0, payload) for n, payload in enumerate(payloads)))
    assert asked(capture, text, [CELLS]) == rows


def test_whether_all_items_change_is_not_asked_and_the_sentence_says_any():
    known = Known(LANES, [CELLS])
    with pytest.raises(ConditionError, match="Name one of them"):
        bind("changes(voltage)", known)
    assert bind("voltage > 3 V", known).words() == "where voltage is above 3 V in any item"
    assert bind("`cells[1].voltage` > 3 V", known).words() == "where voltage of cells 1 is above 3 V"


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        ('warnings == "filter"', [2, 3]), ('warnings != "filter"', [0, 1, 4]), ('warnings == "none"', [0]),
        ('warnings == "filter" and warnings == "bilge high"', [3]), ("raw(warnings) == 9", [3]),
        ('changes(warnings)', [1, 2, 3, 4]),
    ],
)  # fmt: skip
def test_a_bit_of_a_set_is_asked_by_its_name(text, rows):
    names = (NamedValue(raw=0, label="bilge high"), NamedValue(raw=3, label="filter"))
    layout = new_layout("Pump", Applies(address=1), 1, (new_field("warnings", at("B0"), FieldKind.BITS, names=names),))
    capture = capture_of(*((n, 0, 1, 0, bytes([raw])) for n, raw in enumerate((0, 1, 8, 9, 0x80))))
    assert asked(capture, text, [layout]) == rows
    with pytest.raises(ConditionError, match="flter"):
        asked(capture, 'warnings == "flter"', [layout])


@pytest.mark.parametrize(("text", "said"), [
    ('lane == "deck"', "on deck"), ('lane != "deck"', "not on deck"),
    ('way == "request"', "that ask"), ('way != "read"', "that do not read"),
    ("address == 0x5A", "of address 0x5A"), ("address != 0x5A", "not of address 0x5A"),
    ('check == "good"', "whose checks agree"), ('check == "bad"', "with a check that disagrees"),
    ('check != "none"', "other than those without a check"), ("unanswered", "that nobody answered"),
    ('flag("late")', "flagged late"), ('after("casting off", 2 s)', "within 2 s after “casting off”"),
    ('bytes("0? ff")', "that begin with the bytes 0? FF"), ('bytes("01", 3)', "with, from byte 3 on, the bytes 01"),
    ('lane == "deck" and bytes("01")', "on deck that begin with the bytes 01"),
    # what names the frames stands first, whichever way round it was typed
    ('unanswered and lane == "deck"', "on deck that nobody answered"),
    ('lane == "deck" and (unanswered or size == 0)', "on deck (that nobody answered, or those where the size is 0)"),
    ('lane == "deck" and not unanswered', "on deck (other than those that nobody answered)"),
    ("size > 2 and size < 4", "where the size is above 2 and the size is below 4"),
    ('unanswered then flag("late") within 5 ms', "flagged late, within 5 ms after those that nobody answered"),
])  # fmt: skip
def test_what_is_asked_of_frames_is_said_back(text, said):
    known = Known([lane.name for lane in BOAT], [], [Moment(time_ns=0, text="casting off")])
    assert bind(text, known).words() == said


WIDE = new_layout(
    "Wide", Applies(address=0x100), 16,
    [new_field("a", at("B7 B6 B5 B4 B3 B2 B1 B0")), new_field("b", at("B15 B14 B13 B12 B11 B10 B9 B8"))],
)  # fmt: skip


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        # the first product needs all its 61 bits, and is no float
        ("raw(a) * raw(b) == 1152922604119523329", [0]), ("raw(a) * raw(b) == 1152922604119523328", []),
        ("raw(a) - raw(b) == 1099510579200", [0]), ("raw(b) - raw(a) == -1099510579200", [0]),
        ("crosses(raw(b), 3)", [1, 2, 4]), ("size - 17 == -1", [0, 1, 2, 3, 4, 5]),
    ],
)  # fmt: skip
def test_whole_numbers_are_reckoned_exactly_and_a_level_is_met_at_its_height(text, rows):
    pairs = ((1 << 40) + 1, (1 << 20) + 1), (1, 2), (1, 3), (1, 2), (1, 4), (1, 5)
    payloads = [a.to_bytes(8, "little") + b.to_bytes(8, "little") for a, b in pairs]
    capture = capture_of(*((10 * n, 0, 0x100, 0, payload) for n, payload in enumerate(payloads)))
    assert asked(capture, text, [WIDE]) == rows


def test_of_an_empty_frame_less_than_nothing_is_left():
    capture = capture_of((0, 0, 0x100, 0, b""), (10, 0, 0x100, 0, b"\1"))
    assert asked(capture, "size - 1 < 0", []) == [0]
