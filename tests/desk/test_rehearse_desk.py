"""The Rehearse desk with the bench running, driven by mouse and keys."""

import csv
import json
import socket
import time
from fractions import Fraction
from xml.etree import ElementTree

import msgspec
import pyarrow.parquet as pq
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QMessageBox

from tests.live.sockets import free_port
from tests.steady import KEEPS_TIME
from zesty_abacus.core.files.errors import FileError
from zesty_abacus.core.frames.flags import EXTENDED, LONG
from zesty_abacus.core.rehearse.round_trip import FieldTrip
from zesty_abacus.core.rehearse.steps import STEP_KINDS, Ask, Note, Rehearsal, fresh_step, rehearsal_to_json
from zesty_abacus.desk.app.doors import going
from zesty_abacus.desk.app.hearing import LogRow
from zesty_abacus.desk.desks.rehearse.composer import BY_HAND
from zesty_abacus.desk.desks.rehearse.log import Log
from zesty_abacus.desk.desks.rehearse.trips import figures_of
from zesty_abacus.desk.launch import make_application

pytestmark = KEEPS_TIME

HOOK = "Hook holds under load"


@pytest.fixture
def desk(pilot):
    pilot.key("5")
    desk = pilot.window.rehearse
    assert desk.isVisible()
    pilot.wait(lambda: desk.rehearsals.choice.count(), "the rehearsals of the library")
    return desk


@pytest.fixture
def live(pilot, desk):
    pilot.type(desk.connecting.line, "bench:yuzu", enter=True)
    pilot.wait(lambda: desk.live.lanes and desk.live.lanes["thruster"].heard > 50, "frames of the bench")
    return desk


def sent(desk):
    return [row for row in desk.log.rows if row.is_sent]


def test_what_comes_is_heard_and_said_before_anything_may_be_sent(pilot, live):
    assert list(live.live.lanes) == ["thruster", "battery", "shore", "bilge", "pendant", "winch"]
    assert all(leave.text() == "listens" for leave in live.score.leaves.values())
    pilot.wait(lambda: "Azimuth feedback port" in {row.message for row in live.log.rows}, "the message in the list")
    says = {row.message: row.says for row in live.log.rows}
    assert says["Azimuth feedback port"].startswith("angle ")
    assert "6 lanes, 0 may send" in live.head.words.text()
    live.composer.choose("Hook request")
    pilot.click(live.composer.out.once)
    assert sent(live) == []
    assert "it only listens" in pilot.window.foot.told.text()


def test_values_beads_and_hex_follow_each_other(pilot, desk):
    composer = desk.composer
    composer.choose("Hook request")
    assert set(composer.entries.lines) == {"wanted"}, "the counter and the check run by themselves"
    pilot.type(composer.entries.lines["wanted"], "release", enter=True)
    assert composer.payload.hex.text() == "01 00 00 98"
    pilot.click(composer.payload.abacus, composer.payload.abacus.rods.bead_center(1))
    pilot.click(composer.payload.abacus, composer.payload.abacus.rods.bead_center(0))
    assert composer.entries.lines["wanted"].text() == "close"
    assert composer.payload.hex.text().startswith("02 00 00")
    pilot.type(composer.payload.hex, "00 00 00 00", enter=True)
    assert composer.entries.lines["wanted"].text() == "nothing"
    pilot.type(composer.payload.hex, "zz", enter=True)
    assert "no pairs of hex digits" in composer.out.said.text()
    pilot.type(composer.entries.lines["wanted"], "sideways", enter=True)
    assert "no value" in composer.out.said.text()


def test_a_flag_is_composed_in_words(pilot, desk):
    composer = desk.composer
    composer.choose("Azimuth command port")
    line, hex_line = composer.entries.lines["enabled"], composer.payload.hex
    assert line.placeholderText() == "no, yes"
    before = hex_line.text().split()
    pilot.type(line, "yes", enter=True)
    assert int(hex_line.text().split()[4], 16) == int(before[4], 16) | 0x80
    pilot.type(hex_line, " ".join(before), enter=True)
    assert line.text() == "no"


def test_an_entry_says_what_it_takes(pilot, desk):
    composer = desk.composer
    for message, field, hint in (
        ("Pack label", "serial head", "a text of 7 bytes"), ("Heading sentence", "sentence", "a text"),
        ("Heading sentence", "heading", "0, or sine 0 to 10 in 5 s"), ("Hook pendant", "button", "release, arm"),
    ):  # fmt: skip
        composer.choose(message)
        assert composer.entries.lines[field].placeholderText() == hint, field


