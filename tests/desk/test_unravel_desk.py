import numpy as np
import pytest
from PyQt6.QtCore import Qt

from zesty_abacus.core.layouts.json_form import layouts_from_file
from zesty_abacus.demo.trial import SHIPPED
from zesty_abacus.desk.desks.unravel.reckoner import reason_words
from zesty_abacus.desk.desks.unravel.side import SELECTION
from zesty_abacus.desk.widgets.told import told_lines

SHIFT = Qt.KeyboardModifier.ShiftModifier
TRUTH = {layout.name: layout for layout in layouts_from_file(SHIPPED / "truth" / "layouts.json")}


def look_at(pilot, address):
    pilot.window.show_desk("Unravel")
    pilot.session.in_hand.take_kind(pilot.kind(address))
    pilot.settle()
    return pilot.window.unravel


@pytest.mark.parametrize(
    ("message", "field"),
    [
        ("Motion", "water speed"),
        ("Motion", "turn rate"),
        ("Tow", "pull"),
        ("Tow", "winch turns"),
        ("Wind", "wind speed"),
        ("Wind", "wind angle"),
        ("Pack energy", "energy"),
        ("Pack energy", "power"),
        ("Isolation", "leakage"),
        ("Trim tank", "trim level"),
    ],
)
def test_the_reckoner_puts_the_true_reading_first(pilot, message, field):
    """Whoever selects just the bits of a hidden field finds order and kind first; a tie of sign is allowed."""
    layout = TRUTH[message]
    truth = layout.field_named(field)
    desk = look_at(pilot, layout.applies.address)
    pilot.session.in_hand.select_bits(frozenset(truth.places.bits))
    pilot.settle()
    best = [item.reading for item in desk.reckoner.readings][:3]
    ties = [item for item in best if item.smoothness.roughness <= best[0].smoothness.roughness * 1.001]
    assert any((item.field.places, item.field.kind) == (truth.places, truth.kind) for item in ties), [
        r.words for r in best
    ]


def test_head_and_facts_tell_the_message(pilot):
    desk = look_at(pilot, 0x2C1)
    assert desk.head.title.text() == "0x2C1"
    assert desk.head.words.text() == "unnamed · thruster · every 10 ms ±271 µs · 8 bytes · 0% explained"
    desk.side.show_page(SELECTION)
    panel = desk.side.selection
    assert panel.facts.text().startswith("52 bits of this message move, 12 never do, in 12\u2009000 frames.")
    pilot.session.in_hand.select_bits(frozenset({40, 41}))
    assert "B5[0] moves most" in desk.side.selection.facts.text()
    pilot.session.in_hand.select_bits(frozenset({52, 53}))
    assert "None of them changed in 12\u2009000 frames." in desk.side.selection.facts.text()


def test_beads_follow_the_cursor(pilot):
    desk = look_at(pilot, 0x2C1)
    session = pilot.session
    for share in (0.1, 0.5, 0.9):
        session.clock.set_cursor(session.clock.first_ns + int(share * (session.clock.last_ns - session.clock.first_ns)))
        frames = session.capture.kind_frames(session.in_hand.kind)
        last = int(np.searchsorted(frames.time_ns, session.clock.cursor_ns, side="right")) - 1
        assert desk.abacus._state.payload == frames.matrix[last].tobytes()


def test_before_its_first_frame_a_message_has_no_payload(pilot):
    desk = look_at(pilot, 0x18FFE010)
    pilot.session.clock.set_cursor(pilot.session.clock.first_ns)
    assert desk.abacus._state.payload == b"" and desk.abacus._state.size == 8


def test_a_partly_known_message_shows_what_is_left(pilot):
    desk = look_at(pilot, 0x1A9)
    pilot.key("U")
    layout = TRUTH["Azimuth feedback starboard"]
    assert pilot.session.in_hand.bits <= frozenset(layout.field_named("torque").places.bits)
    desk.side.show_page(SELECTION)
    panel = desk.side.selection
    words = [button.text() for button in panel.inner.findChildren(type(panel.keep)) if "B" in button.text()]
    assert any(text.startswith("angle") for text in words)


def test_a_known_field_is_selected_from_the_list(pilot):
    desk = look_at(pilot, 0x1A9)
    desk.side.show_page(SELECTION)
    panel = desk.side.selection
    row = next(b for b in panel.inner.findChildren(type(panel.keep)) if b.text().startswith("rate"))
    pilot.click(row)
    assert pilot.session.in_hand.bits == frozenset(TRUTH["Azimuth feedback starboard"].field_named("rate").places.bits)


def test_error_frames_can_be_looked_at_too(pilot):
    desk = look_at(pilot, 0x88)
    assert "error frames" in desk.head.words.text()
    pilot.key("U")
    assert pilot.session.in_hand.bits == frozenset()


