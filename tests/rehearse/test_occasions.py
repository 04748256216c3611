"""When messages go out: at planned times, when values change, in answer to what was heard."""

import threading
import time
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.live.wire import Wire
from tests.rehearse.messages import throttle
from tests.steady import KEEPS_TIME
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.live.receiving import Receiving
from zesty_abacus.core.live.watch import Watch
from zesty_abacus.core.rehearse.cyclic import send_planned
from zesty_abacus.core.rehearse.feed_words import parse_feed
from zesty_abacus.core.rehearse.listening import Listening
from zesty_abacus.core.rehearse.message import OutgoingMessage, faults_of
from zesty_abacus.core.rehearse.occasion import (
    Bursts,
    Every,
    InAnswer,
    Once,
    OnChange,
    occasion_words,
    parse_occasion,
)
from zesty_abacus.core.rehearse.outlets import Outlets
from zesty_abacus.core.rehearse.prepared import Prepared
from zesty_abacus.core.rehearse.runner import Runner
from zesty_abacus.core.rehearse.schedule import Schedule
from zesty_abacus.core.rehearse.steps import Ask, Rehearsal, Start

pytestmark = KEEPS_TIME

MS = 1_000_000
LENGTHS = st.one_of(st.integers(1, 10**7).map(lambda us: us * 1000), st.integers(1, 3600).map(lambda s: s * 10**9))


@st.composite
def bursts(draw):
    times, apart = draw(st.integers(1, 50)), draw(LENGTHS)
    more = draw(st.none() | st.integers(0, 10**6))
    return Bursts(times, apart, None if more is None else times * apart + more * 1000)


PLANNED = st.one_of(LENGTHS.map(Every), bursts())


@pytest.mark.parametrize(
    ("text", "occasion"),
    [
        ("50 ms", Every(50 * MS)),
        ("every 1.5 s", Every(1500 * MS)),
        ("3 times every 10ms", Bursts(3, 10 * MS)),
        ("3 times every 10 ms, again every 1 s", Bursts(3, 10 * MS, 1000 * MS)),
        ("on change", OnChange()),
        ("on change, at least every 2 s", OnChange(2000 * MS)),
        ("in answer to size == 2 and at(B0) == 5", InAnswer("size == 2 and at(B0) == 5")),
    ],
)
def test_what_is_written_is_understood(text, occasion):
    assert parse_occasion(text) == occasion


@given(st.one_of(PLANNED, LENGTHS.map(OnChange), st.just(OnChange())))
def test_words_are_read_back_as_they_were_meant(occasion):
    assert parse_occasion(occasion.words) == occasion


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("often", "is no length of time"),
        ("0 times every 1 s", "a burst has 1 to"),
        ("3 times every 10 ms, again every 20 ms", "before the one before it is over"),
        ("on change, at least every never", "is no length of time"),
        ("", "is no length of time"),
    ],
)
def test_what_says_no_occasion_is_told(text, words):
    with pytest.raises(MisuseError, match=words):
        parse_occasion(text)
    assert occasion_words(text) == f"every {text}", "a sentence shows what was typed"


@given(st.one_of(PLANNED, st.just(Once())), st.integers(0, 40), st.integers(-1, 1))
def test_the_number_at_a_time_counts_the_frames_before_it(occasion, number, beside):
    planned = occasion.planned_ns(number)
    time_ns = (planned if planned is not None else 10**13) + beside
    before = 0
    while (at := occasion.planned_ns(before)) is not None and at < time_ns:
        before += 1
    assert occasion.number_at(time_ns) == before


def _sent(message, occasion, count, meanwhile=lambda _sent: None, rest_s=0.1):
    """Send until so many frames went out, and for a moment more; a busy machine takes as long as it takes."""
    sent = []
    schedule = Schedule(lambda _lane, frame: sent.append((time.monotonic(), frame.payload)))
    try:
        entry = schedule.start("a", message, "one", occasion)
        meanwhile(sent)
        until = time.monotonic() + 60
        while len(sent) < count and time.monotonic() < until:
            time.sleep(0.005)
        time.sleep(rest_s)
    finally:
        schedule.close()
    return sent, entry


def _wait_for_one(sent):
    until = time.monotonic() + 60
    while not sent and time.monotonic() < until:
        time.sleep(0.005)


def test_a_burst_ends_by_itself():
    sent, entry = _sent(OutgoingMessage(throttle(), {}), Bursts(4, 5 * MS), 4)
    assert [payload[5] & 15 for _, payload in sent] == [0, 1, 2, 3]
    assert entry.is_over


