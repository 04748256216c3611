"""Values over time in the real window: a reference laid over, readings typed in, figures, stretches, pictures."""

import os
import xml.etree.ElementTree as ET
from fractions import Fraction

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QColor, QContextMenuEvent, QImage
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QMenu

from zesty_abacus.core.layouts.model import FieldKind, new_field
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.desk.app.overlays import OverField, OverReference
from zesty_abacus.desk.desks.read import trace_picture
from zesty_abacus.desk.desks.read.trace_picture import TracePicture
from zesty_abacus.desk.widgets.theme import look


def menu_of(pilot, widget, point):
    """Open the menu at a point."""
    event = QContextMenuEvent(QContextMenuEvent.Reason.Mouse, point, widget.mapToGlobal(point))
    QApplication.sendEvent(widget, event)
    pilot.settle()
    return next(menu for menu in QApplication.topLevelWidgets() if isinstance(menu, QMenu) and menu.isVisible())


def act(menu, words):
    return next(action for action in menu.actions() if words in action.text())


def row_of(stack, number):
    return stack.plan.plot_rect(number).center().toPoint()


@pytest.fixture
def speed(pilot):
    """Return the trace of the speed through water, made by hand of the unknown message."""
    session = pilot.session
    kind = pilot.kind(0x2C1)
    layout = session.kinds.layout_for_new_field(kind, "Motion")
    field = new_field("water speed", parse_places("B2 B3"), FieldKind.SIGNED, ratio=Fraction(1, 100), unit="kn")
    session.edits.change(layout.with_field(field))
    pilot.settle()
    session.traces.toggle(kind, field.id)
    pilot.settle()
    pilot.window.show_desk("Read")
    return kind, field.id


def test_the_scale_stands_where_the_curve_does_below_the_words_over_it(pilot, speed, monkeypatch):
    scales, curves = [], []
    draw_scale, draw_curve = TracePicture._draw_scale, trace_picture.draw_curve
    monkeypatch.setattr(TracePicture, "_draw_scale", lambda self, painter, plot, *rest: (
        scales.append(plot), draw_scale(self, painter, plot, *rest)))  # fmt: skip
    monkeypatch.setattr(trace_picture, "draw_curve", lambda painter, curve, plot, *rest: (
        curves.append(plot), draw_curve(painter, curve, plot, *rest)))  # fmt: skip
    stack = pilot.window.read.traces
    number = pilot.session.traces.shown.index(speed)
    pilot.session.overlays.toggle(speed, OverReference("gnss.csv", "speed_kn"))
    pilot.wait(lambda: stack.overlays.words(speed), "the words")
    scales.clear()
    curves.clear()
    stack.repaint()
    row = stack.plan.plot_rect(number)
    below = [plot for plot in curves if plot.bottom() == row.bottom()]
    assert below and below[0].top() >= row.top() + stack.overlays.words_height(speed) > row.top()
    assert below[0] in scales and row not in scales


def test_a_reference_is_laid_over_and_said_to_agree(pilot, speed):
    stack, session = pilot.window.read.traces, pilot.session
    number = session.traces.shown.index(speed)
    menu = menu_of(pilot, stack, row_of(stack, number))
    over = act(menu, "Lay over it").menu()
    names = [action.text() for action in over.actions()]
    assert "speed_kn of gnss.csv" in names and "angle set" in names
    act(over, "speed_kn").trigger()
    menu.close()
    pilot.settle()
    reference = OverReference("gnss.csv", "speed_kn")
    assert session.overlays.over(speed) == [reference]
    found = session.overlays.fit(speed, reference)
    assert found.best_correlation > 0.95 and abs(found.scale - 1) < 0.1
    words = stack.overlays.words(speed)[0]
    assert "speed_kn of gnss.csv" in words and words.startswith("agrees with")


def test_a_reference_that_holds_proves_and_one_taken_off_does_not(pilot, speed):
    session = pilot.session
    counts = session.reading.counts
    before = counts.explained_of(speed[0])
    assert before.proved == 0 and before.claimed > 8
    session.overlays.toggle(speed, OverReference("gnss.csv", "speed_kn"))
    pilot.wait(lambda: counts.explained_of(speed[0]).proved > 8, "the proof")
    assert counts.explained_of(speed[0]).claimed == before.claimed
    session.overlays.toggle(speed, OverReference("gnss.csv", "speed_kn"))
    pilot.wait(lambda: counts.explained_of(speed[0]).proved == 0, "the proof to go")
    session.overlays.toggle(speed, OverReference("gnss.csv", "course_deg"))
    pilot.settle()
    assert counts.explained_of(speed[0]).proved == 0, "what has nothing to do with it proves nothing"


