import itertools
from uuid import uuid4

import msgspec
import numpy as np
import pytest
from PyQt6.QtCore import QMimeData, QPoint, QPointF, QRect, QSize, Qt
from PyQt6.QtGui import QDropEvent, QFontMetricsF, QWheelEvent
from PyQt6.QtTest import QTest

from tests.desk.pilot import place_of
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames.decimate import Curve
from zesty_abacus.core.layouts.checks.reserved import Reserved
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.desk.app import engine
from zesty_abacus.desk.around.frame_lines import FrameLines
from zesty_abacus.desk.desks.read.trace_blocks import value_blocks
from zesty_abacus.desk.desks.read.trace_plan import TracePlan
from zesty_abacus.desk.desks.read.traces import FIELD_MIME, field_mime
from zesty_abacus.desk.launch import make_application
from zesty_abacus.desk.widgets.theme import TINY_PX, text_font
from zesty_abacus.desk.widgets.told import told_lines

SHIFT = Qt.KeyboardModifier.ShiftModifier
NONE = Qt.KeyboardModifier.NoModifier


def wheel_event(widget, point: QPointF, up: bool, modifiers=NONE, turned=120) -> QWheelEvent:
    """Return a turn of the wheel over a point: a notch, or what a touchpad gives."""
    place = QPointF(widget.mapToGlobal(point.toPoint()))
    angle, phase = QPoint(0, turned if up else -turned), Qt.ScrollPhase.NoScrollPhase
    return QWheelEvent(point, place, QPoint(), angle, Qt.MouseButton.NoButton, modifiers, phase, False)


def turn_wheel(widget, point: QPointF, up: bool, modifiers=NONE):
    """Turn the wheel by one notch over a point."""
    make_application().sendEvent(widget, wheel_event(widget, point, up, modifiers))


def field_of(pilot, address, name):
    layout = pilot.session.reading.layout_of(pilot.kind(address))
    return layout.field_named(name)


def rows_of(pilot):
    values = pilot.window.read.side.readout.values
    values.refresh()
    return values.rows()


def test_a_click_on_the_traces_moves_the_cursor_there(pilot):
    traces, clock = pilot.window.read.traces, pilot.session.clock
    plot = traces.plan.plot_rect(0)
    pilot.click(traces, QPointF(plot.left() + plot.width() / 4, plot.center().y()))
    assert (clock.cursor_ns - clock.view_first_ns) / clock.view_span_ns == pytest.approx(0.25, abs=0.01)
    pilot.drag(traces, plot.center(), QPointF(plot.right() - 1, plot.center().y()))
    assert (clock.cursor_ns - clock.view_first_ns) / clock.view_span_ns == pytest.approx(1.0, abs=0.01)


@pytest.mark.parametrize("where", ["traces", "history", "strip"])
def test_the_wheel_zooms_at_the_pointer_and_pans_with_shift(pilot, where):
    clock = pilot.session.clock
    if where == "history":
        pilot.key("3")
        pilot.pick_kind(0x2C1)
    widget = {"traces": pilot.window.read.traces, "history": pilot.window.unravel.history, "strip": pilot.window.strip}[
        where
    ]
    point = QPointF(widget.width() * 0.6, widget.height() / 2)
    span = clock.view_span_ns
    turn_wheel(widget, point, up=True)
    assert clock.view_span_ns == pytest.approx(span * 0.8, rel=0.01)
    turn_wheel(widget, point, up=False)
    assert clock.view_span_ns == pytest.approx(span, rel=0.01)
    first = clock.view_first_ns
    turn_wheel(widget, point, up=False, modifiers=SHIFT)
    assert clock.view_first_ns == pytest.approx(first + span / 10, rel=0.01)


