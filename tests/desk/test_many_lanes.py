"""A recording of many lanes: the strip leaves the desks their room, and the entries of Intake keep their height."""

from __future__ import annotations

import itertools
import random

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QApplication, QLineEdit

from zesty_abacus.desk.around.strip.lanes import MOST_SHOWN


@pytest.fixture
def many(pilot, tmp_path):
    """Open 40 lanes of one message each."""
    noise = random.Random(1)
    rows = [f"(1778572800.{n:06}) can{n % 40:02} 1{n % 40:02}#{noise.randbytes(4).hex()}" for n in range(400)]
    (tmp_path / "many.log").write_text("\n".join(rows) + "\n")
    session = pilot.session
    session.trials.open_listed(tmp_path / "many.log", session.library)
    pilot.wait(lambda: pilot.session.trial.folder.name == "many trial", "the recording")
    pilot.settle()
    return pilot


def test_the_strip_shows_some_lanes_and_scrolls_the_others(many):
    strip = many.window.strip
    assert len(many.session.capture.lanes) == 40 and strip.bar.isVisible() and strip.bar.maximum() == 40 - MOST_SHOWN
    assert strip.height() < 0.3 * many.window.height()
    before = strip.grab().toImage()
    strip.bar.setValue(5)
    assert strip.lanes.first == 5 and strip.grab().toImage() != before


def test_the_wheel_over_the_names_goes_through_the_lanes_and_not_through_time(many):
    strip, clock = many.window.strip, many.session.clock
    view = clock.view_first_ns, clock.view_last_ns

    def turn(x):
        at = QPointF(x, 60)
        event = QWheelEvent(at, strip.mapToGlobal(at), QPoint(), QPoint(0, -120), Qt.MouseButton.NoButton,
                            Qt.KeyboardModifier.NoModifier, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
        QApplication.sendEvent(strip, event)

    turn(40)
    assert strip.lanes.first == 1 and (clock.view_first_ns, clock.view_last_ns) == view
    strip.bar.setValue(0)
    clock.zoom(0.2, clock.cursor_ns)
    zoomed = clock.view_span_ns
    turn(700)
    assert strip.lanes.first == 0 and clock.view_span_ns != zoomed
    # the lane of the message in hand is among those that are shown
    kind = next(n for n, key in enumerate(many.session.capture.kinds.keys) if key.lane == 35)
    many.session.in_hand.take_kind(kind)
    many.settle()
    lanes = many.window.strip.lanes
    assert lanes.first <= 35 < lanes.first + lanes.shown


def test_entries_on_intake_keep_their_height_and_scroll(many):
    many.window.show_desk("Intake")
    many.settle()
    facts = many.window.intake.facts
    lines = facts.findChildren(QLineEdit)
    assert len(lines) == 3 * 40 and all(line.height() >= line.sizeHint().height() for line in lines)
    tops = [line.mapTo(facts, QPoint(0, 0)).y() for line in lines if line.accessibleName().startswith("lane of")]
    assert all(b - a >= lines[0].height() for a, b in itertools.pairwise(tops)), "none lies over another"
    assert many.window.intake.out.height() > 100, "what came out has room"


def test_few_lanes_have_no_bar(pilot):
    assert not pilot.window.strip.bar.isVisible() and pilot.window.strip.lanes.hidden == 0