def test_two_fields_share_a_scale(pilot, speed):
    stack, session = pilot.window.read.traces, pilot.session
    other = session.traces.shown[0]
    own = session.store.curve(speed[0], session.reading.layout_with(*speed), speed[1])[1].value_range()
    session.overlays.toggle(speed, OverField(*other))
    pilot.settle()
    both = stack.overlays.shown_range(speed, own)
    assert both[0] <= own[0] and both[1] >= own[1] and both != own
    session.overlays.toggle(speed, OverField(*other))
    assert session.overlays.over(speed) == []


def test_a_reading_is_typed_in_and_kept(pilot, speed, monkeypatch):
    stack, session = pilot.window.read.traces, pilot.session
    monkeypatch.setattr(QInputDialog, "getDouble", lambda *_a, **_k: (3.25, True))
    menu = menu_of(pilot, stack, row_of(stack, session.traces.shown.index(speed)))
    act(menu, "Write a reading down").trigger()
    menu.close()
    pilot.settle()
    (reading,) = session.trial.file.readings
    assert (reading.name, reading.value, reading.unit) == ("water speed", 3.25, "kn")
    assert reading.time_ns == session.clock.cursor_ns
    assert session.overlays.over(speed) == [OverReference("", "water speed")]
    assert "1 readings here" in stack.overlays.words(speed)[0] or "1 reading" in stack.overlays.words(speed)[0]
    session.undo.undo()
    pilot.settle()
    assert not session.trial.file.readings


def test_figures_of_what_is_in_view_and_places_to_go(pilot, speed):
    session, side = pilot.session, pilot.window.read.side
    side.tabs.setCurrentIndex(2)
    session.clock.show_all()
    pilot.wait(lambda: speed in session.figures.of, "figures")
    QTest.qWait(150)
    pilot.settle()
    found = session.figures.of[speed]
    curve = session.figures.curve(speed)[1]
    assert (found.least, found.most) == curve.value_range() and found.count == len(curve)
    assert side.figures.cells[speed, "values"].startswith("12")
    session.clock.toggle_pin()
    session.clock.set_cursor(found.most_ns)
    QTest.qWait(150)
    span = [words for trace, words in side.figures.cells if trace == speed and words.startswith("from pin")]
    assert len(span) == 1


def test_dragging_along_the_axis_shows_that_stretch(pilot, speed):
    stack, clock = pilot.window.read.traces, pilot.session.clock
    clock.show_all()
    y = stack.height() - 6
    first, last = stack.plan.time_at(300), stack.plan.time_at(500)
    pilot.drag(stack, QPointF(300, y), QPointF(500, y))
    assert abs(clock.view_first_ns - first) < 10_000_000 and abs(clock.view_last_ns - last) < 10_000_000
    clock.show_all()
    cursor = clock.cursor_ns
    pilot.drag(stack, QPointF(300, 40), QPointF(500, 40), Qt.KeyboardModifier.ShiftModifier)
    assert abs(clock.view_first_ns - first) < 10_000_000 and clock.cursor_ns == cursor


@pytest.mark.parametrize("name", ["stack.png", "stack.svg"])
def test_the_picture_is_saved_with_its_origin(pilot, speed, tmp_path, monkeypatch, name):
    stack = pilot.window.read.traces
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, **_k: (str(tmp_path / name), ""))
    menu = menu_of(pilot, stack, row_of(stack, 0))
    act(menu, "Save the picture").trigger()
    menu.close()
    pilot.settle()
    assert "is saved" in pilot.window.foot.told.text()
    if name.endswith("png"):
        image = QImage(str(tmp_path / name))
        assert image.width() == 2 * stack.width() and image.height() == 2 * (stack.height() + 20)
        curve, (left, right) = QColor(look.theme.fields[0]).name(), (300, image.width() - 200)
        colors = {image.pixelColor(x, y).name() for x in range(left, right, 3) for y in range(0, image.height(), 3)}
        assert curve in colors, "the first curve is drawn in the first hue"
    else:
        text = (tmp_path / name).read_text()
        assert ET.fromstring(text).tag.endswith("svg") and "Yuzu sea trial" in text and "harbour-team library" in text
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, **_k: (str(tmp_path / "no" / name), ""))
    stack.ask_picture()
    pilot.settle()
    assert "cannot be written" in pilot.window.foot.told.text()