def test_lists_are_composed_and_each_byte_shows_whose_it_is(pilot, desk):
    composer = desk.composer
    composer.choose("Beacon packet")
    lines = composer.entries.lines
    assert {"name", "swell", "extras"} <= set(lines)
    assert not {"height", "heat", "extra length"} & set(lines), "what is in a list is typed with it"
    assert lines["swell"].placeholderText() == '[{"height": 0}]'
    assert lines["extras"].placeholderText() == '[["state", {"heat": 0}]]'
    pilot.type(lines["name"], "Y7", enter=True)
    pilot.type(lines["has swell"], "1", enter=True)
    pilot.type(lines["swell"], '[{"height": 0.5}, {"height": -0.1}]', enter=True)
    pilot.type(lines["extras"], '[["state", {"heat": 20, "lamp": "steady"}]]', enter=True)
    payload = bytes.fromhex(composer.payload.hex.text())
    assert payload[:2] == b"Y7"
    assert payload[18:] == bytes((25, 251, 1, 2, 40, 1)), "two points of 1/50 m, type, length, half degrees, lamp"
    assert payload[16] == 0x82, "the flag, and a count that is worked out"
    owners = composer.payload.abacus._state.owners
    names = [field.name for field in composer._whole.all_fields()]
    assert [names[owners[8 * byte]] for byte in (0, 18, 19, 22)] == ["name", "height", "height", "heat"]
    pilot.type(lines["swell"], "[5", enter=True)
    assert "this is no JSON" in composer.out.said.text()


def test_a_bead_is_turned_by_the_keys(pilot, desk):
    desk.composer.choose("Helm lever")
    desk.composer.payload.abacus.setFocus()
    pilot.key(Qt.Key.Key_Space)
    assert desk.composer.payload.hex.text().startswith("80 00") or desk.composer.payload.hex.text().startswith("00 80")


def test_a_slider_feeds_by_hand_and_reaches_what_goes_out(pilot, live):
    pilot.click(live.score.leaves["thruster"])
    live.composer.choose("Helm lever")
    slider, line = live.composer.entries.sliders["lever port"], live.composer.entries.lines["lever port"]
    pilot.type(line, "20", enter=True)
    stood = slider.value()
    pilot.type(live.composer.out.when, "20 ms", enter=True)
    slider.setFocus()
    pilot.key(Qt.Key.Key_PageUp)
    assert slider.value() == stood + slider.pageStep()
    assert float(line.text()) > 20
    says = f"lever port {line.text()}"
    pilot.wait(lambda: sent(live) and sent(live)[-1].says.startswith(says), "the value of the slider on the bus")
    pilot.type(line, "sine -20 to 60 in 2 s", enter=True)
    assert line.text() == "sine -20 to 60 in 2 s", "the slider follows values, and never takes a feed's place by itself"


def test_a_message_is_sent_and_the_bench_answers(pilot, live):
    pilot.click(live.score.leaves["thruster"])
    assert live.score.leaves["thruster"].text() == "may send"
    live.composer.choose("Hook request")
    pilot.type(live.composer.entries.lines["wanted"], "release", enter=True)
    pilot.click(live.composer.out.once)
    pilot.wait(lambda: sent(live), "the frame in the log")
    assert sent(live)[0].says.startswith("wanted release")
    pilot.wait(lambda: any("result refused" in row.says for row in live.log.rows), "the answer of the hook")
    live.log_line.line.setText("refused")
    assert all("refused" in row.says for row in live.log._shown)


def test_a_message_goes_out_again_and_again_until_one_key_ends_everything(pilot, live):
    pilot.click(live.score.leaves["thruster"])
    live.composer.choose("Helm lever")
    pilot.type(live.composer.entries.lines["lever port"], "sine -20 to 60 in 2 s", enter=True)
    pilot.type(live.composer.out.when, "20 ms", enter=True)
    pilot.wait(
        lambda: live.live.sending.entries and live.live.sending.entries["Helm lever"].kept.sent > 20, "frames going out"
    )
    assert "two senders collide" in live.composer.out.said.text()
    pilot.type(live.composer.entries.lines["lever port"], "50", enter=True)
    pilot.wait(lambda: sent(live) and sent(live)[-1].says.startswith("lever port 50"), "what was typed while it runs")
    live.log.setFocus()
    pilot.key(Qt.Key.Key_Period, Qt.KeyboardModifier.ControlModifier)
    assert not live.live.sending.entries
    assert not live.live.sending.may_send("thruster")
    assert all(leave.text() == "listens" for leave in live.score.leaves.values())


def test_a_message_that_nobody_knows_is_taken_from_the_roster_and_one_byte_of_it_swept(pilot, live):
    composer, entries = live.composer, live.composer.entries
    pilot.pick_kind(0x2E0)
    assert (composer.message.currentText(), composer.out.lane.currentText()) == (BY_HAND, "thruster")
    assert (composer.by_hand.address.text(), list(entries.lines)) == ("0x2E0", ["B0", "B1", "B2", "B3", "B4"])
    heard = pilot.session.store.frame_at(pilot.session.in_hand.kind, None, pilot.session.clock.cursor_ns).payload
    assert bytes.fromhex(composer.payload.hex.text()) == heard
    assert composer.out.said.text() == "Somebody else sends 0x2E0, too; two senders collide."
    pilot.click(live.score.leaves["thruster"])
    pilot.type(entries.lines["B3"], "steps 1, 2 each 0.1 s", enter=True)
    pilot.type(composer.out.when, "20 ms", enter=True)
    entry = live.live.sending.entries["0x2E0 by hand"]
    pilot.wait(lambda: {row.payload.split()[3] for row in sent(live)} == {"01", "02"}, "both values on the bus")
    assert {bytes.fromhex(row.payload)[:3] for row in sent(live)} == {heard[:3]}
    # of a lane that is not connected nothing is taken in hand
    composer.choose("Helm lever")
    pilot.session.in_hand.take_kind(next(
        kind for kind in range(len(pilot.session.capture.kinds.keys))
        if pilot.session.kinds.origin(kind)[0] == "deck" and pilot.session.reading.layout_of(kind) is None
    ))  # fmt: skip
    pilot.settle()
    assert composer.message.currentText() == "Helm lever"
    # something else is composed, and a click on the score brings it back with what feeds it
    composer.choose("Helm lever")
    assert not composer.by_hand.isVisible() and "lever port" in entries.lines
    composer.pick("0x2E0 by hand")
    assert entries.lines["B3"].text() == "steps 1, 2 each 0.1 s"
    pilot.click(composer.out.stop)
    assert not live.live.sending.entries and entry.kept.sent > 5


