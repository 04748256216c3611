"""Problems in the real window: read, walked through, set aside, limited, written."""

import csv

import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor
from PyQt6.QtTest import QTest

from zesty_abacus.core.problems.look import look_for_problems
from zesty_abacus.desk.app.problems import Problems
from zesty_abacus.desk.around.strip.scale import TOP
from zesty_abacus.desk.widgets.theme import look

LOOK = Problems.look


@pytest.fixture(autouse=True)
def looks_for_problems(looks_for_nothing, monkeypatch):
    monkeypatch.setattr(Problems, "look", LOOK)


@pytest.fixture
def side(pilot):
    pilot.window.show_desk("Read")
    pilot.key("I")
    problems = pilot.session.problems
    pilot.wait(lambda: problems.told is not None, "problems")
    pilot.settle()
    before = pilot.session.trial.file
    yield pilot.window.read.side.problems
    pilot.session.trials.change(before, "as it was")
    pilot.window.read.side.problems.filter.clear()
    problems.take(None)
    pilot.window.read.side.tabs.setCurrentIndex(0)
    pilot.settle()


def choose(pilot, side, words):
    """Filter for a problem and click it."""
    pilot.type(side.filter, words)
    assert side.rows.count(), words
    pilot.click(side.rows.viewport(), QPointF(60, 20))
    return pilot.session.problems.in_hand


def test_i_opens_the_reading_list_and_the_foot_counts(pilot, side):
    told = pilot.session.problems.told
    expected = look_for_problems(pilot.session.reading.meaning).problems
    assert [one.key for one in told] == [one.key for one in expected] and len(told) > 20
    assert pilot.window.foot.problems.text() == f"{len(told)} problems"
    assert pilot.window.read.side.tabs.tabText(1) == f"Problems {len(told)}" and side.rows.hasFocus()
    pilot.window.show_desk("Unravel")
    pilot.click(pilot.window.foot.problems)
    assert pilot.window.desk_name == "Read" and side.rows.isVisible()


def test_a_click_goes_to_the_first_place_and_return_through_the_others(pilot, side):
    problem = choose(pilot, side, "Turn sentence check")
    clock = pilot.session.clock
    assert problem.kind == "check" and problem.count == 3 and clock.cursor_ns == problem.first_ns
    assert (
        pilot.session.in_hand.kind == problem.kind_number
        and clock.view_first_ns <= clock.cursor_ns <= clock.view_last_ns
    )
    assert "The check of the link disagrees in 3 frames" in side.hand.reason.text()
    assert side.hand.place.text().startswith("place 1 of 3, at ")
    side.rows.setFocus()
    seen = []
    for _ in range(3):
        QTest.keyClick(side.rows, Qt.Key.Key_Return)
        seen.append(clock.cursor_ns)
    assert seen == [*problem.time_ns[1:].tolist(), problem.first_ns]
    pilot.click(side.hand.worst)
    assert clock.cursor_ns == problem.worst_ns


def test_keys_go_through_the_list_and_the_one_in_hand_stays_in_sight(pilot, side):
    side.rows.setFocus()
    QTest.keyClick(side.rows, Qt.Key.Key_End)
    pilot.settle()
    assert pilot.session.problems.in_hand is side.rows.things[-1]
    rows = [row for row, _top in side.rows.rows_in_view()]
    assert side.rows.count() - 1 in rows
    QTest.keyClick(side.rows, Qt.Key.Key_Up)
    assert side.rows.current() == side.rows.count() - 2


def test_set_aside_with_a_reason_and_taken_up_again(pilot, side):
    problem = choose(pilot, side, "load cell command line fault")
    count = len(pilot.session.problems.told)
    pilot.click(side.hand.put_aside)
    assert side.hand.line.hasFocus()
    pilot.type(side.hand.line, "the trigger was pulled by hand", enter=True)
    assert len(pilot.session.problems.told) == count - 1
    assert pilot.session.trial.file.set_aside[-1].reason == "the trigger was pulled by hand"
    assert side.aside.isVisible() and side.aside.text() == "also 1 set aside" and side.rows.count() == 0
    pilot.click(side.aside, QPointF(8, side.aside.height() / 2))
    assert side.rows.things[0].key == problem.key
    pilot.click(side.rows.viewport(), QPointF(60, 20))
    assert "Set aside: the trigger was pulled by hand" in side.hand.why.text()
    pilot.click(side.hand.put_aside)
    assert len(pilot.session.problems.told) == count and not pilot.session.trial.file.set_aside
    pilot.session.undo.undo()
    pilot.settle()
    assert len(pilot.session.problems.told) == count - 1


def test_escape_gives_a_reason_up(pilot, side):
    choose(pilot, side, "load cell command line fault")
    pilot.click(side.hand.put_aside)
    QTest.keyClick(side.hand.line, Qt.Key.Key_Escape)
    assert not side.hand.line.isVisible() and not pilot.session.trial.file.set_aside


def test_a_limit_of_the_trial_makes_other_problems(pilot, side):
    problem = choose(pilot, side, "shore meter gap")
    pilot.click(side.hand.limit)
    pilot.type(side.hand.line, "soon", enter=True)
    assert side.hand.trouble.isVisible() and "no limit" in side.hand.trouble.text()
    pilot.type(side.hand.line, "3 s", enter=True)
    key = problem.key
    pilot.wait(lambda: key not in {one.key for one in pilot.session.problems.told}, "the limit to hold")
    assert pilot.session.trial.file.limits[-1].value == 3.0


def test_notches_stand_where_something_is_wrong(pilot, side):
    strip, session = pilot.window.strip, pilot.session
    for number, lane in enumerate(session.capture.lanes):
        columns = strip.notches.columns(number)
        mine = [one for one in session.problems.told if one.lane == lane.name and one.kind != "unknown-message"]
        assert bool(columns) == bool(mine), lane.name
        for problem in mine:
            assert any(abs(strip.scale.x_of(problem.first_ns) - x) <= 2 for x in columns)


def test_a_lane_is_seen_where_something_is_wrong_for_long(pilot, side):
    """A stretch is a notch where it begins and a line below; single ones stay notches, a lane's height apart or not."""
    strip, problems = pilot.window.strip, pilot.session.problems
    problems.notches = np.zeros_like(problems.notches)
    count = problems.notches.shape[1]
    problems.notches[0, count // 4 : count // 2] = problems.notches[0, count // 8] = True
    strip.update()
    image = strip.grab().toImage()
    columns, bottom = strip.notches.columns(0), TOP + strip.lanes.lane_height()
    single, first, inside, last = columns[0], columns[1], columns[len(columns) // 2], columns[-1]

    wrong = QColor(look.theme.wrong)

    def red_rows(x):
        colors = [image.pixelColor(x, bottom - up) for up in range(1, 5)]
        return sum(abs(one.red() - wrong.red()) + abs(one.green() - wrong.green()) < 40 for one in colors)

    assert (red_rows(single), red_rows(first)) == (4, 4)
    assert red_rows(inside) == red_rows(last) <= 2 and red_rows(inside) >= 1
    assert red_rows(last + 4) == 0


def test_problems_are_written_as_a_table_with_their_origin(pilot, side, tmp_path):
    side.write_to(tmp_path / "wrong.csv")
    pilot.settle()
    rows = list(csv.DictReader((tmp_path / "wrong.csv").open()))
    assert [row["kind"] for row in rows] == [one.kind.value for one in pilot.session.problems.told]
    assert "problems" in pilot.window.foot.told.text() and list(tmp_path.glob("wrong.csv*")) != [tmp_path / "wrong.csv"]
