"""The four questions, asked with mouse and keys; the answers come into the list of findings."""

import pytest
from PyQt6.QtCore import Qt

from tests.desk.conftest import WANT
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.desk.app.findings import Findings
from zesty_abacus.desk.desks.unravel.finding_side import QUESTIONS, SCOPES

VALUE, REFERENCE, ACTION, STRETCH = range(len(QUESTIONS))


@pytest.fixture
def asking(found_demo, pilot, monkeypatch):
    """Return hands on Unravel with the message that nobody has named, and its findings."""
    monkeypatch.setattr(Findings, "want", WANT)
    pilot.wait(lambda: pilot.session.overlays.references, "the references, which findings are looked for with")
    pilot.window.show_desk("Unravel")
    pilot.wait(lambda: pilot.session.findings.everything() and not pilot.session.findings.is_looking, "the findings")
    pilot.session.in_hand.take_kind(pilot.kind(0x2C1))
    pilot.settle()
    pilot.window.setFocus()
    return pilot


def panel(pilot):
    return pilot.window.unravel.side.findings


def speed_at(pilot):
    frame = pilot.session.store.frame_at(pilot.session.in_hand.kind, None, pilot.session.clock.cursor_ns)
    return int.from_bytes(frame.payload[2:4], "big", signed=True) / 100


def test_values_of_another_message_are_another_question(asking):
    asking.key("V")
    line = panel(asking).lines[VALUE]
    asking.type(line.value, f"{speed_at(asking)}", enter=True)
    asking.session.in_hand.take_kind(asking.kind(0x1A1))
    asking.settle()
    asking.type(line.value, "12", enter=True)
    assert [one.text for one in asking.session.questions.sightings] == ["12"]
    asking.session.questions.add_value("13", [asking.kind(0x1A0), asking.kind(0x1A1)])
    asking.settle()
    assert [one.text for one in asking.session.questions.sightings] == ["12", "13"], "among others, this one included"


def test_a_known_value_is_found_and_the_next_one_leaves_no_more_places(asking):
    asking.key("V")
    assert panel(asking).scope.currentText() == SCOPES[2 + VALUE] and panel(asking).lines[VALUE].value.hasFocus()
    line = panel(asking).lines[VALUE]
    asking.type(line.value, f"{speed_at(asking)}", enter=True)
    asking.settle()
    many = len(panel(asking).rows.things)
    assert many > 1
    asking.session.clock.set_cursor(asking.session.clock.first_ns + 70 * 10**9)
    asking.settle()
    asking.type(line.value, f"{speed_at(asking)}", enter=True)
    asking.settle()
    assert 0 < len(panel(asking).rows.things) <= many, "runs within the number do as well, nothing else"
    kind, best = panel(asking).rows.things[0]
    assert (kind, best.places) == (asking.session.in_hand.kind, "B2 B3") and best.parameters["ratio"] == "0.01"
    panel(asking).take(kind, best)
    assert panel(asking).hand.keep_it()
    asking.settle()
    field = asking.session.reading.layout_of(kind).fields[0]
    assert (str(field.places), str(field.ratio)) == ("B2 B3", "1/100")
    assert all(one.places != "B2 B3" for _, one in panel(asking).rows.things)


def test_what_is_no_value_is_told_and_nothing_is_lost(asking):
    asking.key("V")
    told = []
    asking.session.told.connect(lambda tone, sentence: told.append(sentence))
    asking.type(panel(asking).lines[VALUE].value, "fast", enter=True)
    asking.settle()
    assert any("'fast' is no value" in sentence for sentence in told)
    assert panel(asking).lines[VALUE].value.text() == "fast"


def test_a_reference_lists_what_follows_it_and_is_laid_over(asking):
    asking.key("R")
    line = panel(asking).lines[REFERENCE]
    line.column_of.setCurrentText("speed_kn of gnss.csv")
    asking.settle()
    assert [one.places for _, one in panel(asking).rows.things] == ["B2 B3"]
    panel(asking).take(*panel(asking).rows.things[0])
    asking.settle()
    assert asking.window.unravel.reckoner.candidate_rect().height() > 40
    line.column_of.setCurrentText("latitude_deg of gnss.csv")
    assert panel(asking).hint.text() == "Nothing that is not explained follows it."