def test_a_frame_by_hand_is_as_long_as_its_hex_and_of_the_sort_that_is_chosen(pilot, live):
    composer = live.composer
    composer.message.setCurrentText(BY_HAND)
    assert composer.out.said.text().startswith("Type the address of a frame")
    pilot.click(composer.out.once)
    assert sent(live) == []
    pilot.type(composer.by_hand.address, "18FF77zz", enter=True)
    assert "is no address" in composer.out.said.text()
    pilot.type(composer.by_hand.address, "18FF7710", enter=True)
    assert composer.payload.hex.text() == " ".join(["00"] * 8)
    pilot.type(composer.payload.hex, "A1 B2 C3", enter=True)
    assert [line.text() for line in composer.entries.lines.values()] == ["161", "178", "195"]
    # what is no feed is told, and the frame is there again when it is mended
    pilot.type(composer.entries.lines["B0"], "ramp", enter=True)
    pilot.type(composer.by_hand.address, "18FF7711", enter=True)
    assert "ramp" in composer.out.said.text()
    pilot.click(composer.out.once)
    assert sent(live) == []
    pilot.type(composer.entries.lines["B0"], "161", enter=True)
    pilot.type(composer.by_hand.address, "18FF7710", enter=True)
    composer.by_hand.sort.setCurrentText("long")
    composer.by_hand.sort.activated.emit(2)
    pilot.click(live.score.leaves["thruster"])
    pilot.click(composer.out.once)
    pilot.wait(lambda: sent(live), "the frame")
    frame = composer.made().frame(0, 0.0)
    assert (frame.address, frame.payload) == (0x18FF7710, b"\xa1\xb2\xc3")
    assert frame.flags == EXTENDED | LONG
    assert sent(live)[-1].payload == "A1 B2 C3"


def test_what_is_composed_and_its_lane_stay_when_another_endpoint_comes(pilot, live):
    composer = live.composer
    composer.message.setCurrentText(BY_HAND)
    composer.out.lane.setCurrentText("bilge")
    pilot.type(composer.by_hand.address, "0x5A/0x18", enter=True)
    port = free_port(socket.SOCK_DGRAM)
    pilot.type(live.connecting.line, f"more=udp://127.0.0.1:{port}?listen=1", enter=True)
    pilot.wait(lambda: "more" in live.live.lanes, "the lane")
    lanes = [composer.out.lane.itemText(number) for number in range(composer.out.lane.count())]
    assert lanes == ["its own lane", "thruster", "battery", "shore", "bilge", "pendant", "winch", "more"]
    assert (composer.out.lane.currentText(), composer.by_hand.address.text()) == ("bilge", "0x5A/0x18")


def test_an_unknown_device_is_read_without_a_map(pilot, live):
    composer = live.composer
    composer.message.setCurrentText(BY_HAND)
    composer.out.lane.setCurrentText("shore")
    assert composer.by_hand.address.placeholderText() == "1/3/0"
    pilot.type(composer.by_hand.address, "1/4/0", enter=True)
    pilot.type(composer.payload.hex, "00 03", enter=True)
    pilot.click(live.score.leaves["shore"])
    pilot.click(composer.out.once)
    pilot.wait(lambda: any(row.lane == "shore" and not row.is_sent for row in live.log.rows), "the answer of the meter")
    composer.out.lane.setCurrentText("bilge")
    assert composer.by_hand.address.text() == "", "an address of another bus means nothing here"
    pilot.type(composer.by_hand.address, "0x5A/0x18", enter=True)
    pilot.type(composer.payload.hex, "00 00 00", enter=True)
    composer.by_hand.sort.setCurrentText("read")
    composer.by_hand.sort.activated.emit(1)
    pilot.click(live.score.leaves["bilge"])
    pilot.click(composer.out.once)
    pilot.wait(lambda: any(row.payload == "05 0A 0F" for row in live.log.rows), "what the registers hold")


def curve_of(live, field):
    live.score.grab()
    return next(one for one in live.score._curves if one.field == field)