def test_a_single_bit_is_a_flag(pilot):
    desk = look_at(pilot, 0x3A0)
    pilot.drag_beads(5, 5)
    assert [item.reading.words for item in desk.reckoner.readings] == ["flag"]
    pilot.type(desk.side.selection.message, "Deck switches")
    pilot.type(desk.side.selection.field, "searchlight", enter=True)
    field = pilot.session.reading.layout_of(pilot.kind(0x3A0)).field_named("searchlight")
    assert (str(field.places), field.kind.value) == ("B0[5]", "flag")


def test_enter_on_the_reckoner_goes_to_what_is_missing(pilot):
    desk = look_at(pilot, 0x2C1)
    pilot.drag_beads(23, 24)
    desk.reckoner.setFocus()
    pilot.key(Qt.Key.Key_Right)
    assert desk.reckoner.current_number == 1
    pilot.key(Qt.Key.Key_Return)
    assert desk.side.selection.message.hasFocus()


def test_k_keeps_what_is_filled_in(pilot):
    desk = look_at(pilot, 0x2C1)
    pilot.drag_beads(23, 24)
    pilot.type(desk.side.selection.message, "Motion")
    pilot.type(desk.side.selection.field, "water speed")
    desk.abacus.setFocus()
    pilot.key("K")
    assert pilot.session.reading.layout_of(pilot.kind(0x2C1)).field_named("water speed") is not None


def test_another_kind_drops_the_selection_and_its_readings(pilot):
    desk = look_at(pilot, 0x2C1)
    pilot.drag_beads(23, 24)
    assert desk.reckoner.readings and desk.side.selection.card.isVisible()
    pilot.pick_kind(0x2D0)
    assert pilot.session.in_hand.bits == frozenset() and desk.reckoner.readings == []
    assert not desk.side.selection.card.isVisible()


def test_the_picture_is_painted_again_only_when_something_in_it_changed(pilot):
    desk = look_at(pilot, 0x2C1)
    desk.history.grab()
    first = desk.history._image
    pilot.session.clock.set_cursor(pilot.session.clock.cursor_ns + 10**8)
    desk.history.grab()
    assert desk.history._image is first, "the cursor is not part of it"
    pilot.session.clock.zoom(0.5, pilot.session.clock.cursor_ns)
    desk.history.grab()
    assert desk.history._image is not first


def test_a_bead_says_whose_it_is_and_how_it_lives(pilot):
    desk = look_at(pilot, 0x1A1)
    assert desk.bit_words(0).startswith("B0[0], angle, moves in ")
    assert desk.bit_words(27) == "B3[3], no field, never moves"
    assert desk.bit_words(-1) == desk.bit_words(999) == ""


def test_every_reading_says_why_it_stands_there():
    assert reason_words(0.994) == "steps up to 99%"
    assert reason_words(0.004) == "steps below 1%"
    assert reason_words(float("nan")) == "not judged"


@pytest.mark.parametrize("desk", ["3", "4"])
def test_frames_of_the_message_in_hand_are_stepped_through(pilot, desk):
    session = pilot.session
    pilot.key(desk)
    pilot.pick_kind(0x310)
    order = session.capture.order_of_kind(session.in_hand.kind)
    times = session.capture.frames.times(order.rows())
    session.clock.set_cursor(int(times[100]) + 1)
    pilot.settle()
    for key, place in ((".", 101), (".", 102), (",", 101), (",", 100), (",", 99)):
        pilot.key(key)
        assert session.clock.cursor_ns == times[place]
    session.clock.set_cursor(int(times[0]))
    pilot.key(",")
    assert session.clock.cursor_ns == times[0], "there is none before"
    session.clock.set_cursor(int(times[-1]))
    pilot.key(".")
    assert session.clock.cursor_ns == times[-1]


def test_where_no_frame_of_the_message_is_in_view_it_is_said_where_the_next_one_is(pilot):
    session, clock = pilot.session, pilot.session.clock
    pilot.key("3")
    lanes = [lane.name for lane in session.capture.lanes]
    session.in_hand.take_kind(
        next(n for n, key in enumerate(session.capture.kinds.keys) if lanes[key.lane] == "beacon")
    )
    order = session.capture.order_of_kind(session.in_hand.kind)
    first, last = (session.capture.frames.at(order.row(place)).time_ns for place in (0, len(order) - 1))
    view = pilot.window.unravel.history
    for (begin, end), said in (
        ((clock.first_ns, first - 1), f"The next one is at {clock.words(first)} s: press ."),
        ((last + 1, clock.last_ns), f"The last one is at {clock.words(last)} s: press ,"),
    ):
        clock.set_view(begin, end)
        pilot.settle()
        assert f"No frame of it in this stretch. {said}" in [line.words for line in told_lines(view)]
    clock.set_view(first - 1, first + 1)
    pilot.settle()
    assert not any("No frame" in line.words for line in told_lines(view))
