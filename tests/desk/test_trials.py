"""Changes of the open trial: one way back for all of them, nothing read again, nothing in hand lost."""

from __future__ import annotations

import threading

import msgspec
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFileDialog

from tests.desk.conftest import let_go
from tests.desk.pilot import Pilot
from tests.trial.test_trial import write_log
from zesty_abacus.core.reading import explained
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.trial import source
from zesty_abacus.core.trial.trial import Trial
from zesty_abacus.desk.app.undo import Undo, Undoable
from zesty_abacus.desk.launch import WindowHolder, make_application, make_window

CONTROL = Qt.KeyboardModifier.ControlModifier
SHIFT = Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def reads(monkeypatch):
    """Count how often a recording is read."""
    found = []
    real = source._read
    monkeypatch.setattr(source, "_read", lambda request, *rest: (found.append(request.path.name), real(request, *rest)))
    return found


def with_offset(session, lane, offset_ns):
    """Move a lane as the entry on Intake does."""
    file = session.trial.file
    entry = msgspec.structs.replace(file.lane_entry(lane), offset_ns=offset_ns)
    session.trials.change(file.with_lane(entry), f"offset of {lane}")


def test_an_offset_moves_frames_and_nothing_is_read_again(pilot, reads):
    session = pilot.session
    pilot.pick_kind(0x1A1)
    kind = session.in_hand.kind
    session.in_hand.select_bits(frozenset({3, 4}))
    capture, library, counted = session.capture, session.library, session.reading.counts.explained
    times = capture.kind_frames(kind).time_ns
    with_offset(session, "thruster", -2_500_000)
    pilot.settle()
    assert reads == [] and session.library is library
    assert session.in_hand.kind == kind and session.in_hand.bits == {3, 4}, "what is in hand stays in hand"
    assert (session.capture.kind_frames(kind).time_ns == times - 2_500_000).all()
    assert session.reading.counts.explained == counted and session.capture.kinds.keys == capture.kinds.keys
    pilot.key(Qt.Key.Key_Z, CONTROL)
    assert (session.capture.kind_frames(kind).time_ns == times).all() and reads == []


def test_what_was_counted_is_there_when_a_trial_is_opened_again(pilot, monkeypatch):
    counts = pilot.session.reading.counts
    before, folder = [one.explained for one in counts.counted], pilot.session.trial.folder
    asked = []
    explain_kind = explained.explain_kind
    monkeypatch.setattr(explained, "explain_kind", lambda *given: asked.append(given[1]) or explain_kind(*given))
    pilot.session.trials.open(folder)
    pilot.settle()
    pilot.wait_open()
    assert ([one.explained for one in counts.counted], asked) == (before, [])
    # an edit counts its own message anew, also the next time
    pilot.session.in_hand.take_kind(pilot.kind(0x1A0))
    layout = pilot.session.reading.layout_of(pilot.session.in_hand.kind)
    pilot.session.edits.change(msgspec.structs.replace(layout, fields=layout.fields[1:]))
    pilot.settle()
    fewer = [one.explained for one in counts.counted]
    assert fewer != before and set(asked) == {pilot.session.in_hand.kind}
    asked.clear()
    pilot.session.trials.open(folder)
    pilot.settle()
    pilot.wait_open()
    assert ([one.explained for one in counts.counted], asked) == (fewer, [])


@pytest.fixture
def meanings_made_on(monkeypatch):
    """The threads on which it was found what frames mean; with thousands of kinds that takes a tenth of a second."""
    threads, of = [], Meaning.of

    def noted(*words):
        threads.append(threading.current_thread())
        return of(*words)

    monkeypatch.setattr(Meaning, "of", noted)
    return threads


def test_what_frames_mean_is_found_before_the_window_takes_them(pilot, meanings_made_on):
    session = pilot.session
    before, folder = session.reading.meaning, session.trial.folder
    session.trials.open(folder)
    pilot.wait(lambda: session.reading.meaning is not before, "the trial once more")
    pilot.settle()
    assert len(meanings_made_on) == 1 and meanings_made_on[0] is not threading.main_thread()
    assert session.reading.words(pilot.kind(0x1A0)), "and it is the one that is used"