def test_a_curve_of_the_score_is_drawn_otherwise(pilot, live):
    pilot.click(live.score.leaves["thruster"])
    live.composer.choose("Helm lever")
    line = live.composer.entries.lines["lever port"]
    pilot.type(line, "table 0 s 10, 100 s 50", enter=True)
    pilot.type(live.composer.out.when, "20 ms", enter=True)
    entry = live.live.sending.entries["Helm lever"]
    curve = curve_of(live, "lever port")
    # a double-click puts a point on the curve where there was none
    at = QPointF(curve.now_px + 150, curve.row.center().y())
    QTest.mouseDClick(live.score, Qt.MouseButton.LeftButton, pos=at.toPoint())
    latest_s = time.monotonic() - entry.begin_s + 150 * curve.seconds_px
    pilot.settle()
    first, middle, last = going.corners(entry.message.feeds["lever port"])
    assert (first.time_s, first.value, last.time_s, last.value) == (0.0, 10.0, 100.0, 50.0)
    assert curve.since_s + 150 * curve.seconds_px - 0.05 <= middle.time_s <= latest_s + 0.05
    assert middle.value == pytest.approx(10 + 0.4 * middle.time_s, abs=0.1)
    # its corner is taken upwards and to the right; the curve runs on meanwhile, so a slow hand reaches for it again
    for _ in range(6):
        corner = curve_of(live, "lever port").places()[1]
        pilot.drag(live.score, corner, corner + QPointF(40, -30))
        moved = going.corners(entry.message.feeds["lever port"])[1]
        if moved != middle:
            break
    assert moved.value > middle.value and moved.time_s > middle.time_s
    assert line.text() == entry.message.feeds["lever port"].words, "the entry says the same in words"
    pilot.wait(lambda: any("lever port" in row.says for row in sent(live)), "frames with it")
    # and a right click takes it out again
    corner = curve_of(live, "lever port").places()[1]
    QTest.mouseClick(live.score, Qt.MouseButton.RightButton, pos=corner.toPoint())
    pilot.settle()
    assert line.text() == "table 0 s 10, 100 s 50"


def test_a_constant_is_pulled_up_and_shift_does_it_finely(pilot, live):
    pilot.click(live.score.leaves["thruster"])
    live.composer.choose("Helm lever")
    line = live.composer.entries.lines["lever port"]
    pilot.type(line, "20", enter=True)
    pilot.type(live.composer.out.when, "20 ms", enter=True)
    middle = curve_of(live, "lever port").row.center()
    pilot.drag(live.score, middle, middle - QPointF(0, 40))
    assert float(line.text()) == pytest.approx(25, abs=0.2), "a quarter of what it is, for a quarter of the way"
    pilot.drag(live.score, middle, middle - QPointF(0, 40), Qt.KeyboardModifier.ShiftModifier)
    assert float(line.text()) == pytest.approx(25.6, abs=0.2)
    # what has no corners is left alone
    pilot.type(line, "heard `Hook state`.pull else 1", enter=True)
    before = line.text()
    pilot.drag(live.score, middle, middle - QPointF(0, 40))
    assert line.text() == before


def test_what_is_heard_is_passed_on_and_answered(pilot, live):
    pilot.click(live.score.leaves["thruster"])
    live.composer.choose("Helm lever")
    pilot.type(live.composer.entries.lines["lever port"], "heard `Hook state`.pull", enter=True)
    pilot.type(live.composer.out.when, "in answer to `Hook state`.pull > 0 kN", enter=True)
    entry = live.live.sending.entries["Helm lever"]
    pilot.wait(lambda: entry.kept.sent > 3, "answers")
    pilot.wait(lambda: len(sent(live)) > 3, "them in the list")
    said = [row.says for row in live.log.rows if row.message in ("Hook state", "Helm lever")]
    assert any(words.startswith("lever port ") and not words.startswith("lever port 0 %") for words in said)
    live.composer.out.fault.setCurrentText("too short")
    pilot.wait(lambda: len(sent(live)[-1].payload.split()) == 6, "a frame that is too short")
    assert "7 are meant" in live.composer.out.said.text()


def test_a_burst_is_over_by_itself(pilot, live):
    pilot.click(live.score.leaves["thruster"])
    live.composer.choose("Helm lever")
    pilot.type(live.composer.out.when, "3 times every 10 ms", enter=True)
    pilot.wait(lambda: len(sent(live)) == 3, "the burst")
    assert live.live.sending.entries["Helm lever"].is_over
    assert live.composer.out.stop.isVisible() and not live.composer.out.again.isVisible()
    pilot.click(live.composer.out.stop)
    assert live.composer.out.again.isVisible()


def test_a_rehearsal_passes_and_each_step_says_by_which_frame(pilot, live, tmp_path):
    pilot.click(live.score.leaves["thruster"])
    live.rehearsals.choice.setCurrentText(HOOK)
    pilot.click(live.rehearsals.run_button)
    pilot.wait(lambda: live.rehearsing.outcome and not live.rehearsing.is_running, "the end of the rehearsal")
    pilot.settle()
    assert live.rehearsals.outcome.text().startswith("Passed in ")
    assert {row.state for row in live.rehearsals.steps} == {"passed"}
    assert any("0x3B1" in row.why for row in live.rehearsals.steps)
    live.rehearsals.write_report(tmp_path / "r.xml")
    assert ElementTree.parse(tmp_path / "r.xml").getroot().get("failures") == "0"