def test_what_does_not_change_goes_out_once_and_again_when_it_does():
    message = OutgoingMessage(throttle(), {"speed": parse_feed("3")})

    def change(sent):
        _wait_for_one(sent)
        time.sleep(0.1)
        message.set("speed", parse_feed("4"))

    sent, entry = _sent(message, OnChange(), 2, change)
    assert [(payload[1], payload[5] & 15) for _, payload in sent] == [(30, 0), (40, 1)], "a counter is no change"
    assert not entry.is_over


def test_what_does_not_change_goes_out_after_a_time_all_the_same():
    begin = time.monotonic()
    sent, _ = _sent(OutgoingMessage(throttle(), {}), OnChange(50 * MS), 4)
    assert 4 <= len(sent) <= (time.monotonic() - begin) / 0.05 + 1


def _heard(condition, *put, least=1):
    """Put frames on a wire, and return what is sent until so many were, and nothing more comes."""
    wire = Wire("bus")
    with Receiving([wire]) as receiving:
        outlets = Outlets(receiving)
        outlets.allow("bus")
        ears = Listening(lambda: [throttle()], lambda text: Watch(text, ["bus"], [throttle()]))
        schedule = Schedule(outlets.send, ears)
        try:
            schedule.start("a", OutgoingMessage(throttle(), {}), "bus", InAnswer(condition))
            for payload, address in put:
                wire.put(payload, address)
            until = time.monotonic() + 60
            while time.monotonic() < until:
                schedule.hear(receiving.take(0.02), receiving.lanes)
                if len(wire.sent) >= least:
                    until = min(until, time.monotonic() + 0.1)
        finally:
            schedule.close()
    return wire.sent


def test_each_question_is_answered_once():
    sent = _heard("size == 2", (b"ab", 1), (b"abc", 1), (b"cd", 2), (b"ef", 2), least=3)
    assert [frame.payload[5] & 15 for frame in sent] == [0, 1, 2]


def test_an_answer_is_no_question_to_itself():
    assert len(_heard("address == 0x123 or size == 1", (b"a", 1))) == 1


def test_the_bus_is_answered_while_the_person_is_asked():
    wire = Wire("bus")
    with Receiving([wire]) as receiving:
        outlets = Outlets(receiving)
        outlets.allow("bus")
        steps = (Start(message="Throttle", every="in answer to size == 2"), Ask(text="is it lit?"))
        prepared = Prepared(Rehearsal(name="t", steps=steps), [throttle()], outlets)

        def ask(_text):
            wire.put(b"ab")
            until = time.monotonic() + 60
            while not wire.sent and time.monotonic() < until:
                time.sleep(0.01)
            return True

        assert Runner(prepared, receiving, outlets, ask=ask).run().is_passed
    assert len(wire.sent) == 1


def test_of_frames_missing_on_purpose_each_tenth_is_not_sent():
    sent = []
    message = OutgoingMessage(throttle(), {}, faults_of(["missing frame"]))
    kept = send_planned(message, sent.append, Every(MS), 30 * MS, threading.Event())
    assert (kept.sent, [frame.payload[5] & 15 for frame in sent]) == (
        27, [number % 16 for number in range(30) if number % 10 != 9],
    )  # fmt: skip


@pytest.mark.parametrize(("occasion", "late_s"), [(Every(100 * MS), 0.05), (Bursts(5, 20 * MS), 0.1)])
def test_a_frame_late_on_purpose_comes_behind_its_time(occasion, late_s):
    times = []
    message = OutgoingMessage(throttle(), {}, faults_of(["late frame"]))
    planned_s, begin = occasion.planned_ns(4) / 1e9, time.monotonic()
    kept = send_planned(
        message, lambda _frame: times.append(time.monotonic()), occasion, occasion.planned_ns(4) + 1, threading.Event()
    )
    assert times[4] - begin >= planned_s + late_s
    not_meant_s = times[4] - begin - planned_s - late_s
    assert kept.late_s[4] == pytest.approx(not_meant_s, abs=0.01), "what is meant is no period that was not kept"


def test_a_change_told_late_on_purpose_holds_its_frame_back():
    feeds = {"speed": parse_feed("ramp 0 to 20 in 4 s")}
    plain, held = (
        [when for when, _ in _sent(OutgoingMessage(throttle(), feeds, faults_of(faults)), OnChange(), 7)[0]]
        for faults in ((), ("late frame",))
    )
    gaps = [[later - earlier for earlier, later in pairwise(times)] for times in (plain, held)]
    assert gaps[1][3] >= 0.1, "the fifth frame is late"
    assert min(gaps[0][:6]) < 0.1


def test_where_nothing_is_heard_nothing_can_be_answered():
    with pytest.raises(MisuseError, match="nothing is heard"):
        Schedule(lambda _lane, _frame: None).start("a", OutgoingMessage(throttle(), {}), "one", InAnswer("size == 1"))
