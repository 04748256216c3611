"""Rehearsals: each step passes and fails as it should, by the frame that decides it."""

import threading
import time
from xml.etree import ElementTree

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.live.wire import Wire
from tests.rehearse.messages import throttle
from tests.steady import KEEPS_TIME
from zesty_abacus.core.errors import DataError, MisuseError
from zesty_abacus.core.live.endpoint import Outgoing
from zesty_abacus.core.live.receiving import Receiving
from zesty_abacus.core.rehearse import edit
from zesty_abacus.core.rehearse.outlets import NotAllowedError, Outlets
from zesty_abacus.core.rehearse.prepared import Prepared
from zesty_abacus.core.rehearse.report import junit_xml
from zesty_abacus.core.rehearse.runner import FAILED, LEFT_OUT, PASSED, Runner
from zesty_abacus.core.rehearse.steps import (
    STEP_KINDS,
    Ask,
    Expect,
    Never,
    Note,
    Rehearsal,
    RehearsalError,
    Repeat,
    Run,
    Send,
    Set,
    Start,
    Stop,
    Until,
    Wait,
    fresh_step,
    rehearsal_from_json,
    rehearsal_to_json,
)

pytestmark = KEEPS_TIME


def _echo(frame):
    """Answer each frame after 30 ms at the address behind its own."""
    return [(0.03, frame.payload, frame.address + 1)]


def _run(*steps, answer=_echo, ask=lambda _text: True, others=None, name="test", before=lambda _wire: None):
    wire = Wire("bus", answer)
    with Receiving([wire]) as receiving:
        outlets = Outlets(receiving)
        outlets.allow("bus")
        prepared = Prepared(Rehearsal(name=name, steps=steps), [throttle()], outlets, others)
        before(wire)
        return Runner(prepared, receiving, outlets, ask=ask).run(), wire


def _states(outcome):
    return [step.state for step in outcome.steps]


def test_an_answer_that_comes_in_time_passes_and_is_named():
    outcome, wire = _run(
        Send(message="Throttle", values={"speed": "3.5", "mode": "ahead"}),
        Expect(condition="address == 0x124 and at(B2) == 1", within="500 ms"),
    )
    assert outcome.is_passed
    assert wire.sent[0].payload[:3] == b"\0\x23\1"
    assert outcome.steps[1].frame.startswith("bus 0x124 00 23 01")
    assert 25 < float(outcome.steps[1].reason.split()[1]) < 60


def test_an_answer_that_comes_late_fails_and_the_rest_is_left_out():
    outcome, _ = _run(
        Send(frame="123#01"), Expect(condition="address == 0x124", within="10 ms"), Note(text="never reached"),
    )  # fmt: skip
    assert _states(outcome) == [PASSED, FAILED, LEFT_OUT]
    assert outcome.failed.number == "2"
    assert "no such frame within 10 ms" in outcome.failed.reason
    assert outcome.moments == []


def test_an_answer_from_before_does_not_count():
    def before(wire):
        wire.put(b"old", 0x124)
        time.sleep(0.05)

    outcome, _ = _run(
        Wait(for_="100 ms"), Send(frame="123#01"), Expect(condition="address == 0x124", within="10 ms"),
        before=before,
    )  # fmt: skip
    assert _states(outcome) == [PASSED, PASSED, FAILED]


def test_one_answer_serves_one_expectation():
    outcome, _ = _run(
        Send(frame="123#01"), Expect(condition="address == 0x124", within="200 ms"),
        Expect(condition="address == 0x124", within="100 ms"),
    )  # fmt: skip
    assert _states(outcome) == [PASSED, PASSED, FAILED]


def test_never_is_broken_by_the_first_frame_and_kept_by_none():
    outcome, _ = _run(Send(frame="123#01"), Never(condition="address == 0x124", for_="200 ms"))
    assert _states(outcome) == [PASSED, FAILED]
    assert outcome.failed.frame.startswith("bus 0x124")
    outcome, _ = _run(Send(frame="123#01"), Never(condition="address == 0x125", for_="100 ms"))
    assert outcome.is_passed
    assert outcome.steps[1].seconds >= 0.1