def test_a_rehearsal_on_lanes_that_only_listen_fails_and_says_so(pilot, live):
    live.rehearsals.choice.setCurrentText(HOOK)
    pilot.click(live.rehearsals.run_button)
    pilot.wait(lambda: live.rehearsing.outcome and not live.rehearsing.is_running, "the end of the rehearsal")
    pilot.settle()
    assert live.rehearsals.outcome.text().startswith("Failed at step 3.1.1")
    assert any("it only listens" in row.why for row in live.rehearsals.steps)


def test_a_rehearsal_of_a_file_is_kept_and_asks_the_person(pilot, live, tmp_path):
    path = tmp_path / "ask.json"
    path.write_bytes(rehearsal_to_json(Rehearsal(name="Ask me", steps=(Ask(text="Is it dark?"), Note(text="asked")))))
    live.rehearsals.bring_in(path)
    pilot.settle()
    assert live.rehearsals.choice.findText("Ask me") >= 0
    live.rehearsals.choice.setCurrentText("Ask me")
    pilot.click(live.rehearsals.run_button)
    boxes = lambda: [w for w in make_application().topLevelWidgets() if isinstance(w, QMessageBox) and w.isVisible()]  # noqa: E731
    pilot.wait(boxes, "the question")
    assert boxes()[0].text() == "Is it dark?"
    boxes()[0].button(QMessageBox.StandardButton.Yes).click()
    pilot.wait(lambda: not live.rehearsing.is_running, "the end of the rehearsal")
    assert live.rehearsing.outcome.is_passed


def test_what_comes_is_recorded_into_the_trial(pilot, live):
    before = len(pilot.session.capture)
    sources = len(pilot.session.trial.file.sources)
    pilot.click(live.connecting.record)
    assert live.connecting.record.text() == "Stop recording"
    heard = live.live.lanes["thruster"].heard
    pilot.wait(lambda: live.live.lanes["thruster"].heard > heard + 200, "frames to record")
    pilot.click(live.connecting.record)
    pilot.wait(lambda: len(pilot.session.capture) > before + 200, "the recording in the trial")
    assert len(pilot.session.trial.file.sources) > sources
    lanes = {lane.name for lane in pilot.session.capture.lanes}
    assert "thruster" in lanes


@pytest.mark.parametrize("form", ["csv", "jsonl", "parquet"])
def test_the_log_is_written_with_everything_that_was_heard_and_where_from(pilot, live, tmp_path, form):
    path = tmp_path / f"log.{form}"
    live.log_line.write_to(path)
    pilot.wait(lambda: path.with_name(f"{path.name}.origin.json").exists(), "the log and its origin")
    rows = rows_of(path)
    assert len(rows) > 50
    assert {"thruster", "battery"} <= {row["lane"] for row in rows}
    times = [int(row["time_ns"]) for row in rows]
    assert times == sorted(times)
    assert {len(row["payload"]) for row in rows} == {2 * int(row["size"]) for row in rows}
    origin = json.loads(path.with_name(f"{path.name}.origin.json").read_text())
    assert origin["sources"] == ["bench:yuzu"]


def test_a_full_folder_for_the_list_is_told_once_and_does_not_end_the_recording(pilot, live, monkeypatch):
    told = []
    live.live.told.connect(lambda _tone, words: told.append(words))
    pilot.click(live.connecting.record)
    assert live.live.writing.is_recording

    def full(_table, _lanes):
        raise FileError("no room is left", where="log.csv")

    monkeypatch.setattr(live.live.writing._log, "append", full)
    heard = live.live.lanes["thruster"].heard
    pilot.wait(lambda: live.live.lanes["thruster"].heard > heard + 200, "frames after the disk is full")
    pilot.wait(lambda: any("The list on disk" in words for words in told), "that it is told")
    assert live.live.writing.is_recording
    assert [words for words in told if "no room is left" in words] == [next(w for w in told if "The list on disk" in w)]


def test_a_recording_that_ends_on_a_full_disk_joins_the_trial_with_what_it_has(pilot, live, monkeypatch):
    before, frames = len(pilot.session.trial.file.sources), len(pilot.session.capture)
    pilot.click(live.connecting.record)
    heard = live.live.lanes["thruster"].heard
    pilot.wait(lambda: live.live.lanes["thruster"].heard > heard + 200, "frames to record")

    def full(_table, _lanes):
        raise FileError("no room is left", where="trial")

    monkeypatch.setattr(live.live.writing._files, "append", full)
    pilot.wait(lambda: len(pilot.session.trial.file.sources) > before, "the recording in the trial")
    assert not live.live.writing.is_recording
    assert live.connecting.record.text() == "Record"
    assert not live.connecting.record.isChecked()
    pilot.wait(lambda: len(pilot.session.capture) > frames + 100, "its frames in the capture")


def rows_of(path):
    if path.suffix == ".parquet":
        return pq.read_table(path).to_pylist()
    with path.open() as file:
        return list(csv.DictReader(file)) if path.suffix == ".csv" else [json.loads(line) for line in file]


