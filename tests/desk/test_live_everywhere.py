"""What is recorded live, on all desks while it comes."""

from __future__ import annotations

import msgspec
import pytest
from PyQt6.QtCore import Qt

from zesty_abacus.core.live.batch import Batch
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.trial.content import LaneEntry


@pytest.fixture
def recording(pilot, live):
    """The same, while it is recorded and something of it is there."""
    before = pilot.session.capture
    pilot.click(live.connecting.record)
    pilot.wait(lambda: len(pilot.session.capture) > len(before) + 100, "frames in the capture")
    pilot.before = before
    return live


def stop(pilot, live):
    sources = len(pilot.session.trial.file.sources)
    pilot.click(live.connecting.record)
    pilot.wait(lambda: len(pilot.session.trial.file.sources) > sources, "the recording in the trial")
    pilot.wait(pilot.session.jobs.is_idle, "everything read")


def test_what_comes_stands_behind_what_is_there(pilot, recording):
    session = pilot.session
    assert session.capture.has_grown_from(pilot.before)
    assert session.capture.kinds.keys[: len(pilot.before.kinds.keys)] == pilot.before.kinds.keys
    assert session.clock.is_following
    assert session.clock.stretch == 1, "months after the trip it is a stretch of its own"
    assert session.clock.view_first_ns <= session.clock.cursor_ns == session.clock.last_ns
    newest = session.clock.last_ns
    pilot.wait(lambda: session.clock.last_ns > newest + 500_000_000, "more of it")
    assert session.clock.cursor_ns == session.clock.last_ns
    assert session.density.shape[0] == len(session.capture.lanes)
    number = next(n for n, lane in enumerate(session.capture.lanes) if lane.name == "thruster")
    pilot.wait(lambda: session.density[number].sum() > 100, "the strip of it")


def test_read_lists_and_draws_it(pilot, recording):
    session = pilot.session
    pilot.key("2")
    read = pilot.window.read
    pilot.wait(lambda: read.frames.count() == len(session.capture), "the list")
    count = read.frames.count()
    pilot.wait(lambda: read.frames.count() > count + 20, "more rows")
    line = read.frames.line(read.frames.current())
    assert line.lane in ("thruster", "battery", "shore", "bilge", "pendant", "winch")
    trace = next(one for one in session.traces.shown if session.kinds.origin(one[0])[0] == "thruster")
    layout = session.reading.layout_with(*trace)
    pilot.wait(lambda: session.store.curve(trace[0], layout, trace[1]) is not None, "a curve")
    values = len(session.store.curve(trace[0], layout, trace[1])[1])
    pilot.wait(lambda: len(session.store.curve(trace[0], layout, trace[1])[1]) > values, "a longer curve")