def test_traces_are_stacked_and_taken_off(pilot):
    session, traces = pilot.session, pilot.window.read.traces
    before = list(session.traces.shown)
    assert len(before) == 4 and len({session.kinds.key(kind).lane for kind, _ in before}) == 4, (
        "a trace of each of the first lanes"
    )
    mode = field_of(pilot, 0x1A0, "mode")
    session.traces.toggle(pilot.kind(0x1A0), mode.id)
    pilot.settle()
    rows = traces.plan.rows()
    assert len(rows) == 5 and rows[4].height() < rows[0].height(), "blocks are lower than curves"
    assert all(a.bottom() == pytest.approx(b.top()) for a, b in itertools.pairwise(rows))
    middle = traces.plan.plot_rect(4).center().toPoint()
    QTest.mouseClick(traces, Qt.MouseButton.MiddleButton, NONE, middle)
    assert session.traces.shown == before
    assert "angle" in traces.accessibleDescription()


def test_a_field_is_dropped_on_the_stack(pilot):
    kind, field = pilot.kind(0x1A0), field_of(pilot, 0x1A0, "thrust set")
    data = field_mime(kind, field.id)
    assert data.hasFormat(FIELD_MIME)
    event = QDropEvent(QPointF(50, 50), Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, NONE)
    pilot.window.read.traces.dropEvent(event)
    pilot.window.read.traces.dropEvent(event)
    assert pilot.session.traces.shown.count((kind, field.id)) == 1
    other = QMimeData()
    other.setText("nothing")
    assert not other.hasFormat(FIELD_MIME)


def test_the_readout_agrees_with_the_command_lines_decoding(pilot):
    """Every value shown is the value of the last frame at or before the cursor, decoded on its own."""
    session = pilot.session
    for moment in (0.01, 33.3, 119.9):
        session.clock.set_cursor(session.clock.first_ns + int(moment * 1e9))
        checked = 0
        for row in rows_of(pilot):
            if row.field_id is None or row.value == "–":
                continue
            layout = session.reading.layout_of(row.kind)
            field = next(one for one in layout.once_a_frame() if one.id == row.field_id)
            if field.selected is not None:
                continue
            times = session.capture.kind_frames(row.kind).time_ns
            last = int(np.searchsorted(times, session.clock.cursor_ns, side="right")) - 1
            frames = session.capture.kind_frames(row.kind, last, last + 1)
            plan = engine.compile_layout(layout, session.edits.layouts())
            column = engine.decode_frames(session.capture, plan, frames)
            if row.field_id not in column.columns or not column[row.field_id].has_value[0]:
                continue
            assert row.value == engine.wording.value_text(column[field.id], 0)
            checked += 1
        assert checked > (10 if moment < 1 else 60)


def test_fields_under_a_selector_show_their_last_value(pilot):
    titles = [row.title for row in rows_of(pilot) if row.kind == pilot.kind(0x320)]
    assert {"oil pressure", "run time", "vibration", "build"} <= set(titles)
    build = next(row for row in rows_of(pilot) if row.title == "build")
    assert build.value == "YZ-4.2b"


def test_the_readout_is_filtered_and_led_by_the_kind_in_hand(pilot):
    pilot.pick_kind(0x18FF0210)
    assert rows_of(pilot)[0].title == "Pack totals" and rows_of(pilot)[0].beside == "battery"
    pilot.type(pilot.window.read.side.readout.filter, "limits draw")
    assert [row.title for row in rows_of(pilot)] == ["Pack limits", "draw limit"]
    pilot.type(pilot.window.read.side.readout.filter, "no such value")
    assert rows_of(pilot) == []


def test_values_are_walked_and_traced_by_keys(pilot):
    values = pilot.window.read.side.readout.values
    rows_of(pilot)
    values.setFocus()
    before = list(pilot.session.traces.shown)
    pilot.key(Qt.Key.Key_Down)
    pilot.key(Qt.Key.Key_Down)
    pilot.key(Qt.Key.Key_Return)
    assert len(pilot.session.traces.shown) == len(before) + 1
    pilot.key(Qt.Key.Key_Space)
    assert pilot.session.traces.shown == before