def test_a_recording_that_joins_is_matched_behind_the_window(pilot, meanings_made_on, tmp_path):
    session, recording = pilot.session, tmp_path / "more.log"
    recording.write_text("(1778572800.000000) thruster 1A0#0000000000000000\n")
    before = session.reading.meaning
    session.trials.add_sources([recording])
    pilot.wait(lambda: session.reading.meaning is not before, "what joins")
    pilot.settle()
    assert len(meanings_made_on) == 1 and meanings_made_on[0] is not threading.main_thread()
    assert session.reading.words(pilot.kind(0x1A0)), "and it is the one that is used"


def test_one_way_back_for_everything_in_the_order_it_was_done(pilot):
    session, window = pilot.session, pilot.window
    start = session.trial.file
    layout = session.reading.layout_of(pilot.kind(0x1A1))
    frames = len(session.capture)
    session.edits.change(msgspec.structs.replace(layout, note="first"))
    session.trials.add_moment(session.clock.cursor_ns, "a bump")
    session.in_hand.take_kind(pilot.kind(0x2D0))
    session.ties.tie(session.in_hand.kind, layout.id)
    pilot.settle()
    with_offset(session, "battery", 7)
    pilot.settle()
    session.trials.remove_source(1)
    pilot.settle()
    window.show_desk("Intake")
    bench = window.intake.bench
    number = next(n for n, outcome in enumerate(session.outcomes) if outcome.holds == "lines" and outcome.recipe)
    bench.choose(number)
    pilot.wait(lambda: bench.recipe is not None and bench.outcome is not None, "the recording in hand")
    recipe = bench.recipe
    bench.change.rest(lane_note="another note")
    pilot.settle()
    assert bench.recipe.lane_note == "another note"

    def back():
        pilot.key(Qt.Key.Key_Z, CONTROL)
        pilot.settle()

    back()
    assert bench.recipe == recipe
    back()
    assert len(session.trial.file.sources) == len(start.sources) and len(session.capture) == frames
    back()
    assert session.trial.file.lanes == start.lanes
    back()
    assert session.trial.file.ties == start.ties and session.reading.layout_of(pilot.kind(0x2D0)) is None
    back()
    assert session.trial.file.moments == start.moments and session.trial.file.sources[0] == start.sources[0]
    back()
    assert session.edits.layout(layout.id) == layout and not session.undo.can_undo()
    for _ in range(6):
        pilot.key(Qt.Key.Key_Z, CONTROL | SHIFT)
        pilot.settle()
    assert session.edits.layout(layout.id).note == "first" and len(session.trial.file.sources) == len(start.sources) - 1
    assert any(moment.text == "a bump" for moment in session.trial.file.moments)
    assert Trial.open(session.trial.folder).file == session.trial.file, "all of it is saved"


def test_a_recording_that_was_cancelled_is_gone_from_the_trial(pilot, tmp_path):
    session = pilot.session
    sources = session.trial.file.sources
    session.trials.open_paths([write_log(tmp_path / "more.log", [("1.0", "can7", "100", "01")])])
    next(job for job in session.jobs.running() if job.group == "open").cancel()
    pilot.settle()
    assert session.trial.file.sources == sources and Trial.open(session.trial.folder).file.sources == sources
    assert "Cancelled: more.log brought in" in pilot.window.foot.told.text() and not session.undo.can_undo()


def test_a_recording_is_read_once_more_with_another_recipe(pilot):
    session, window = pilot.session, pilot.window
    window.show_desk("Intake")
    bench = window.intake.bench
    number = next(n for n, outcome in enumerate(session.outcomes) if outcome.holds == "lines" and outcome.recipe)
    lane = session.outcomes[number].lanes[0]
    bench.choose(number)
    pilot.settle()
    pilot.click(window.intake.twice)
    pilot.settle()
    assert session.outcomes[-1].path == session.outcomes[number].path and session.outcomes[-1].needs_recipe
    bench.choose(len(session.outcomes) - 1)
    pilot.wait(lambda: bench.recipe is not None, "what it offers")
    bench.change.rest(lane="beside")
    bench.use()
    pilot.settle()
    lanes = [one.name for one in session.capture.lanes]
    assert lane in lanes and "beside" in lanes and session.outcomes[number].lanes == [lane]


