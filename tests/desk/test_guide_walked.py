"""The guide is walked: its sentences one after the other, done by mouse and keys, with what they say comes of it.

A step is a sentence of the guide; where the guide says it otherwise, or earlier than the one before it, the walk ends.
"""

from __future__ import annotations

import re
from itertools import pairwise
from pathlib import Path

import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QLabel, QPushButton

from tests.desk.conftest import WANT
from tests.desk.pilot import Pilot
from tests.steady import keeps_time
from zesty_abacus.desk.app.findings import Findings
from zesty_abacus.desk.desks.handover.desk import CODE
from zesty_abacus.desk.desks.intake.sources import SourceCard
from zesty_abacus.desk.launch import make_window

GUIDE = re.sub(r"\s+", " ", (Path(__file__).parents[2] / "docs" / "guide.md").read_text())
CONTROL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


class Walk:
    """A walk through one chapter."""

    def __init__(self, chapter: str) -> None:
        self._place = GUIDE.index(f"## {chapter}")

    def reads(self, *sentences: str) -> None:
        """Go on to these; fail if the guide does not say them from here on."""
        for sentence in sentences:
            place = GUIDE.find(sentence, self._place)
            assert place >= 0, f"the guide does not say, or not here: {sentence}"
            self._place = place + len(sentence)


def click_source(pilot, name):
    cards = pilot.window.intake.left.findChildren(SourceCard)
    pilot.click(next(card for card in cards if card.accessibleName().startswith(name)))


def words_of(widget):
    return " ".join(one.text() for one in widget.findChildren(QLabel) if one.isVisible())


def button_of(widget, text):
    return next(one for one in widget.findChildren(QPushButton) if one.text() == text and one.isVisible())


def test_see_in_the_wave_why_a_byte_is_what_it_is(pilot):
    walk, window = Walk("1. See the trial"), pilot.window
    walk.reads("Nine lanes of the tug are here.", "Two recordings wait for you.")
    assert len(pilot.session.capture.lanes) == 9
    assert sum(outcome.needs_recipe for outcome in pilot.session.outcomes) == 2
    walk.reads("Key `1`.", "Choose `bilge-scl-sda.csv.gz` at the left: two analog channels")
    pilot.key("1")
    click_source(pilot, "bilge-scl-sda.csv.gz")
    bench, waves = window.intake.bench, window.intake.waves
    assert "2 analog channels" in words_of(window.intake) and waves.isVisible()
    walk.reads("`E` goes to the next fault: a register pointer that nobody acknowledged.")
    pilot.session.clock.set_cursor(pilot.session.clock.first_ns)
    pilot.key("E")
    assert window.intake.came_out.words(bench.frames.current()).problem == "not acknowledged"
    walk.reads("Drag the dashed line of the clock up beyond the wave.", "frames and bytes with a minus beside them.")
    before = bench.outcome.counts()
    line, box = waves.place.y_of("ch1", 1.62), waves.place.boxes()["ch1"]
    pilot.drag(waves, QPointF(box.center().x(), line), QPointF(box.center().x(), box.top() - 4))
    assert bench.outcome.counts() != before and "−" in words_of(window.intake.side)
    walk.reads("`Ctrl Z` brings it back.")
    pilot.key(Qt.Key.Key_Z, CONTROL)
    assert bench.outcome.counts() == before


def test_work_out_a_lane_nobody_has_a_recipe_for(pilot):
    walk, window = Walk("1. See the trial"), pilot.window
    walk.reads("Choose `sounder.wav`.", "*three levels*", "*pulses of one, two and three times 166.6 µs*")
    pilot.key("1")
    click_source(pilot, "sounder.wav")
    pilot.wait(lambda: window.intake.bench.outcome is not None, "what the program makes of it")
    pilot.settle()
    said = words_of(window.intake.recipe)
    assert "three levels" in said and re.search(r"one, two and three times 166\.[56] µs", said)
    walk.reads("with a number that counts in the second one.")
    frames = window.intake.bench.outcome.result.frames
    seconds = [frames.payload_of(row)[1] for row in range(20)]
    assert {(later - earlier) % 256 for earlier, later in pairwise(seconds)} == {1}
    walk.reads("*Use these frames* makes them a lane of the capture")
    pilot.click(button_of(window.intake.recipe, "Use these frames"))
    pilot.wait(lambda: "sounder" in {lane.name for lane in pilot.session.capture.lanes}, "the lane")


def ask(pilot, line, text):
    asking = pilot.session.asking
    pilot.type(line.line, text)
    pilot.wait(lambda: asking.text == text and asking.hits is not None, "what it finds")
    pilot.settle()