def test_the_log_lists_frames_where_a_condition_holds(pilot, live):
    line = live.log_line
    line.by.setCurrentText("where")
    pilot.type(line.line, 'lane == "battery"', enter=True)
    pilot.wait(lambda: live.log.count() > 5, "frames of the battery")
    assert {row.lane for row in live.log._shown} == {"battery"}
    assert {"thruster", "battery"} <= {row.lane for row in live.log.rows}, "the others are there all the same"
    line.line.setText("lane ==")
    pilot.key(Qt.Key.Key_Return)
    assert "the condition ends too early" in pilot.window.foot.told.text()
    assert {row.lane for row in live.log._shown} == {"battery"}, "what makes no sense changes nothing"
    line.line.clear()
    assert live.live.hearing.asked == ""
    assert live.log.count() == len(live.log.rows)


def test_a_condition_may_say_fields_of_layouts(pilot, live):
    line = live.log_line
    line.by.setCurrentText("where")
    pilot.type(line.line, "`Azimuth feedback port`.angle < 1000 deg", enter=True)
    pilot.wait(lambda: live.log.count() > 3, f"frames of the thruster; told {pilot.window.foot.told.text()}")
    assert {row.message for row in live.log._shown} == {"Azimuth feedback port"}
    pilot.click(live.connecting.let_go)
    assert line.line.text() == ""
    assert live.live.hearing.asked == ""


def test_holding_still_loses_nothing(pilot, live):
    live.log.setFocus()
    pilot.key("Y")
    assert live.log_line.hold.text() == "Go on"
    stands, heard = list(live.log.rows), live.live.lanes["thruster"].heard
    pilot.wait(lambda: live.live.lanes["thruster"].heard > heard + 50, "frames that come meanwhile")
    assert list(live.log.rows) == stands
    pilot.key("Y")
    # of each table some frames are put into words, of fifty in one at least two dozen
    assert len(live.log.rows) >= len(stands) + 24
    times = [row.time_ns for row in live.log.rows]
    assert times == sorted(times), "what came meanwhile stands where it belongs"


def test_the_mirror_of_a_receiver_sends_what_is_read(pilot, desk):
    desk.side.show_page(1)
    desk.composer.choose("Azimuth command port")
    assert not desk.trips.make_mirror.isEnabled(), "a layout reads itself"
    desk.trips.receiver.setCurrentText("Azimuth command starboard")
    changes = len(pilot.session.edits.layouts())
    pilot.click(desk.trips.make_mirror)
    sender, receiver = (
        next(one for one in pilot.session.edits.layouts() if one.name == f"Azimuth command {side}")
        for side in ("port", "starboard")
    )
    assert len(pilot.session.edits.layouts()) == changes
    assert [field.places for field in sender.fields] == [field.places for field in receiver.fields]
    assert not {field.id for field in sender.fields} & {field.id for field in receiver.fields}


def test_an_endpoint_that_makes_no_sense_or_is_not_there_is_told(pilot, desk):
    pilot.type(desk.connecting.line, "teapot:1", enter=True)
    pilot.wait(lambda: "there is no endpoint" in pilot.window.foot.told.text(), "the sentence")
    pilot.type(desk.connecting.line, "can:nowhere", enter=True)
    pilot.wait(lambda: "CAN" in pilot.window.foot.told.text(), "the sentence")
    assert not desk.live.is_live


def test_the_tug_is_one_click_away(pilot, desk):
    pilot.click(desk.connecting.bench)
    pilot.wait(lambda: desk.live.lanes and desk.live.lanes["battery"].heard > 5, "frames of the bench")
    assert desk.connecting.bench.isHidden()


def test_letting_go_ends_the_threads_and_another_connection_listens_anew(pilot, live):
    pilot.click(live.score.leaves["thruster"])
    pilot.click(live.connecting.let_go)
    assert not live.live.is_live
    pilot.type(live.connecting.line, "bench:yuzu", enter=True)
    pilot.wait(lambda: live.live.lanes and live.live.lanes["thruster"].heard > 20, "frames of the bench")
    assert not live.live.sending.may_send("thruster")


def test_the_round_trip_of_the_message_in_hand(pilot, desk):
    desk.side.show_page(1)
    desk.composer.choose("Azimuth command port")
    pilot.wait(lambda: desk.trips.trips, "the round trip")
    trips = {trip.name: trip for trip in desk.trips.trips}
    assert {"angle set", "thrust set"} <= set(trips)
    assert float(trips["angle set"].loss) == pytest.approx(0.0245, abs=0.001)
    desk.trips.receiver.setCurrentText("Azimuth feedback port")
    pilot.settle()
    assert any("has no field angle set" in sentence for trip in desk.trips.trips for sentence in trip.words)


def test_a_log_follows_its_end_and_forgets_the_oldest(no_faults):
    make_application()
    log = Log()
    log.resize(600, 222)
    rows = [LogRow(n, "bus", "0x1", "M", f"value {n}", n % 2 == 0, "") for n in range(6000)]
    log.add(rows)
    assert log.count() == 5000
    assert log.first() + log.slots() == log.count()
    log.go(-100)
    top = log.first()
    log.add(rows[:1])
    assert log.first() == top, "who looks back is left there"
    log.list_only("value 5999")
    assert [row.says for row in log._shown] == ["value 5999"]
    log.deleteLater()