def test_of_the_readout_only_what_is_seen_is_read(pilot, monkeypatch):
    readout, store = pilot.window.read.side.readout, pilot.session.store
    read, frame_at = [], store.frame_at
    monkeypatch.setattr(store, "frame_at", lambda kind, *rest: (read.append(kind), frame_at(kind, *rest))[1])
    pilot.type(readout.filter, "e")
    known = set(pilot.session.reading.kinds_read())
    assert 0 < len(set(read)) < len(known) / 2
    bar = readout.area.verticalScrollBar()
    for _ in range(3):
        # what is read takes a little more room than was thought
        bar.setValue(bar.maximum())
        pilot.settle()
    some = set(read)
    assert len(some) < len(known)
    read.clear()
    pilot.type(readout.filter, "", enter=True)
    assert readout.values.hasFocus() and len(set(read)) < len(known) / 2, "Return looks whether there are two"
    heard = readout.values.visibleRegion().boundingRect()
    seen = [row for row, _ in readout.values._at_cursor.placed(heard.top(), heard.bottom()) if row.field_id is not None]
    now = {row.key: row.value for row in readout.values.fields()}
    assert len(seen) > 5 and {row.key: row.value for row in seen} == {row.key: now[row.key] for row in seen}
    assert set(read) == known


def test_the_readout_in_words_is_of_all_values_seen_or_not(pilot):
    readout = pilot.window.read.side.readout
    pilot.session.clock.set_cursor(pilot.session.clock.first_ns + 40 * 10**9)
    pilot.settle()
    said = [line.words for line in told_lines(readout.values)]
    for row in rows_of(pilot):
        if row.field_id is not None:
            assert any(row.title in words and row.value in words for words in said), row


def test_one_message_for_many_requests_says_of_which_each_is(pilot):
    """A unit is asked for several stretches by one message; what has its name alone is called by that."""
    said = [line.words for line in told_lines(pilot.window.read.side.readout.values)]
    asked = [words for words in said if words.startswith("Registers asked for")]
    assert "Registers asked for, holding 100 request · shore" in asked and len(set(asked)) == len(asked) == 6
    assert "Shore energy, shore" in said


def test_a_value_that_was_absent_is_listed_when_the_cursor_comes_to_it(pilot):
    session, values = pilot.session, pilot.window.read.side.readout.values
    kind = pilot.kind(0x320)
    layout = session.reading.layout_of(kind)
    at_first = session.store.frame_at(
        kind, layout, int(session.capture.frames.times(session.capture.kinds.rows(kind, 0, 1))[0])
    )
    absent = next(field for field in layout.fields if field.selected is not None
                  and int(at_first.decoded.columns[field.id].validity[0]) == engine.Validity.ABSENT)  # fmt: skip
    session.clock.set_cursor(at_first.time_ns)
    pilot.type(pilot.window.read.side.readout.filter, absent.name)
    assert absent.name not in [row.title for row, _ in values._at_cursor.placed() if row.kind == kind]
    session.clock.set_cursor(session.clock.last_ns)
    pilot.settle()
    assert absent.name in [row.title for row, _ in values._at_cursor.placed() if row.kind == kind]


def test_keys_bring_the_value_they_go_to_into_view(pilot):
    readout = pilot.window.read.side.readout
    values, traces = readout.values, pilot.session.traces
    rows = [row for row in rows_of(pilot) if row.field_id is not None]
    values.setFocus()
    QTest.keyClick(values, Qt.Key.Key_Up)
    assert values._focus is None, "there is nothing above the first"
    for _ in range(len(rows) + 3):
        QTest.keyClick(values, Qt.Key.Key_Down)
    pilot.settle()
    last = rows[-1]
    assert values._focus == last.key
    tops = {row.key: top for row, top in values._at_cursor.placed()}
    assert values.visibleRegion().contains(QRect(4, int(tops[last.key]) + 2, 20, 28))
    was_traced = last.key in traces.shown
    pilot.key(Qt.Key.Key_Return)
    assert (last.key in traces.shown) is not was_traced
    for _ in range(len(rows) + 3):
        QTest.keyClick(values, Qt.Key.Key_Up)
    pilot.settle()
    assert values._focus == rows[0].key
    assert values.visibleRegion().contains(QRect(4, int(tops[rows[0].key]) + 2, 20, 28))


