"""A recording that waits for something, armed in the window."""

from __future__ import annotations

from PyQt6.QtCore import Qt

from tests.steady import KEEPS_TIME

pytestmark = KEEPS_TIME


def arm(pilot, live, condition, then="then stop", before="500 ms", after="200 ms"):
    line = live.connecting.arm_line
    if not line.isVisible():
        pilot.key("O")
    line.then.setCurrentText(then)
    for entry, text in ((line.before, before), (line.after, after), (line.line, condition)):
        pilot.type(entry, text)
    pilot.click(line.arm)
    return line


def seconds_recorded(pilot):
    """Return how long what was recorded is, in seconds."""
    clock = pilot.session.clock
    pilot.wait(lambda: clock.stretch == 1, "a stretch of its own, months after the trip")
    return (clock.last_ns - clock.first_ns) / 1e9


def test_it_keeps_what_lies_around_and_ends(pilot, live):
    sources = len(pilot.session.trial.file.sources)
    pilot.click(live.score.leaves["thruster"])
    line = arm(pilot, live, "`Hook request`.wanted == 1")
    assert line.arm.text() == "Disarm"
    assert not live.connecting.record.isVisible(), "it is ended where it says what it waits for"
    pilot.wait(lambda: live.live.lanes["thruster"].heard > 1500, "more than is kept")
    assert len(pilot.session.trial.file.sources) == sources
    assert len(pilot.session.clock.stretches) == 1, "what is held back is not part of the capture"
    live.composer.choose("Hook request")
    pilot.type(live.composer.entries.lines["wanted"], "release", enter=True)
    pilot.click(live.composer.out.once)
    pilot.wait(lambda: len(pilot.session.trial.file.sources) > sources, "the recording in the trial")
    pilot.wait(pilot.session.jobs.is_idle, "everything read")
    assert not live.live.writing.is_recording
    assert line.arm.text() == "Arm"
    pilot.wait(lambda: len(pilot.session.clock.stretches) == 2, "the stretch")
    assert 0.4 < seconds_recorded(pilot) < 1.0


def test_it_waits_for_the_next_time_and_says_how_often_it_held(pilot, live):
    line = arm(pilot, live, 'lane == "battery" and gap > 1 us', "wait for the next", "20 ms", "20 ms")
    pilot.wait(lambda: live.live.writing.armed.hits > 20, "some of them")
    pilot.wait(lambda: line.said.text().startswith("held in "), "the count")
    assert live.live.writing.is_recording
    pilot.click(line.arm)
    pilot.wait(lambda: not live.live.writing.is_recording, "the end")
    pilot.wait(lambda: any("CAN" in entry.path for entry in pilot.session.trial.file.sources[-3:]), "what was kept")


def test_it_only_marks(pilot, live):
    line = arm(pilot, live, 'lane == "battery"', "only mark it")
    pilot.wait(lambda: pilot.session.trial.file.moments[-1].text == 'lane == "battery"', "a moment")
    moments = len(pilot.session.trial.file.moments)
    pilot.wait(lambda: live.live.writing.armed.hits > 100, "many frames in which it holds")
    assert len(pilot.session.trial.file.moments) == moments, "as long as it goes on holding it is one moment"
    assert line.arm.text() == "Stop"
    pilot.click(line.arm)


def test_what_never_came_leaves_nothing_and_a_hand_keeps_what_is_there(pilot, live):
    sources = len(pilot.session.trial.file.sources)
    line = arm(pilot, live, "size == 63")
    pilot.key("O")
    assert not live.live.writing.is_recording
    assert len(pilot.session.trial.file.sources) == sources
    arm(pilot, live, "size == 63", before="10 s", after="100 ms")
    heard = live.live.lanes["thruster"].heard
    pilot.wait(lambda: live.live.lanes["thruster"].heard > heard + 200, "something to keep")
    pilot.click(line.now)
    pilot.wait(lambda: len(pilot.session.trial.file.sources) > sources, "the recording in the trial")


def test_what_makes_no_sense_arms_nothing(pilot, live):
    pilot.wait(lambda: "is connected" in pilot.window.foot.told.text(), "the word of the connection")
    line = arm(pilot, live, "draught > 3")
    assert "draught" in pilot.window.foot.told.text()
    arm(pilot, live, "")
    assert "Say what to wait for" in pilot.window.foot.told.text()
    arm(pilot, live, "size == 63", before="soon")
    assert "no length of time" in pilot.window.foot.told.text()
    assert not live.live.writing.is_recording
    assert line.arm.text() == "Arm"
    pilot.key(Qt.Key.Key_Escape)