def test_a_rehearsal_is_written_as_a_list_of_sentences_and_kept(pilot, live):
    page = live.rehearsals
    pilot.click(page.new)
    pilot.type(page.name, "Lamp test", enter=True)
    for title in ("Send", "Expect"):
        page.tools._add(fresh_step(next(kind for kind in STEP_KINDS if kind.title == title)))
    page.pick((0,))
    pilot.type(page.editor.lines["message"], "Hook request", enter=True)
    pilot.type(page.editor.lines["values"], "wanted = close", enter=True)
    pilot.type(page.editor.lines["lane"], "thruster", enter=True)
    assert page.steps[0]._words.text() == "1  send Hook request with wanted close on thruster"
    pilot.type(page.editor.lines["values"], "wanted close", enter=True)
    assert "no equals sign" in page.editor.said.text()
    pilot.type(page.editor.lines["values"], "wanted = close", enter=True)
    page.pick((1,))
    pilot.type(page.editor.lines["condition"], '`Hook state`.result == "closed again"', enter=True)
    pilot.click(page.tools.up)
    assert [row._words.text()[:8] for row in page.steps] == ["1  expec", "2  send "]
    pilot.click(page.tools.down)
    # by keys: rows are one stop, Ctrl moves the step instead of the keys
    page.steps[0].setFocus()
    pilot.key(Qt.Key.Key_Down)
    assert page.steps[1].hasFocus()
    pilot.key(Qt.Key.Key_Up, Qt.KeyboardModifier.ControlModifier)
    assert [row._words.text()[:8] for row in page.steps] == ["1  expec", "2  send "]
    assert page.steps[0].hasFocus()
    pilot.key(Qt.Key.Key_Down, Qt.KeyboardModifier.ControlModifier)
    assert [row._words.text()[:8] for row in page.steps] == ["1  send ", "2  expec"]
    pilot.click(page.keep)
    pilot.wait(lambda: page.choice.findText("Lamp test") >= 0, "the rehearsal in the library")
    assert page.choice.currentText() == "Lamp test"
    assert not page.keep.isEnabled()
    pilot.click(live.score.leaves["thruster"])
    pilot.click(page.run_button)
    pilot.wait(lambda: live.rehearsing.outcome and not live.rehearsing.is_running, "the end of the rehearsal")
    assert live.rehearsing.outcome.is_passed
    page.choice.setCurrentText(HOOK)
    page.choice.setCurrentText("Lamp test")
    page.pick((1,))
    pilot.click(page.tools.remove)
    assert len(page.steps) == 1


def test_a_device_is_played_and_polled_in_one_window(pilot, desk):
    port = free_port()
    page = desk.devices
    desk.side.show_page(2)
    page.map.setCurrentText("Shore meter")
    page.values["voltage 1"][0].setText("231.5")
    pilot.type(page.place, f"modbus://127.0.0.1:{port}/1")
    pilot.click(page.serve)
    assert desk.registers.serves_at == f"127.0.0.1:{port}"
    pilot.type(desk.connecting.line, f"shore=modbus://127.0.0.1:{port}/1", enter=True)
    pilot.wait(lambda: "shore" in desk.live.lanes, "the lane")
    page.lane.setCurrentText("shore")
    pilot.type(page.every, "100 ms")
    pilot.click(page.poll)
    assert "only listens" in pilot.window.foot.told.text()
    pilot.click(desk.score.leaves["shore"])
    pilot.click(page.poll)
    pilot.wait(lambda: page.values["voltage 1"][1].text() == "231.5", "the value that was read")
    assert page.values["voltage 2"][1].text() == "0 (outside limits)"
    pilot.wait(lambda: "read 6 from 0" in page.log.text(), "the access in the table")
    pilot.wait(lambda: any(row.message == "Shore meter" for row in desk.log.rows), "the answer in the log")
    pilot.click(page.poll)
    pilot.click(page.around)
    pilot.wait(pilot.session.jobs.is_idle, "the end of looking around")
    assert page.log.text().startswith("Unit 1 has input registers 0..5, 0 moved.\n")
    pilot.click(page.serve)
    assert not desk.registers.is_polling
    assert desk.registers.serves_at == ""


def test_a_device_of_byte_registers_is_played_on_the_bench(pilot, desk):
    page = desk.devices
    desk.side.show_page(2)
    page.map.setCurrentText("Bilge sensor")
    assert not page.poll.isEnabled()
    assert page.said.text() == "Registers of a byte are played on the simulated bench: connect bench:yuzu first."
    pilot.click(page.serve)
    assert "no device of byte registers can be played there" in pilot.window.foot.told.text()
    pilot.type(desk.connecting.line, "bench:yuzu", enter=True)
    pilot.wait(lambda: "bilge" in desk.live.lanes, "the lanes")
    page.map.setCurrentText("Shore meter")
    assert page.poll.isEnabled() and page.place.placeholderText().startswith("modbus://")
    page.map.setCurrentText("Bilge sensor")
    assert page.place.placeholderText() == "bilge"
    page.values["level"][0].setText("700")
    pilot.click(page.serve)
    assert desk.registers.serves_at == "bilge, device 0x5A"
    pilot.wait(lambda: "read 4 from 16" in page.log.text(), "the access in the table")
    pilot.wait(lambda: any("level 700 mm" in row.says for row in desk.log.rows), "the value on the bus")
    pilot.key(Qt.Key.Key_Period, Qt.KeyboardModifier.ControlModifier)
    assert desk.registers.serves_at == ""


