"""Messages that go out: counters go on, checks agree, faults are what they are called."""

import threading
import time
from fractions import Fraction
from uuid import uuid4

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.rehearse.messages import throttle
from tests.steady import KEEPS_TIME
from zesty_abacus.cli import send
from zesty_abacus.core.codec.columns import Validity
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.named import layout_named
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.errors import DataError, MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.layouts.checks.coverage import Coverage
from zesty_abacus.core.layouts.checks.sum import Sum
from zesty_abacus.core.layouts.model import Applies, Expression, Group, Repeat, new_layout
from zesty_abacus.core.live.endpoint import Outgoing
from zesty_abacus.core.rehearse.cyclic import send_planned
from zesty_abacus.core.rehearse.feed_words import parse_feed
from zesty_abacus.core.rehearse.message import FAULT_WORDS, Faults, OutgoingMessage, faults_of, feeds_of
from zesty_abacus.core.rehearse.occasion import Every, Once
from zesty_abacus.core.rehearse.schedule import Schedule
from zesty_abacus.demo.layouts import make_field
from zesty_abacus.demo.link_layouts import link_layouts

pytestmark = KEEPS_TIME


class Made:
    """Something that goes out, made by a function of number and time."""

    def __init__(self, make):
        self._make, self.faults = make, Faults()

    def frame(self, number, time_s):
        self._make(number, time_s)
        return Outgoing(b"")


class Stopped(threading.Event):
    """Is stopped after so many looks, without waiting."""

    def __init__(self, after):
        super().__init__()
        self._left = after

    def wait(self, timeout=None):
        return self.is_set()

    def is_set(self):
        self._left -= 1
        return self._left < 0


def _columns(layout, frames):
    width = max(len(frame.payload) for frame in frames)
    matrix = np.array([list(frame.payload.ljust(width, b"\0")) for frame in frames], np.uint8)
    sizes = np.array([len(frame.payload) for frame in frames], np.uint32)
    found = decode(compile_layout(layout), matrix, sizes, None, address=0x123)
    return {column.field.name: column for column in found.columns.values()}


@given(st.integers(-200, 200).map(lambda tenths: Fraction(tenths, 10)), st.sampled_from(["off", "ahead", "astern"]))
def test_what_goes_out_reads_back_as_it_was_given(speed, mode):
    layout = throttle()
    message = OutgoingMessage(layout, feeds_of([f"speed={float(speed)}", f"mode={mode}", "double== speed * 2"]))
    columns = _columns(layout, [message.frame(number, 0.0) for number in range(20)])
    assert all((column.validity == Validity.GOOD).all() for column in columns.values())
    assert columns["speed"].value.tolist() == [float(speed)] * 20
    assert columns["double"].value.tolist() == pytest.approx([float(speed * 2)] * 20)
    assert columns["turn"].raw.tolist() == [number % 16 for number in range(20)]


def test_a_feed_moves_with_the_time_of_the_frame():
    layout = throttle()
    message = OutgoingMessage(layout, feeds_of(["speed=ramp 0 to 10 in 1 s"]))
    columns = _columns(layout, [message.frame(number, number * 0.25) for number in range(6)])
    assert columns["speed"].value.tolist() == [0, 2.5, 5, 7.5, 10, 10]


@pytest.mark.parametrize(
    ("fault", "bad_check", "counts", "size"),
    [((), False, True, 7), (("wrong check",), True, True, 7), (("frozen counter",), False, False, 7),
     (("too short",), None, None, 6)],
)  # fmt: skip
def test_faults_on_purpose(fault, bad_check, counts, size):
    layout = throttle()
    frames = [OutgoingMessage(layout, {}, faults_of(fault)).frame(number, 0.0) for number in range(4)]
    assert {len(frame.payload) for frame in frames} == {size}
    if bad_check is None:
        return
    columns = _columns(layout, frames)
    assert (columns["speed"].validity == Validity.CHECK_FAILED).all() == bad_check
    assert (columns["turn"].raw.tolist() == [0, 1, 2, 3]) == counts


def test_a_wrong_check_of_a_sentence_has_two_digits_and_disagrees():
    layout = next(one for one in link_layouts() if one.name == "Heading sentence")
    feeds = feeds_of(["sentence=HEHDT", "heading=123.5", "reference=true"])
    good = OutgoingMessage(layout, feeds).frame(0, 0.0).payload
    wrong = OutgoingMessage(layout, feeds, faults_of(("wrong check",))).frame(0, 0.0).payload
    assert good[:-2] == wrong[:-2] and int(wrong[-2:], 16) == 255 - int(good[-2:], 16)


def test_a_wrong_check_behind_what_moves_disagrees_and_one_that_is_cut_off_is_left():
    count, check = make_field("count", "B0"), make_field("sum", "B0")
    points = Group(id=uuid4(), name="points", size=1, fields=(make_field("height", "B0"),), repeat=Repeat.COUNT,
                   amount=Expression("count"))  # fmt: skip
    tail = Group(id=uuid4(), name="tail", size=1, fields=(check,))
    adds = Sum(id=uuid4(), name="sum check", field=check.id, coverage=Coverage(end=Expression("size - 1")))
    layout = new_layout("List", Applies(protocol="serial"), 1, [count], parts=(points, tail), checks=(adds,))
    feeds = feeds_of(['points=[{"height": 1}, {"height": 4}]'])
    assert OutgoingMessage(layout, feeds).frame(0, 0.0).payload == bytes([2, 1, 4, 7])
    wrong = OutgoingMessage(layout, feeds, faults_of(("wrong check",))).frame(0, 0.0)
    assert wrong.payload == bytes([2, 1, 4, 7 ^ 0xFF])
    short = OutgoingMessage(layout, feeds, faults_of(("wrong check", "too short"))).frame(0, 0.0)
    assert short.payload == bytes([2, 1, 4])