def test_a_value_that_is_not_available_says_so(pilot):
    spare = next(row for row in rows_of(pilot) if row.title == "spare probe")
    assert (spare.value, spare.state, spare.share) == ("not available", "not available", None)
    angle = next(row for row in rows_of(pilot) if row.title == "angle set")
    assert 0.4 < angle.share < 0.7, "a little to starboard of the middle of its limits"


def test_small_turns_of_a_touchpad_add_up_to_rows_alike_both_ways(pilot):
    frames = pilot.window.read.frames
    first = frames.first()
    for up, there in ((False, first + 3), (True, first)):
        for _ in range(12):
            frames.wheelEvent(wheel_event(frames, QPointF(9, 60), up=up, turned=10))
        assert frames.first() == there


def test_the_frame_at_the_cursor_is_in_view_at_once_and_at_every_height(pilot):
    frames, window = pilot.window.read.frames, pilot.window
    for height in (800, 640, 1000, 700):
        window.resize(1280, height)
        pilot.settle()
        assert frames.first() <= frames.current() < frames.first() + frames.slots(), height


def test_frames_scroll_click_and_page(pilot):
    frames, session = pilot.window.read.frames, pilot.session
    viewport = frames.viewport()
    first = frames.first()
    frames.wheelEvent(wheel_event(frames, QPointF(9, 60), up=False))
    assert frames.first() == first + 3
    pilot.click(viewport, QPointF(200, 24 + 23 * 2.5))
    assert frames.current() == first + 5
    assert session.in_hand.kind == session.store.kind_of_row(frames.order().row(first + 5))
    frames.setFocus()
    before = frames.current()
    pilot.key(Qt.Key.Key_PageDown)
    assert frames.current() == before + frames.slots()
    pilot.key(Qt.Key.Key_End)
    assert frames.current() == frames.count() - 1
    pilot.key(Qt.Key.Key_Up)
    assert frames.current() == frames.count() - 2


def test_listed_lanes_are_only_those_asked_for(pilot):
    frames = pilot.window.read.frames
    frames.listed.show_lanes(frozenset({1}))
    pilot.settle()
    assert frames.count() == int((pilot.session.capture.frames.lanes(np.arange(len(pilot.session.capture))) == 1).sum())
    assert frames.line(0).lane == "battery"
    frames.listed.show_lanes(frozenset(range(len(pilot.session.capture.lanes))))
    assert frames.count() == len(pilot.session.capture)


def test_sentences_follow_an_edit_of_the_layout(pilot):
    import msgspec

    frames = pilot.window.read.frames
    row = int(pilot.session.capture.kinds.rows(pilot.kind(0x2C2))[5])
    assert "winding port" in frames.line(place_of(frames, row)).says
    layout = pilot.session.reading.layout_of(pilot.kind(0x2C2))
    field = layout.field_named("winding port")
    pilot.session.edits.change(layout.with_field(msgspec.structs.replace(field, name="port coil")))
    pilot.settle()
    assert (
        "port coil" in frames.line(place_of(frames, row)).says
        and "winding port" not in frames.line(place_of(frames, row)).says
    )


def test_the_traces_of_a_removed_field_go(pilot):
    session = pilot.session
    kind, field_id = session.traces.shown[0]
    layout = session.reading.layout_of(kind)
    session.edits.change(layout.without_field(field_id))
    pilot.settle()
    assert (kind, field_id) not in session.traces.shown


def blocks_of(values, span=(0, 1000), pixels=300):
    values = np.array(values, float)
    return value_blocks(Curve.build(np.arange(len(values)) * 10, values), span, pixels)


def test_blocks_are_stretches_of_one_value():
    assert blocks_of([1, 1, 2, 2, 2], (0, 50)) == [(0, 0.0, 0.4), (2, 0.4, 1.0)]
    assert blocks_of([1, 1, 2, 2, 2], (15, 45)) == [(1, 0.0, pytest.approx(1 / 6)), (2, pytest.approx(1 / 6), 1.0)]
    assert blocks_of([1, np.nan, np.nan, 3], (0, 40)) == [(0, 0.0, 0.25), (3, 0.75, 1.0)]
    assert blocks_of([], (0, 40)) == []
    assert blocks_of(np.arange(100) % 2, pixels=150) is None, "too many to tell apart"


