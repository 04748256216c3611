"""What is heard of other messages, and passed on."""

import threading
import time

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.live.wire import Wire
from tests.rehearse.messages import throttle
from tests.steady import KEEPS_TIME
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.capture import Lane
from zesty_abacus.core.layouts.model import Applies, new_layout
from zesty_abacus.core.live.batch import Batch
from zesty_abacus.core.live.receiving import Receiving
from zesty_abacus.core.live.watch import Watch
from zesty_abacus.core.rehearse.answering import send_answering
from zesty_abacus.core.rehearse.feed_words import parse_feed
from zesty_abacus.core.rehearse.feeds import FeedError, NotHeardError
from zesty_abacus.core.rehearse.listening import HeardField, Listening
from zesty_abacus.core.rehearse.message import OutgoingMessage, feeds_of
from zesty_abacus.core.rehearse.occasion import Every, Once
from zesty_abacus.core.rehearse.outlets import Outlets
from zesty_abacus.core.rehearse.prepared import Prepared
from zesty_abacus.core.rehearse.runner import Runner
from zesty_abacus.core.rehearse.steps import Rehearsal, Send, Wait
from zesty_abacus.demo.layouts import make_field

pytestmark = KEEPS_TIME

LANES = [Lane("bus")]
HEEL = HeardField("Roll", "heel")


def roll():
    fields = [
        make_field("heel", "B0", "signed", "0.5", limits=(-30, 30)),
        make_field("gear", "B1", "names", names={0: "off", 3: "ahead"}),
    ]
    return new_layout("Roll", Applies(address=0x200), 2, fields)


def listening():
    return Listening(lambda: [roll_layout], lambda text: Watch(text, ["bus"], [roll_layout]))


roll_layout = roll()


def table(*frames):
    batch = Batch()
    for time_ns, address, payload, *flags in frames:
        batch.add(time_ns, payload, address, flags[0] if flags else F.RECEIVED)
    return batch.table()


@given(st.lists(st.tuples(st.sampled_from([0x200, 0x201]), st.integers(-60, 60), st.booleans()), max_size=30),
       st.integers(1, 8))  # fmt: skip
def test_the_newest_that_was_heard_counts(frames, at_once):
    ears, expected = listening(), None
    assert ears.value(HEEL) is None
    for first in range(0, len(frames), at_once):
        part = frames[first : first + at_once]
        ears.hear(table(*(
            (first + n, address, raw.to_bytes(1, "big", signed=True) + bytes(1), F.SENT if sent else F.RECEIVED)
            for n, (address, raw, sent) in enumerate(part)
        )), LANES)  # fmt: skip
        heard = [raw * 0.5 for address, raw, sent in part if address == 0x200 and not sent]
        expected = heard[-1] if heard else expected
        assert ears.value(HEEL) == expected


def test_a_value_of_the_moment_stays_until_the_next_one():
    ears, moment = listening(), HeardField("Roll", "heel", "size == 5")
    assert ears.value(moment) is None
    for frames, expected in (
        ([(1, 0x200, b"\2\0"), (2, 1, bytes(5)), (3, 0x200, b"\4\0")], 1.0),
        ([(4, 0x200, b"\6\0")], 1.0),
        ([(5, 1, bytes(5))], 3.0),
        ([(6, 0x200, b"\10\0"), (7, 1, bytes(5)), (8, 1, bytes(5))], 4.0),
    ):
        ears.hear(table(*frames), LANES)
        assert ears.value(moment) == expected


def test_names_and_what_is_no_good_value():
    ears, gear = listening(), HeardField("Roll", "gear")
    ears.value(gear)
    ears.value(HEEL)
    ears.hear(table((1, 0x200, b"\2\3")), LANES)
    assert ears.value(gear) == "ahead"
    ears.hear(table((2, 0x200, b"\2")), LANES)
    assert ears.value(gear) == "ahead", "a frame that ends before it says nothing of it"