@pytest.mark.parametrize(("high", "state"), [(b"\x09", FAILED), (b"\x01", PASSED)])
def test_never_while_joins_frames_of_two_messages(high, state):
    # 0x200 says how much load there is, 0x201 whether the hook is open
    def before(wire):
        wire.put(high, 0x200)
        wire.put(b"\0", 0x201)
        wire.put(b"\1", 0x201, after_s=0.1)

    outcome, _ = _run(
        Never(condition="address == 0x201 and at(B0) == 1", for_="200 ms", while_="address == 0x200 and at(B0) > 5"),
        before=before,
    )
    assert _states(outcome) == [state]


def test_what_stood_before_still_stands():
    def before(wire):
        wire.put(b"\x09", 0x200)
        # ahead of the first step, however late that begins
        wire.put(b"\1", 0x201, after_s=0.3)

    outcome, _ = _run(
        Until(condition="address == 0x201", within="1 s"), Wait(for_="50 ms"),
        Never(condition="address == 0x201 and at(B0) == 1", for_="60 ms", while_="address == 0x200 and at(B0) > 5"),
        Send(frame="100#"), before=before,
    )  # fmt: skip
    assert outcome.is_passed, "no frame came that could have told"
    outcome, _ = _run(
        Until(condition="address == 0x201", within="1 s"),
        Start(message="Throttle", every="10 ms"),
        Never(condition="address == 0x201 and at(B0) == 1", for_="60 ms", while_="address == 0x200 and at(B0) > 5"),
        before=before,
    )  # fmt: skip
    assert _states(outcome)[-1] == FAILED


def test_a_message_goes_out_in_the_background_until_it_is_stopped_and_can_be_fed_otherwise():
    outcome, wire = _run(
        Start(message="Throttle", every="10 ms", values={"speed": "1"}),
        Wait(for_="100 ms"),
        Set(message="Throttle", field="speed", to="ramp 5 to 5 in 1 s"),
        Expect(condition="address == 0x124 and at(B1) == 50", within="500 ms"),
        Stop(message="Throttle"),
        Wait(for_="100 ms"),
        Never(condition="address == 0x123", for_="60 ms"),
        Stop(message="Throttle"),
    )
    assert _states(outcome) == [PASSED] * 7 + [FAILED]
    assert {frame.payload[1] for frame in wire.sent} == {10, 50}
    turns = [frame.payload[5] & 15 for frame in wire.sent]
    assert turns == [number % 16 for number in range(len(turns))]


def test_steps_within_others_are_numbered_as_people_count():
    inner = Rehearsal(name="inner", steps=(Note(text="in"),))
    outcome, wire = _run(
        Repeat(times=2, steps=(Send(frame="123#01"), Note(text="sent"))), Run(name="inner"),
        others=lambda _name: inner,
    )  # fmt: skip
    assert [step.number for step in outcome.steps] == ["1.1.1", "1.1.2", "1.2.1", "1.2.2", "2.1"]
    assert [text for _, text in outcome.moments] == ["sent", "sent", "in"]
    assert len(wire.sent) == 2


def test_a_moment_that_was_noted_can_be_asked_for():
    outcome, _ = _run(
        Note(text="begun"),
        Send(frame="123#01"),
        Expect(condition='address == 0x124 and after("begun", 1 s)', within="1 s"),
    )
    assert outcome.is_passed


def test_the_person_is_asked():
    asked = []
    outcome, _ = _run(Ask(text="is the lamp on?"), ask=lambda text: asked.append(text) or False)
    assert (asked, _states(outcome)) == (["is the lamp on?"], [FAILED])


def test_it_can_be_stopped():
    wire, stopped = Wire("bus"), threading.Event()
    with Receiving([wire]) as receiving:
        outlets = Outlets(receiving)
        prepared = Prepared(Rehearsal(name="t", steps=(Wait(for_="60 s"), Note(text="x"))), [], outlets)
        threading.Timer(0.1, stopped.set).start()
        begin = time.monotonic()
        outcome = Runner(prepared, receiving, outlets, ask=bool, stopped=stopped).run()
    assert time.monotonic() - begin < 5
    assert _states(outcome) == [FAILED, LEFT_OUT]