def test_readings_typed_at_the_cursor_are_a_reference(asking):
    asking.key("R")
    line = panel(asking).lines[REFERENCE]
    for second in (5, 20, 40, 60, 80, 100):
        asking.session.clock.set_cursor(asking.session.clock.first_ns + second * 10**9)
        asking.settle()
        asking.type(line.name, "log speed")
        asking.type(line.reading, f"{speed_at(asking)} kn", enter=True)
        asking.settle()
    asking.wait(lambda: not asking.session.findings.is_looking, "the findings with the readings")
    asking.settle()
    line.column_of.setCurrentText("log speed, typed")
    asking.wait(lambda: panel(asking).rows.things, "what follows the readings")
    _, best = panel(asking).rows.things[0]
    assert best.places == "B2 B3" and best.parameters["gain"] == pytest.approx(0.01, rel=0.01)


def test_an_action_lists_what_answers_it(asking):
    asking.key("A")
    line = panel(asking).lines[ACTION]
    line.moment.setCurrentText("hook released")
    asking.settle()
    pairs = panel(asking).rows.things
    assert pairs and {one.parameters["moment"] for _, one in pairs} == {"hook released"}
    assert any(one.places == "B6[4]" and one.address == 0x2D0 for _, one in pairs)


def test_moments_stand_against_the_bits_that_answer_them(asking):
    desk = asking.window.unravel
    assert not desk.moments.isVisible()
    asking.key("A")
    asking.settle()
    grid, pairs = desk.moments.grid, panel(asking).rows.things
    assert desk.moments.isVisible() and grid.rowCount() == 6
    cells = [(row, column) for row in range(grid.rowCount()) for column in range(grid.columnCount())
             if grid.item(row, column) is not None]  # fmt: skip
    assert len(cells) == len(pairs) > 2
    titles = [grid.verticalHeaderItem(row).text() for row in range(grid.rowCount())]
    for row, column in cells:
        grid.setCurrentCell(row, column)
        _, finding = asking.session.findings.in_hand
        assert titles[row].startswith(finding.parameters["moment"])
        assert grid.horizontalHeaderItem(column).text().splitlines()[1] == finding.places
        assert asking.session.in_hand.bits == frozenset(parse_places(finding.places).bits)
    panel(asking).scope.setCurrentIndex(0)
    assert not desk.moments.isVisible()


def test_two_stretches_are_told_apart(asking):
    asking.key("C")
    line, clock = panel(asking).lines[STRETCH], asking.session.clock
    for name, first in (("A", 0), ("B", 50)):
        clock.set_view(clock.first_ns + first * 10**9, clock.first_ns + (first + 20) * 10**9)
        asking.click(line.takes[name])
        asking.settle()
    pairs = panel(asking).rows.things
    hook = next(one for _, one in pairs if one.address == 0x2D0 and one.places == "B6[4]")
    assert hook.parameters["values"] == {"A": [1], "B": [0]}
    capture = asking.session.capture
    for kind, one in pairs[:20]:
        if not one.places:
            continue
        frames = capture.kind_frames(kind)
        for name, (first, last) in asking.session.questions.stretches.items():
            here = frames.take(((frames.time_ns >= first) & (frames.time_ns <= last)).nonzero()[0])
            raw = 0
            for bit in parse_places(one.places).bits:
                raw = raw << 1 | (here.matrix[:, bit // 8] >> bit % 8 & 1)
            assert set(raw.tolist()) == set(one.parameters["values"][name])


def test_escape_from_a_question_is_the_choice_of_findings(asking):
    asking.key("C")
    panel(asking).scope.setCurrentIndex(0)
    asking.settle()
    assert not any(line.isVisible() for line in panel(asking).lines)
    assert asking.window.unravel.side.findings.rows.things
    asking.window.setFocus()
    asking.key(Qt.Key.Key_F)
    assert panel(asking).rows.hasFocus()