def test_going_back_in_time_stops_following_and_a_key_follows_again(pilot, recording):
    session = pilot.session
    pilot.key("2")
    pilot.window.read.frames.setFocus()
    pilot.key(Qt.Key.Key_Up)
    assert not session.clock.is_following
    at, row = session.clock.cursor_ns, pilot.window.read.frames.first()
    frames = len(session.capture)
    pilot.wait(lambda: len(session.capture) > frames + 50, "more frames")
    assert session.clock.cursor_ns == at and pilot.window.read.frames.first() == row
    pilot.key(Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert session.clock.is_following
    pilot.wait(lambda: session.clock.cursor_ns > at + 300_000_000, "the newest frames again")


def test_a_condition_is_asked_of_what_comes(pilot, recording):
    session = pilot.session
    lane = 'lane == "thruster"'
    session.asking.ask(lane)
    pilot.wait(lambda: session.asking.hits is not None, "hits")
    hits = len(session.asking.hits)
    pilot.wait(lambda: len(session.asking.hits) > hits, "more hits")
    assert session.asking.holds(int(session.asking.hits.rows[-1]))


def test_bits_are_counted_on_and_a_layout_that_is_edited_meanwhile_reads_what_comes(pilot, recording):
    session = pilot.session
    kind = next(n for n in range(len(session.capture.kinds.keys)) if session.kinds.name(n) == "Azimuth feedback port")
    session.in_hand.take_kind(kind)
    pilot.wait(lambda: session.reading.counts.activity_of(kind) is not None, "bits")
    counted = session.reading.counts.activity_of(kind).frames
    pilot.wait(lambda: session.reading.counts.activity_of(kind).frames > counted, "more bits")
    layout = session.reading.layout_of(kind)
    assert session.edits.change(msgspec.structs.replace(layout, name="Line pull"), "named")
    frames = session.capture.kinds.count(kind)
    pilot.wait(lambda: session.capture.kinds.count(kind) > frames + 5, "more frames of it")
    assert session.kinds.name(kind) == "Line pull"
    assert session.reading.meaning.capture is session.capture


def test_when_it_is_stopped_the_files_say_what_was_shown(pilot, recording):
    session = pilot.session
    pilot.wait(lambda: session.clock.last_ns - session.clock.first_ns > 1_000_000_000, "a second of it")
    shown = session.capture
    lanes = [lane.name for lane in shown.lanes]
    stop(pilot, recording)
    read = session.capture
    assert not read.has_grown_from(shown) and len(read) >= len(shown)
    assert [lane.name for lane in read.lanes][: len(pilot.before.lanes)] == lanes[: len(pilot.before.lanes)]
    assert session.clock.stretch == 1 and not session.clock.is_following
    for name in ("thruster", "shore"):
        assert frames_of(read, name)[: len(frames_of(shown, name))] == frames_of(shown, name)


def frames_of(capture, lane):
    number = next(n for n, one in enumerate(capture.lanes) if one.name == lane)
    table = capture.frames.table(capture.order_of_lanes(frozenset([number])).rows())
    # logs hold microseconds
    return [(int(table.time_ns[n]) // 1000, int(table.address[n]), table.payload_of(n)) for n in range(len(table))]


def test_a_moment_noted_and_a_lane_moved_meanwhile_lose_nothing(pilot, recording):
    session = pilot.session
    session.trials.add_moment(session.clock.cursor_ns, "hook tried")
    pilot.wait(lambda: "Hook state" in map(session.kinds.name, range(len(session.capture.kinds.keys))), "a new kind")
    # another one behind it, of an address before: counted anew the two change places
    batch = Batch()
    batch.add(session.clock.last_ns, b"\x01", 0x050, 0, 0)
    session.growing.take(batch.table(), recording.live.receiving.lanes)
    pilot.wait(lambda: 0x050 in [key.address for key in session.capture.kinds.keys], "the other new kind")
    frames = len(session.capture)
    file = session.trial.file
    old = next((one for one in file.lanes if one.name == "battery"), LaneEntry(name="battery"))
    moved = msgspec.structs.replace(old, offset_ns=old.offset_ns + 1_500_000_000)
    others = tuple(one for one in file.lanes if one.name != "battery")
    session.trials.change(msgspec.structs.replace(file, lanes=(*others, moved)), "battery moved")
    pilot.wait(lambda: len(session.capture) > frames + 50, "more frames behind it")
    assert session.clock.is_following
    assert any(one.text == "hook tried" for one in session.trial.file.moments)
    pilot.wait(pilot.session.reading.counts.explained_of_all, "the bits counted")
    anew = Meaning.of(session.capture, session.edits.layouts(), session.trial.file.ties)
    for kind, means in enumerate(anew.kinds):
        names = [reader.layout.name for reader in means.readers]
        assert [reader.layout.name for reader in session.reading.readers(kind)] == names


def test_who_has_no_trial_records_into_a_new_one(empty):
    pilot = empty
    session = pilot.session
    pilot.key("5")
    desk = pilot.window.rehearse
    pilot.type(desk.connecting.line, "bench:yuzu", enter=True)
    pilot.wait(lambda: desk.live.lanes and desk.live.lanes["thruster"].heard > 50, "frames of the bench")
    pilot.click(desk.connecting.record)
    pilot.wait(lambda: session.capture is not None and len(session.capture) > 100, "frames in a trial of their own")
    assert session.trial.folder.name.startswith("live 20")
    pilot.wait(lambda: session.clock.last_ns - session.clock.first_ns > 500_000_000, "some time of it")
    assert session.clock.first_ns <= session.clock.view_first_ns < session.clock.view_last_ns == session.clock.last_ns
    kinds = len(session.capture.kinds.keys)
    assert pilot.window.roster.model.known == kinds > 5
    pilot.click(desk.connecting.record)
    pilot.wait(lambda: len(session.trial.file.sources) == 3, "its CAN lanes in one file, bilge and winch in one each")


def test_who_opens_another_trial_finds_the_recording_in_its_own_one(pilot, recording, tmp_path):
    session = pilot.session
    folder, sources = session.trial.folder, len(session.trial.file.sources)
    session.trials.begin(tmp_path / "other")
    pilot.wait(lambda: session.trial.folder == tmp_path / "other", "the other trial")
    assert not session.live.writing.is_recording and not session.growing.is_on
    assert session.trial.file.sources == () and len(session.capture) == 0
    session.trials.open(folder)
    pilot.wait(lambda: session.trial.folder == folder, "the first one again")
    assert len(session.trial.file.sources) > sources


def test_a_recording_that_a_kill_broke_off_is_there_when_the_trial_is_opened_again(pilot, recording, monkeypatch):
    session = pilot.session
    folder = session.trial.folder
    # what a kill leaves: the files as they are, and nobody who holds the word of them
    session.growing.end()
    session.live.writing.leave_recording()
    sources = len(session.trial.file.sources)
    told = []
    session.told.connect(lambda _tone, words: told.append(words))
    session.trials.open(folder)
    pilot.wait(lambda: len(session.trial.file.sources) > sources, "the recording in the trial")
    assert any("broken off" in words for words in told)
    assert session.clock.stretch == 1