def test_nothing_is_sent_on_a_lane_that_only_listens():
    wire = Wire("bus")
    with Receiving([wire]) as receiving:
        outlets = Outlets(receiving)
        prepared = Prepared(Rehearsal(name="t", steps=(Send(frame="123#01"),)), [], outlets)
        outcome = Runner(prepared, receiving, outlets, ask=bool).run()
        assert outcome.failed.reason == "bus: it only listens. Let it send first."
        outlets.allow("bus")
        outlets.send("bus", Outgoing(b"1"))
        outlets.stop_all()
        with pytest.raises(NotAllowedError):
            outlets.send("bus", Outgoing(b"2"))
    assert len(wire.sent) == 1


@pytest.mark.parametrize(
    ("step", "words"),
    [
        (Send(message="Rudder"), "step 1: there is no message 'Rudder'"),
        (Send(message="Throttle", values={"angle": "1"}), "there is no field 'angle'"),
        (Send(message="Throttle", values={"speed": "9999"}), "does not fit"),
        (Send(message="Throttle", lane="stern"), "there is no lane 'stern'"),
        (Send(message="Throttle", faults=("rude",)), "there is no fault 'rude'"),
        (Send(frame="nonsense"), "is no frame"),
        (Send(frame="123#", message="Throttle"), "not both"),
        (Wait(for_="soon"), "is no length of time"),
        (Expect(condition="depth > 3", within="1 s"), "depth"),
        (Expect(condition="size == 1", within="never"), "is no length of time"),
        (Never(condition="size == 1", for_="1 s", while_="size =="), "step 1"),
        (Repeat(times=0, steps=()), "cannot be repeated 0 times"),
        (Repeat(times=2, steps=(Wait(for_="x"),)), "step 1.1.1: "),
        (Run(name="test"), "would run within itself"),
        (Start(message="Throttle", every="0"), "is no length of time"),
        (Start(message="Throttle", every="in answer to depth > 3"), "depth"),
    ],
)
def test_what_makes_no_sense_is_told_before_anything_is_sent(step, words):
    with pytest.raises(MisuseError) as caught:
        _run(step)
    assert words in str(caught.value)


def test_every_step_that_makes_no_sense_is_told_once():
    with pytest.raises(MisuseError) as caught:
        _run(
            Wait(for_="soon"), Wait(for_="1 ms"), Send(message="Throtle"),
            Repeat(times=5, steps=(Send(frame="123#01"), Expect(condition="speed >", within="1 s"))),
            Run(name="unheard"), others=unheard_of,
        )  # fmt: skip
    told = caught.value
    assert told.sentence == "test: it cannot be run, 4 things are wrong."
    assert [one.partition(": ")[0] for one in told.details] == ["step 1", "step 3", "step 4.1.2", "step 5"]
    assert told.details[1].endswith("there is no message 'Throtle'. Did you mean Throttle?")
    assert told.details[3].endswith("there is no rehearsal 'unheard'.")


def unheard_of(name):
    raise DataError(f"there is no rehearsal {name!r}.")


_EVERY_STEP = Rehearsal(
    name="all",
    note="one of each",
    steps=(
        Send(message="A", values={"b": "1"}, lane="bus", faults=("wrong check",)),
        Start(message="A", every="1 s"), Set(message="A", field="b", to="2"), Stop(message="A"), Stop(),
        Wait(for_="1 s"), Until(condition="size == 1", within="1 s"), Expect(condition="size == 1", within="1 s"),
        Never(condition="size == 1", for_="1 s", while_="size == 2"), Ask(text="?"), Note(text="!"), Run(name="b"),
        Repeat(times=3, steps=(Wait(for_="1 s"), Repeat(times=1, steps=()))),
    ),
)  # fmt: skip