def test_blocks_of_a_million_frames_are_found_as_well():
    values = np.repeat([0, 3, 1], 400_000)
    found = blocks_of(values, (0, 12_000_000))
    assert [row for row, _, _ in found] == [0, 400_000, 800_000]
    assert blocks_of(np.arange(1_200_000) % 5, (0, 12_000_000)) is None


@pytest.mark.parametrize("where", ["traces", "strip"])
def test_time_is_walked_by_the_same_keys_everywhere(pilot, where):
    clock = pilot.session.clock
    widget = pilot.window.read.traces if where == "traces" else pilot.window.strip
    widget.setFocus()
    cursor, first, span = clock.cursor_ns, clock.view_first_ns, clock.view_span_ns
    pilot.key(Qt.Key.Key_Right)
    assert clock.cursor_ns == cursor + span // 100
    pilot.key(Qt.Key.Key_Right, SHIFT)
    assert clock.view_first_ns == first + span // 4
    pilot.key(Qt.Key.Key_Plus)
    assert clock.view_span_ns == pytest.approx(span * 0.8, rel=0.01)
    pilot.key(Qt.Key.Key_Minus)
    assert clock.view_span_ns == pytest.approx(span, rel=0.01)


def test_two_fields_of_a_checked_message_have_curves_of_their_own(pilot):
    """A check makes values depend on the whole layout; each field is still its own curve."""
    session, kind = pilot.session, pilot.kind(0x1A0)
    layout = session.reading.layout_of(kind)
    assert layout.checks
    found = {}
    for name in ("angle set", "mode"):
        field = layout.field_named(name)
        pilot.wait(lambda field=field: session.store.curve(kind, layout, field.id) is not None, "the curve")
        found[name], _ = session.store.curve(kind, layout, field.id)
    assert {name: column.field.name for name, column in found.items()} == {"angle set": "angle set", "mode": "mode"}


def test_an_array_at_the_cursor_is_a_curve_over_its_axis(pilot):
    session = pilot.session
    kind = next(n for n in session.reading.kinds_read() if session.reading.name(n) == "Beacon packet")
    pilot.key("2")
    session.in_hand.take_kind(kind)
    layout = session.reading.layout_of(kind)
    times = [session.capture.frames.at(int(row)).time_ns for row in session.capture.kinds.rows(kind)]
    points = [int(session.store.frame_at(kind, layout, time).decoded.named("swell points").raw[0]) for time in times]
    session.clock.set_cursor(times[points.index(max(points))])
    pilot.settle()
    readout = pilot.window.read.side.readout.values
    readout.refresh()
    (row,) = [row for row in readout.rows() if row.curve is not None]
    at = session.store.frame_at(kind, layout, session.clock.cursor_ns)
    count = int(at.decoded.named("swell points").raw[0])
    assert row.curve.title == "swell: height" and len(row.curve.y) == count
    assert row.curve.x_words.startswith("time 0 … ") and row.curve.x_words.endswith(" s")
    # the payload behind the fixed fields holds the heights, a signed byte each
    raw = [int.from_bytes(at.payload[18 + n : 19 + n], "big", signed=True) for n in range(count)]
    assert row.curve.y.tolist() == pytest.approx([value * 0.02 for value in raw])
    pilot.type(pilot.window.read.side.readout.filter, "swell height")
    assert [one.title for one in readout.rows() if one.curve is not None] == ["swell: height"]