def test_what_is_replayed_can_be_chosen_and_changed(pilot, desk):
    port = free_port(socket.SOCK_DGRAM)
    desk.side.show_page(3)
    replays = desk.replays
    with socket.socket(type=socket.SOCK_DGRAM) as wire:
        wire.bind(("127.0.0.1", port))
        wire.settimeout(10)
        pilot.type(desk.connecting.line, f"thruster=udp://127.0.0.1:{port}", enter=True)
        pilot.wait(lambda: "thruster" in desk.live.lanes, "the lane")
        pilot.click(desk.score.leaves["thruster"])
        pilot.type(replays.where, 'message == "Rudder"')
        pilot.click(replays.start)
        assert "Rudder" in pilot.window.foot.told.text()
        pilot.type(replays.where, 'message == "Helm lever"')
        pilot.type(replays.change, "Helm lever.yaw = 3")
        pilot.click(replays.start)
        assert "no field 'yaw'" in pilot.window.foot.told.text()
        pilot.type(replays.change, "Helm lever.lever port = 20; Helm lever.lever starboard = `lever port` * 2")
        pilot.type(replays.speed, "100")
        pilot.click(replays.start)
        payloads = [wire.recv(100) for _ in range(5)]
        pilot.click(replays.start)
    assert {payload[:4] for payload in payloads} == {bytes.fromhex("00C80190")}


def test_what_is_recorded_goes_out_again_on_lanes_of_the_same_names(pilot, desk):
    port = free_port(socket.SOCK_DGRAM)
    desk.side.show_page(3)
    pilot.click(desk.replays.start)
    assert "connected under its own name" in pilot.window.foot.told.text()
    with socket.socket(type=socket.SOCK_DGRAM) as wire:
        wire.bind(("127.0.0.1", port))
        wire.settimeout(5)
        pilot.type(desk.connecting.line, f"deck=udp://127.0.0.1:{port}", enter=True)
        pilot.wait(lambda: "deck" in desk.live.lanes, "the lane")
        pilot.click(desk.score.leaves["deck"])
        desk.replays.stretch.setCurrentText("the whole capture")
        pilot.type(desk.replays.speed, "fast")
        pilot.click(desk.replays.start)
        assert "a number above 0" in desk.replays.said.text()
        pilot.type(desk.replays.speed, "100")
        pilot.click(desk.replays.start)
        assert wire.recv(1000) is not None
        assert desk.replays._replaying.is_running or sent(desk)
        pilot.key(Qt.Key.Key_Period, Qt.KeyboardModifier.ControlModifier)
        pilot.wait(lambda: not desk.replays._replaying.is_running, "the end of the replay")


def test_an_edit_elsewhere_does_not_wait_for_this_desk(pilot, monkeypatch):
    """What is offered here is put together when the desk is shown, with the layouts of then."""
    desk, offered = pilot.window.rehearse, []
    monkeypatch.setattr(desk.composer, "offer", lambda layouts: offered.append({one.note for one in layouts}))
    layout = pilot.session.edits.layouts()[0]
    assert pilot.session.edits.change(msgspec.structs.replace(layout, note="said elsewhere"))
    pilot.settle()
    assert not desk.isVisible() and offered == []
    pilot.window.show_desk("Rehearse")
    assert len(offered) == 1 and "said elsewhere" in offered[0]


def test_a_message_has_its_own_lane_to_go_out_on_before_anything_is_connected(pilot):
    pilot.key("5")
    lane = pilot.window.rehearse.composer.out.lane
    assert [lane.itemText(number) for number in range(lane.count())] == ["its own lane"]
    assert lane.currentText() == "its own lane" and pilot.window.rehearse.composer.out.wanted_lane() == ""


@pytest.mark.parametrize(
    ("meant", "arrives", "words"),
    [
        ("-21474836.4751", "-21474836.48", ("−21\u2009474\u2009836.4751", "−21\u2009474\u2009836.4800", "0.0049")),
        ("12.5", "12.5", ("12.5", "12.5", "0")), ("1284161", "1284161", ("1\u2009284\u2009161",) * 2 + ("0",)),
        ("0.049", "0", ("0.049", "0.000", "0.049")), ("300", "255", ("300", "255", "45")),
        ("300", None, ("300", "nothing", "nothing")),
    ],
)  # fmt: skip
def test_a_round_trip_shows_what_is_lost_on_the_way(meant, arrives, words):
    reached = None if arrives is None else Fraction(arrives)
    lost = None if reached is None else abs(Fraction(meant) - reached)
    trip = FieldTrip("north", "m", Fraction(meant), reached, lost, 0.0, (), ())
    assert figures_of(trip) == words