def test_times_do_not_jump_when_a_recipe_is_put_to_use(pilot):
    session, window = pilot.session, pilot.window
    number = next(n for n, outcome in enumerate(session.outcomes) if outcome.needs_recipe)
    before = session.outcomes[number].first_ns
    assert session.clock.first_ns >= min(outcome.first_ns for outcome in session.outcomes) > 10**18, "no axis of 1970"
    window.show_desk("Intake")
    bench = window.intake.bench
    bench.choose(number)
    pilot.wait(lambda: bench.recipe is not None and bench.outcome is not None, "what it offers")
    shown = bench.span_ns
    bench.use()
    pilot.settle()
    assert session.outcomes[number].first_ns == before and bench.span_ns == shown


def test_a_trial_is_begun_saved_under_another_name_and_closed(no_faults, tmp_path, monkeypatch):
    make_application()
    empty = Pilot(make_window(empty=True))
    session, window = empty.session, empty.window
    window.show()
    empty.settle()
    window.activateWindow()
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "mine"), ""))
    empty.key("N", CONTROL)
    empty.settle()
    assert session.trial.folder == tmp_path / "mine" and (tmp_path / "mine" / "library.sqlite").exists()
    session.trials.open_paths([write_log(tmp_path / "one.log", [("1.0", "can0", "100", "01")])])
    empty.wait_open()
    session.trials.add_moment(1_000_000_000, "begin")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(tmp_path / "copy"), ""))
    empty.key("S", CONTROL | SHIFT)
    empty.settle()
    assert session.trial.folder == tmp_path / "copy" and len(session.capture) == 1
    assert [moment.text for moment in session.trial.file.moments] == ["begin"]
    assert session.library.address.path == (tmp_path / "mine" / "library.sqlite").resolve(), "the library is the same"
    holder = WindowHolder(window)
    empty.key("W", CONTROL)
    assert holder.window is not window and holder.window.isVisible()
    assert holder.window.session.trial is None
    holder.window.session.trials.open(tmp_path / "mine")
    empty.wait(lambda: holder.window.session.capture is not None, "another trial in the fresh window")
    holder.window.close()
    let_go(holder.window)


def test_several_recordings_open_as_one_trial(no_faults, tmp_path):
    make_application()
    paths = [write_log(tmp_path / f"{n}.log", [("1.0", f"can{n}", "100", "01")]) for n in range(2)]
    window = make_window(paths=paths)
    window.show()
    hands = Pilot(window)
    hands.wait(lambda: window.session.capture is not None, "both recordings")
    assert {lane.name for lane in window.session.capture.lanes} == {"can0", "can1"}
    hands.settle()
    window.close()
    let_go(window)


def test_what_cannot_be_taken_back_now_stays_on_the_way_back():
    undo, done = Undo(), []
    undo.did(Undoable("a", "x", lambda: False, lambda: True))
    assert undo.undo() == "" and undo.can_undo()
    undo.did(Undoable("b", "y", lambda: bool(done.append("back")) or True, lambda: bool(done.append("on")) or True))
    assert undo.undo() == "b" and undo.redo() == "b" and done == ["back", "on"]
    undo.forget(lambda about: about == "y")
    assert undo.undo() == "" and undo.can_undo()
    undo.clear()
    assert not undo.can_undo()


def test_with_a_release_shown_a_field_that_is_not_kept_is_not_told_as_kept(pilot):
    session, window = pilot.session, pilot.window
    session.edits.pin("run 1", session.edits.layouts())
    pilot.key("3")
    pilot.pick_kind(0x2C1)
    pilot.drag_beads(7, 0)
    panel = window.unravel.side.selection
    pilot.type(panel.message, "Something")
    pilot.type(panel.field, "level")
    assert not panel.keep_field()
    assert "run 1, which never changes" in window.foot.told.text() and panel.field.text() == "level"