def test_a_rehearsal_survives_its_file():
    assert rehearsal_from_json(rehearsal_to_json(_EVERY_STEP), "here") == _EVERY_STEP
    assert [step.words() for step in _EVERY_STEP.steps][:6] == [
        "send A with b 1 on bus, wrong check", "from now on send A every 1 s", "set b of A to 2", "send A no more",
        "send nothing any more", "wait 1 s",
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("change", "words"),
    [
        (lambda plain: plain["steps"].append({"do": "dance"}), "dance"),
        (lambda plain: plain["steps"][0].update(colour="red"), "colour"),
        (lambda plain: plain.update(version=99), "version 99"),
        (lambda plain: plain.update(format="other"), "'other'"),
        (lambda plain: plain["steps"][1].pop("every"), "every"),
    ],
)
def test_a_file_that_is_no_rehearsal_says_where(change, words):
    plain = msgspec.json.decode(rehearsal_to_json(_EVERY_STEP))
    change(plain)
    with pytest.raises(RehearsalError) as caught:
        rehearsal_from_json(msgspec.json.encode(plain), "file.json")
    assert words in str(caught.value)
    assert str(caught.value).startswith("file.json: ")


def test_a_file_without_end_is_refused():
    deep = b'{"do":"repeat","times":2,"steps":[' * 5000
    with pytest.raises(RehearsalError):
        rehearsal_from_json(b'{"name":"x","steps":[' + deep, "here")
    nested = Note(text="x")
    for _ in range(30):
        nested = Repeat(times=1, steps=(nested,))
    with pytest.raises(RehearsalError, match="more steps, or deeper ones"):
        rehearsal_from_json(rehearsal_to_json(Rehearsal(name="x", steps=(nested,))), "here")


def test_the_report_is_what_build_servers_read():
    outcome, _ = _run(
        Send(frame="123#01"), Expect(condition='has_text("<&\x01>")', within="10 ms"), Note(text="x"), name="a <b> & c",
    )  # fmt: skip
    root = ElementTree.fromstring(junit_xml(outcome, {"library": "L & M"}))
    suite = root.find("testsuite")
    assert (suite.get("name"), suite.get("tests"), suite.get("failures"), suite.get("skipped")) == (
        "a <b> & c", "3", "1", "1",
    )  # fmt: skip
    cases = suite.findall("testcase")
    assert [len(case.findall("failure")) for case in cases] == [0, 1, 0]
    assert [len(case.findall("skipped")) for case in cases] == [0, 0, 1]
    assert "no such frame" in cases[1].find("failure").get("message")
    assert suite.find("properties/property").get("value") == "L & M"
    assert float(suite.get("time")) > 0


@st.composite
def _rehearsals(draw):
    leaf = st.integers(0, 99).map(lambda number: Note(text=str(number)))
    inner = st.lists(leaf, max_size=3).map(lambda steps: Repeat(times=2, steps=tuple(steps)))
    return Rehearsal(name="x", steps=tuple(draw(st.lists(leaf | inner, min_size=1, max_size=5))))


@given(_rehearsals(), st.data())
def test_a_rehearsal_changed_step_by_step_keeps_all_other_steps(rehearsal, data):
    paths = dict(edit.paths_of(rehearsal))
    path = data.draw(st.sampled_from(list(paths)))
    assert edit.step_at(rehearsal, path) == paths[path]
    fresh = Note(text="fresh")
    words = lambda one: sorted(step.words() for _, step in edit.paths_of(one))  # noqa: E731
    changed = edit.with_step(rehearsal, path, fresh)
    assert edit.step_at(changed, path) == fresh
    grown, there = edit.with_added(rehearsal, path, fresh)
    assert edit.step_at(grown, there) == fresh
    assert words(edit.without(grown, there)) == words(rehearsal)
    by = data.draw(st.integers(-3, 3))
    shifted, there = edit.moved(rehearsal, path, by)
    assert edit.step_at(shifted, there) == paths[path]
    assert words(shifted) == words(rehearsal)


def test_every_sort_of_step_can_be_begun_and_shows_what_is_still_to_be_written():
    assert [(kind.title, fresh_step(kind).words()) for kind in STEP_KINDS] == [
        ("Send", "send …"), ("Send again and again", "from now on send … every 50 ms"),
        ("Set a field", "set … of … to 0"), ("Stop sending", "send nothing any more"), ("Wait", "wait 1 s"),
        ("Wait until", "wait until …, at most 500 ms"), ("Expect", "expect … within 500 ms"),
        ("Never", "never … for 1 s"), ("Ask", "ask: …"), ("Note the moment", "note: …"), ("Run another one", "run …"),
        ("Repeat", "2 times"),
    ]  # fmt: skip