def test_a_counter_that_is_fed_stands_where_it_is_put():
    message = OutgoingMessage(throttle(), feeds_of(["turn=9"]))
    assert {message.frame(number, 0.0).payload[5] & 15 for number in range(5)} == {9}


def test_long_payloads_go_as_long_frames_of_a_size_that_is_allowed():
    layout = new_layout("Long", Applies(address=0x1ABCDEF0, extended=True), 13, [make_field("a", "B12")])
    frame = OutgoingMessage(layout, feeds_of(["a=255"])).frame(0, 0.0)
    assert (len(frame.payload), frame.payload[12], frame.flags) == (16, 255, F.EXTENDED | F.LONG)


@pytest.mark.parametrize(
    ("pairs", "words"),
    [
        (["rudder=1"], "there is no field 'rudder'"),
        (["speed"], "is not FIELD=VALUE"),
        (["speed=9999"], "does not fit"),
        (["double== speed"], "not fed before it"),
        (["mode=sideways"], "no value"),
        (["speed=sine 0 to 999999 in 1 s"], "fit"),
    ],
)
def test_what_cannot_be_sent_is_told(pairs, words):
    with pytest.raises(MisuseError) as caught:
        message = OutgoingMessage(throttle(), feeds_of(pairs))
        for number in range(4):
            message.frame(number, number * 0.25)
    assert words in str(caught.value)


def test_a_message_is_found_by_name_or_address():
    layouts = [throttle()]
    assert layout_named(layouts, "0x123", "here").name == layout_named(layouts, "Throttle", "here").name
    with pytest.raises(DataError, match="Did you mean Throttle"):
        layout_named(layouts, "thrott", "here")


@pytest.mark.parametrize(
    ("every_ms", "for_ms", "count"),
    [(None, None, 1), (2, 200, 100), (3, 10, 4), (10, 10, 1), (50, 10, 1), (1, None, None)],
)
def test_how_often_something_is_sent(every_ms, for_ms, count):
    occasion = Once() if every_ms is None else Every(every_ms * 1_000_000)
    stopped, sent = Stopped(after=300), []
    message = Made(lambda number, time_s: sent.append(number))
    made = send_planned(message, lambda _frame: None, occasion, for_ms and for_ms * 1_000_000, stopped)
    assert made.sent == (300 if count is None else count)
    assert sent == list(range(len(sent)))


def test_the_first_is_sent_at_once_and_the_period_does_not_drift():
    sent, planned = [], []

    def make(number, time_s):
        planned.append(time_s)

    begin = time.monotonic()
    kept = send_planned(
        Made(make), lambda _frame: sent.append(time.monotonic()), Every(10_000_000), 300_000_000, threading.Event()
    )
    assert planned == pytest.approx([number * 0.01 for number in range(30)])
    assert kept.sent == 30
    assert sent[-1] - begin >= 0.29
    assert "at the 99th percentile" in kept.words()


def test_a_schedule_sends_each_message_at_its_period_until_it_is_stopped():
    sent = []
    schedule = Schedule(lambda lane, frame: sent.append((lane, frame.payload[5] & 15)))
    try:
        schedule.start("fast", OutgoingMessage(throttle(), {}), "one", Every(10_000_000))
        schedule.start("slow", OutgoingMessage(throttle(), {}), "two", Every(50_000_000))
        time.sleep(0.4)
        schedule.entries["fast"].message.set("turn", parse_feed("15"))
        patience = time.monotonic() + 60
        while next(turn for lane, turn in reversed(sent) if lane == "one") != 15 and time.monotonic() < patience:
            time.sleep(0.001)
        assert schedule.stop("fast").kept.sent >= 30
        assert schedule.stop("nobody") is None
        count = len(sent)
        time.sleep(0.12)
        assert {lane for lane, _ in sent[count:]} <= {"two"}
    finally:
        schedule.close()
    fast, slow = ([turn for lane, turn in sent if lane == name] for name in ("one", "two"))
    assert fast[:20] == [number % 16 for number in range(20)]
    assert fast[-1] == 15
    assert 6 <= len(slow) <= 14


def test_a_schedule_that_is_closed_sends_nothing_more_and_has_nothing_left():
    sent = []
    schedule = Schedule(lambda _lane, frame: sent.append(frame))
    schedule.start("often", OutgoingMessage(throttle(), {}), "one", Every(1_000_000))
    schedule.start("hardly ever", OutgoingMessage(throttle(), {}), "one", Every(3_600_000_000_000))
    while len(sent) < 3:
        time.sleep(0.001)
    schedule.close()
    count = len(sent)
    assert schedule.entries == {}
    time.sleep(0.02)
    assert len(sent) == count
    Schedule(lambda _lane, _frame: None).close()


def test_what_cannot_be_sent_is_the_trouble_of_its_entry_and_ends_nothing():
    refuses = [True]

    def send(_lane, _frame):
        if refuses:
            raise DataError("the bus is off.")

    schedule = Schedule(send)
    try:
        entry = schedule.start("a", OutgoingMessage(throttle(), {}), "one", Every(10_000_000))
        time.sleep(0.05)
        assert entry.trouble == "the bus is off."
        refuses.clear()
        time.sleep(0.05)
        assert entry.trouble == ""
    finally:
        schedule.close()


def test_the_help_names_every_fault():
    assert send._FAULTS.split(", ") == list(FAULT_WORDS)