@pytest.mark.parametrize(
    ("heard", "words"),
    [(HeardField("Pitch", "heel"), "no message 'Pitch'"), (HeardField("Roll", "yaw"), "no field 'yaw'"),
     (HeardField("Roll", "heel", "depth >"), "ends too early")],
)  # fmt: skip
def test_what_cannot_be_heard_is_told(heard, words):
    with pytest.raises(MisuseError, match=words):
        listening().value(heard)


@pytest.mark.parametrize(
    ("text", "heard", "otherwise"),
    [
        ("heard Roll.heel", HEEL, None),
        ("heard `Hook state`.pull else 0", HeardField("Hook state", "pull"), "0"),
        ("heard Hook state.pull force when at(B0) == 2 and size > 1",
         HeardField("Hook state", "pull force", "at(B0) == 2 and size > 1"), None),
        ("heard Roll.`net.heel` else off when size == 2", HeardField("Roll", "net.heel", "size == 2"), "off"),
    ],
)  # fmt: skip
def test_words_of_what_is_heard(text, heard, otherwise):
    feed = parse_feed(text)
    assert (feed.heard, feed.otherwise) == (heard, otherwise)
    assert parse_feed(feed.words) == feed
    assert feed.listens and feed.moves


def test_what_says_no_field_is_no_feed():
    with pytest.raises(FeedError, match="not as it was"):
        parse_feed("heard Roll.heel with lag 0.5 s")
    assert parse_feed("heard Roll.heel with noise 0.1").of == parse_feed("heard Roll.heel")
    with pytest.raises(FeedError, match="heard Motion"):
        parse_feed("heard something")
    assert parse_feed("heard").value(0, 0, {}) == "heard", "a word alone may be the name of a value"


def test_before_anything_is_heard_there_is_no_value_or_the_one_that_was_given():
    with pytest.raises(NotHeardError, match="nothing has been heard of it yet"):
        OutgoingMessage(throttle(), feeds_of(["speed=heard Roll.heel"]), None, listening()).frame(0, 0.0)
    message = OutgoingMessage(throttle(), feeds_of(["speed=heard Roll.heel else 2"]), None, listening())
    assert message.frame(0, 0.0).payload[:2] == b"\0\x14"


@pytest.mark.parametrize(("occasion", "count"), [(Once(), 1), (Every(5_000_000), 3)])
def test_a_message_waits_for_what_it_passes_on(occasion, count):
    wire, stopped = Wire("bus"), threading.Event()
    layouts = [throttle(), roll_layout]
    message = OutgoingMessage(layouts[0], feeds_of(["speed=heard Roll.heel"]))
    assert message.listens

    def later():
        time.sleep(0.1)
        assert wire.sent == []
        wire.put(b"\x0c\0", 0x200)
        until = time.monotonic() + 60
        while len(wire.sent) < count and time.monotonic() < until:
            time.sleep(0.01)
        stopped.set()

    kept = send_answering(wire, message, occasion, None, stopped, layouts, threading.Thread(target=later).start)
    assert kept.sent >= count
    assert [frame.payload[:2] for frame in wire.sent[:count]] == [b"\0\x3c"] * count
    assert [frame.payload[5] for frame in wire.sent[:count]] == list(range(count)), "the counter begins with the first"


def test_a_rehearsal_passes_on_what_was_heard_before_the_step():
    wire = Wire("bus")
    with Receiving([wire]) as receiving:
        outlets = Outlets(receiving)
        outlets.allow("bus")
        steps = (Wait(for_="400 ms"), Send(message="Throttle", values={"speed": "heard Roll.heel"}))
        prepared = Prepared(Rehearsal(name="t", steps=steps), [throttle(), roll_layout], outlets)
        wire.put(b"\x08\0", 0x200)
        outcome = Runner(prepared, receiving, outlets, ask=bool).run()
        assert outcome.is_passed, outcome.failed
        with pytest.raises(MisuseError, match="no field 'yaw'"):
            wrong = (Send(message="Throttle", values={"speed": "heard Roll.yaw"}),)
            Prepared(Rehearsal(name="t", steps=wrong), [throttle(), roll_layout], outlets)
    assert wire.sent[0].payload[:2] == b"\0\x28"