def test_read_known_messages_and_ask(pilot):
    walk, read = Walk("2. Read known messages"), pilot.window.read
    walk.reads("Key `2`.", "Click one to see it over time, click it again to take it off")
    pilot.key("2")
    values, shown = read.side.readout.values, pilot.session.traces.shown
    values.refresh()
    number = next(n for n, row in enumerate(values.rows()) if row.title == "thrust set")
    before = list(shown)
    pilot.click(values, values.row_center(number))
    assert len(pilot.session.traces.shown) == len(before) + 1
    pilot.click(values, values.row_center(number))
    assert list(pilot.session.traces.shown) == before
    walk.reads("*this kind* lists only the message in hand")
    pilot.pick_kind(0x310)
    pilot.click(read.this_kind)
    assert read.frames.count() == len(pilot.session.capture.kinds.rows(pilot.session.in_hand.kind))
    walk.reads("`Q` puts the cursor into the line *Ask*.")
    pilot.window.setFocus()
    pilot.key("Q")
    line = read.condition
    assert line.line.hasFocus()
    asked = GUIDE[GUIDE.index("``` lane ==") + 4 :].split(" changes(mode)")[0]
    broken = '`water heat` > 12.1 °C then flag("not acknowledged") within 2 s'
    for text, hits in ((asked, 28), ("changes(mode)", 12), (broken, 2)):
        walk.reads(text)
        ask(pilot, line, text)
        assert len(pilot.session.asking.hits) == hits
    walk.reads("Below it stands what that means, how often it holds and when for the first time")
    assert "2 hits" in line.said.text()
    walk.reads("*Enter* goes to the next hit; *Space* and *Shift Space* go through all of them on every desk.")
    ask(pilot, line, "changes(mode)")
    pilot.window.setFocus()
    times, clock = pilot.session.asking.hits.time_ns, pilot.session.clock
    clock.set_cursor(clock.first_ns)
    for place, modifiers in ((0, None), (1, None), (0, SHIFT)):
        pilot.key(Qt.Key.Key_Space, modifiers or Qt.KeyboardModifier.NoModifier)
        assert clock.cursor_ns == times[place]


def test_find_a_message_select_its_bits_keep_it_and_open_it_again(pilot, found_demo, monkeypatch):
    monkeypatch.setattr(Findings, "want", WANT)
    pilot.wait(lambda: pilot.session.overlays.references, "the references, which findings are looked for with")
    session, unravel = pilot.session, pilot.window.unravel
    walk = Walk("3. Find a message nobody named")
    walk.reads("Key `3`, then click `0x2C1` in the roster.")
    pilot.key("3")
    pilot.pick_kind(0x2C1)
    pilot.wait(lambda: session.findings.everything() and not session.findings.is_looking, "the findings")
    walk.reads("a counter in B6, a CRC in B7, a speed that follows the `gnss.csv`")
    found = {(one.kind, one.places[:2]) for one in session.findings.of(session.in_hand.kind)}
    assert {("counter", "B6"), ("check", "B7"), ("reference", "B2")} <= found
    walk.reads("Drag from the leftmost bead of B2 to the rightmost of B3.")
    pilot.drag_beads(23, 24)
    assert session.in_hand.bits == frozenset(range(16, 32))
    walk.reads("*Signed, high byte first* comes first")
    assert unravel.reckoner.readings[0].reading.words == "signed, high byte first"
    panel = unravel.side.selection
    walk.reads(
        "type the message's name (`Motion`), the field's name (`water speed`)", "a step (`0.01`) and a unit (`kn`)."
    )
    pilot.type(panel.message, "Motion")
    pilot.type(panel.field, "water speed")
    pilot.type(panel.step, "0.01")
    walk.reads("The value at the cursor follows while you type.", "Press Enter.", "The reason is filled in for you")
    before = session.reading.counts.explained_of_all().claimed
    pilot.type(panel.unit, "kn", enter=True)
    layout = session.reading.layout_of(session.in_hand.kind)
    assert layout.field_named("water speed").unit == "kn"
    assert session.library.layouts.history(layout.id)[0].reason.startswith("water speed found at B2 B3")
    walk.reads("the roster and the strip show the new share")
    assert session.reading.counts.explained_of_all().claimed == pytest.approx(before + 16)

    walk.reads("Key `4`.", "Click a card to open it")
    pilot.window.setFocus()
    pilot.key("4")
    column = pilot.window.layouts.plan.column
    card = next(iter(column.cards.values()))
    pilot.click(card, QPointF(40, 12))
    walk.reads("*Turn order* (`O`) turns its bytes round.")
    pilot.window.setFocus()
    pilot.key("O")
    turned = session.reading.layout_of(session.in_hand.kind).field_named("water speed")
    assert str(turned.places) == "B3 B2"
    walk.reads("`Ctrl Z` and `Ctrl Shift Z` take back and do again")
    pilot.key(Qt.Key.Key_Z, CONTROL)
    assert str(session.reading.layout_of(session.in_hand.kind).field_named("water speed").places) == "B2 B3"

    walk = Walk("8. Close, open again, hand over")
    walk.reads("Close the window and open it again: the field is there, and its history says who, when and why.")
    pilot.window.close()
    window = make_window(demo=True)
    window.show()
    again = Pilot(window)
    again.wait_open()
    layout = again.session.reading.layout_of(again.kind(0x2C1))
    assert layout.field_named("water speed") is not None
    again.session.in_hand.take_kind(again.kind(0x2C1))
    again.key("4")
    again.wait(lambda: window.layouts.side.changes, "the history")
    assert "water speed" in window.layouts.side.changes[-1].revision.reason
    window.close()