@pytest.mark.parametrize("input_of_trial", [True, False])
def test_a_picture_replaces_neither_a_recording_nor_what_nobody_was_asked_about(
    pilot, speed, tmp_path, monkeypatch, input_of_trial
):
    session, stack = pilot.session, pilot.window.read.traces
    there = session.trial.files()[0] if input_of_trial else tmp_path / "stack.png"
    kept = there.with_name(f"{there.name}.svg") if input_of_trial else there
    if input_of_trial:
        os.link(there, kept)  # the same file under a name that is asked for as a picture
    else:
        kept.write_bytes(b"something else")
    before = kept.read_bytes()
    chosen = kept if input_of_trial else tmp_path / "stack"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, **_k: (str(chosen), ""))
    stack.ask_picture()
    pilot.settle()
    assert ("the same file as" if input_of_trial else "of this name already") in pilot.window.foot.told.text()
    assert kept.read_bytes() == before


def test_the_menu_says_what_to_do_where_nothing_can_be_laid_over(pilot):
    session, stack = pilot.session, pilot.window.read.traces
    session.overlays.references = []
    for trace in session.traces.shown[1:]:
        session.traces.toggle(*trace)
    pilot.settle()
    menu = menu_of(pilot, stack, QPoint(300, 40))
    offers = act(menu, "Lay over it").menu().actions()
    assert len(offers) == 1 and not offers[0].isEnabled()
    menu.close()


def test_histograms_and_clouds_take_the_place_of_the_traces(pilot, speed):
    stack, desk, session = pilot.window.read.traces, pilot.window.read, pilot.session
    session.clock.show_all()
    pilot.settle()
    number = session.traces.shown.index(speed)
    for words, kind in (("How often", "counts"), ("How far apart", "counts"), ("Against angle set", "share")):
        menu = menu_of(pilot, stack, row_of(stack, number))
        act(menu, words).trigger()
        menu.close()
        pilot.wait(lambda kind=kind: hasattr(desk.plots.canvas.made, kind), words)
        assert desk.plots.isVisible() and not stack.isVisible()
        image = desk.plots.canvas.grab().toImage()
        colors = {image.pixelColor(x, y).name() for x in range(80, image.width() - 30, 3) for y in range(30, 150, 3)}
        assert len(colors) > 2, "something is drawn"
        QTest.keyClick(desk.plots.canvas, Qt.Key.Key_Escape)
        assert stack.isVisible()
    total = desk.plots.canvas.made
    assert len(total.x) > 100


def test_a_plot_follows_the_view_and_is_saved(pilot, speed, tmp_path, monkeypatch):
    desk, session = pilot.window.read, pilot.session
    session.clock.show_all()
    desk.traces.plot_wanted.emit("distances", speed, speed)
    pilot.wait(lambda: desk.plots.canvas.made is not None, "a histogram")
    whole = desk.plots.canvas.made.total
    session.clock.zoom(0.25, session.clock.cursor_ns)
    pilot.wait(lambda: desk.plots.canvas.made.total < whole, "the part in view")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_a, **_k: (str(tmp_path / "apart.svg"), ""))
    pilot.click(desk.plots.save)
    assert "distance ms" in (tmp_path / "apart.svg").read_text()


def test_an_array_is_seen_over_time_from_the_readout(pilot):
    desk, session = pilot.window.read, pilot.session
    pilot.window.show_desk("Read")
    kind = next(n for n in session.reading.kinds_read() if session.reading.name(n) == "Beacon packet")
    session.in_hand.take_kind(kind)
    session.clock.show_all()
    times = session.capture.frames.times(session.capture.kinds.rows(kind))
    session.clock.set_cursor(int(times[1]))
    pilot.settle()
    values = desk.side.readout.values

    def swell():
        placed = values._at_cursor.placed()
        return next((top for row, top in placed if row.curve is not None and "swell" in row.title), None)

    pilot.wait(lambda: swell() is not None, "the array's curve")
    top = swell()
    pilot.click(values, QPointF(60, top + 30))
    pilot.wait(lambda: hasattr(desk.plots.canvas.made, "axis"), "the picture")
    made = desk.plots.canvas.made
    assert made.axis_name == "time" and made.values.shape[1] >= 4 and "over time" in desk.plots.title.text()
    pilot.click(desk.plots.back)
    assert desk.traces.isVisible()