def test_a_curve_that_cannot_be_worked_out_is_told_once(pilot, monkeypatch):
    session, window = pilot.session, pilot.window
    window.show_desk("Read")
    tried, told = [], []
    session.told.connect(lambda tone, sentence: told.append(sentence) if tone == "wrong" else None)

    def broken(*_):
        tried.append(1)
        raise MisuseError("the kernel is gone.")

    monkeypatch.setattr(engine, "field_curve", broken)
    kind = pilot.kind(0x1A1)
    field = next(f for f in session.reading.layout_of(kind).fields if (kind, f.id) not in session.traces.shown)
    session.traces.toggle(kind, field.id)
    for step in range(20):
        session.clock.pan((-1) ** step * 10**9)
        window.read.traces.repaint()
        pilot.settle()
    assert len(tried) == 1 and [text for text in told if "the kernel is gone" in text] == [
        "Decoding failed: the kernel is gone."
    ]
    session.edits.change(msgspec.structs.replace(session.reading.layout_of(kind), note="again"))
    window.read.traces.repaint()
    pilot.settle()
    assert len(tried) >= 1


@pytest.mark.parametrize("span_ns", [100_000_000_000, 3_000_000_000, 37_000_000, 800_000])
def test_a_tick_stands_where_the_cursor_has_its_time(pilot, span_ns):
    clock, traces = pilot.session.clock, pilot.window.read.traces
    first = clock.first_ns + 12_345_678_901
    clock.set_view(first, first + span_ns)
    ticks = list(traces.plan.ticks())
    assert len(ticks) >= 2
    a_pixel = span_ns / 400 / 1e9
    for x, text in ticks:
        QTest.mouseClick(traces, Qt.MouseButton.LeftButton, pos=QPoint(round(x), 20))
        seconds = float(text.removesuffix(" s").replace("\u2009", ""))
        assert abs(clock.seconds(clock.cursor_ns) - seconds) <= a_pixel, text


def test_a_list_of_one_message_gives_its_room_to_what_frames_say(pilot):
    pilot.key("2")
    pilot.pick_kind(0x1A9)
    read, words = pilot.window.read, "angle"
    width = read.frames.area().width()
    before = read.frames._rows.columns(width)
    pilot.click(read.this_kind)
    after = read.frames._rows.columns(width)
    assert list(before) == ["time s", "after", "lane", "message", "says", "payload"]
    assert list(after) == ["time s", "after", "says", "payload"]
    assert after["says"].width() > before["says"].width() + 150
    assert after["payload"].right() <= width and words in read.frames.line(read.frames.current()).says
    pilot.window.say_in_words()
    pilot.settle()
    said = [pilot.window.in_words.list.item(row).text() for row in range(3)]
    assert not any("Azimuth feedback starboard" in line for line in said)
    pilot.window.in_words.end()


def test_curves_leave_room_for_the_names_of_their_messages(pilot):
    session, stack = pilot.session, pilot.window.read.traces
    short, long = pilot.kind(0x2C2), pilot.kind(0x1A8)
    for kind in (short, long):
        layout = session.reading.layout_of(kind)
        session.traces.shown = [(kind, layout.fields[0].id)]
        session.traces.changed.emit()
        room = stack.plan.name_rect(stack.plan.rows()[0]).width()
        words = QFontMetricsF(text_font(TINY_PX)).horizontalAdvance(layout.name)
        assert words <= room and stack.plan.plot_rect(0).left() == stack.plan.names_width
    assert stack.plan.names_width > 140, "Azimuth command starboard"
    narrow = TracePlan(session.traces, session.clock, QSize(400, 300))
    assert narrow.names_width == 134, "in a narrow picture curves have the room"


@pytest.mark.parametrize("value", [0, 1])
def test_a_frame_whose_reserved_bits_are_others_is_wrong_though_all_its_values_are_good(pilot, value):
    session, kind = pilot.session, pilot.kind(0x1A1)
    layout = session.reading.layout_of(kind)
    free = Reserved(id=uuid4(), name="free", places=parse_places("B3[3]"), value=value)
    session.edits.change(msgspec.structs.replace(layout, checks=(*layout.checks, free)), "a bit that is free")
    pilot.settle()
    line = FrameLines(session).of(int(session.capture.kinds.rows(kind, 100, 101)[0]))
    assert line.says.startswith("free disagrees, angle" if value else "angle")
    assert line.wrong == bool(value), "the bit is 0"