@keeps_time
def test_rehearse_it(pilot):
    walk, desk = Walk("7. Rehearse it"), pilot.window.rehearse
    walk.reads("Press `5`", "press `E` and type `bench:yuzu`", "Every lane *listens*.")
    pilot.key("5")
    pilot.key("E")
    assert desk.connecting.line.hasFocus()
    pilot.type(desk.connecting.line, "bench:yuzu", enter=True)
    pilot.wait(lambda: desk.live.lanes and desk.live.lanes["thruster"].heard > 50, "what she sends")
    assert {leave.text() for leave in desk.score.leaves.values()} == {"listens"}
    walk.reads("Choose *Hook request*, type `release` behind *wanted*.", "click a bead, and the value follows.")
    composer = desk.composer
    composer.message.setCurrentText("Hook request")
    pilot.type(composer.entries.lines["wanted"], "release", enter=True)
    assert composer.payload.hex.text().startswith("01")
    abacus = composer.payload.abacus
    for bit in (1, 0, 1, 0):
        pilot.click(abacus, abacus.rods.bead_center(bit))
        assert (
            composer.entries.lines["wanted"].text()
            == {0: "nothing", 1: "release", 2: "close", 3: "3"}[int(composer.payload.hex.text()[:2], 16)]
        )
    walk.reads(
        "Press *Send once*: it only listens.",
        "Click *listens* beside *thruster* so that it *may send*, and press it again.",
    )
    pilot.click(composer.out.once)
    assert "it only listens" in pilot.window.foot.told.text()
    pilot.click(desk.score.leaves["thruster"])
    assert desk.score.leaves["thruster"].text() == "may send"
    pilot.click(composer.out.once)
    walk.reads("*Hook state* comes back: refused, since there is load on the hook.")
    pilot.wait(
        lambda: any(row.message == "Hook state" and "refused" in row.says for row in desk.log.rows), "the hook's answer"
    )
    walk.reads(
        "Choose *Helm lever*, type `sine -20 to 60 in 6 s` behind *lever port*, `20 ms` as the period, and press Return"
    )
    composer.message.setCurrentText("Helm lever")
    pilot.type(composer.entries.lines["lever port"], "sine -20 to 60 in 6 s", enter=True)
    pilot.type(composer.out.when, "20 ms", enter=True)
    pilot.wait(lambda: "Helm lever" in desk.live.sending.entries, "the score")
    walk.reads("The composer says that somebody else sends this identifier, too.")
    pilot.wait(lambda: "sends 0x310, too" in composer.out.said.text(), "the warning")
    walk.reads("At the right choose *Hook holds under load* and press *Run*.")
    desk.rehearsals.choice.setCurrentText("Hook holds under load")
    pilot.click(desk.rehearsals.run_button)
    pilot.wait(lambda: desk.rehearsing.outcome and not desk.rehearsing.is_running, "the end of the rehearsal")
    walk.reads("Each step says how it came out, and by which frame.")
    assert desk.rehearsing.outcome.is_passed and any("0x3B1" in row.why for row in desk.rehearsals.steps)
    walk.reads("`Ctrl .` ends everything that goes out.")
    pilot.window.setFocus()
    pilot.key(".", CONTROL)
    assert desk.live.sending.entries == {}


def test_hand_over(pilot, tmp_path):
    walk, desk = Walk("8. Close, open again, hand over"), pilot.window.handover
    walk.reads("Key `6` hands over", "*Tables*: choose what", "see the first rows before you write.")
    pilot.key("6")
    pilot.wait(lambda: desk.tables.preview.rows, "the first rows")
    walk.reads("*Code*: C, Python or structured text", "*Write the code* puts it into a folder, builds it, and runs it")
    desk.pages.show_page(CODE)
    pilot.wait(lambda: desk.code.made is not None, "code to look at")
    pilot.type(desk.code.folder, str(tmp_path / "code"), enter=True)
    pilot.click(desk.code.write)
    walk.reads("how that came out stands beside it.")
    assert "Compiled without a warning" in desk.code.outcome.text() and "all alike" in desk.code.outcome.text()
    assert (tmp_path / "code" / "manifest.json").exists()
