"""Claims: written from bits, borne out and refuted by hand, seen by another window of the same library."""

import re
from uuid import uuid4

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor

from tests.desk.pilot import Pilot
from zesty_abacus.core.library.documents import Claim, ClaimStanding
from zesty_abacus.core.report.traces import seen_figure
from zesty_abacus.desk.app.session import Session
from zesty_abacus.desk.desks.unravel.seen_curve_view import SeenCurveView
from zesty_abacus.desk.desks.unravel.side import CLAIMS, SELECTION
from zesty_abacus.desk.widgets.theme import look
from zesty_abacus.desk.window import Window

BITS = frozenset({32, 33, 34, 35, *range(40, 48)})


@pytest.fixture
def claiming(pilot):
    """Return hands on a claim about the turn rate of an unnamed message."""
    pilot.window.show_desk("Unravel")
    pilot.session.in_hand.take_kind(pilot.kind(0x2C1))
    pilot.settle()
    pilot.session.in_hand.select_bits(BITS)
    pilot.settle()
    pilot.window.setFocus()
    pilot.key("W")
    pilot.type(side(pilot).statement, "turn rate", enter=True)
    pilot.settle()
    return pilot


def side(pilot):
    return pilot.window.unravel.side.claims


def kept(pilot):
    return [head.state for head in pilot.session.library.claims.heads()]


def test_a_claim_is_about_the_selected_bits_and_in_hand(claiming):
    (claim,) = kept(claiming)
    assert (claim.name, claim.lane, claim.address) == ("turn rate", "thruster", 0x2C1)
    assert (claim.places, claim.standing.value) == ("B4[3..0] B5", "guess")
    assert claiming.window.unravel.side.page == CLAIMS and side(claiming).hand.name.text() == "turn rate"
    assert claiming.window.unravel.side.tabs.tabText(CLAIMS) == "Claims 1"


def test_the_frame_at_the_cursor_is_evidence_by_one_key(claiming):
    claiming.window.setFocus()
    claiming.key("E")
    claiming.settle()
    (claim,) = kept(claiming)
    frame = claiming.session.store.frame_at(claiming.session.in_hand.kind, None, claiming.session.clock.cursor_ns)
    raw = (frame.payload[4] & 15) << 8 | frame.payload[5]
    assert raw > 4_000, "a small turn to the other side"
    told = f"B4[3..0] B5 is −{4_096 - raw}, signed, high byte first, in {frame.payload.hex(' ').upper()}, frame "
    assert claim.evidence[0].startswith(told)


def test_bits_that_are_read_as_nothing_are_a_whole_number(claiming):
    claiming.session.in_hand.select_bits(frozenset())
    claiming.window.setFocus()
    claiming.key("E")
    claiming.settle()
    (claim,) = kept(claiming)
    assert re.match(r"B4\[3\.\.0\] B5 is \d\u2009\d{3} in ", claim.evidence[0])


def test_the_curve_of_the_reading_is_evidence_by_one_key_and_stands_in_the_report(claiming):
    session, desk = claiming.session, claiming.window.unravel
    claiming.wait(lambda: desk.reckoner.current is not None, "readings")
    claiming.window.setFocus()
    claiming.key(Qt.Key.Key_E, Qt.KeyboardModifier.ShiftModifier)
    claiming.wait(lambda: kept(claiming)[0].curves, "the curve to be kept")
    (claim,), reading = kept(claiming), desk.reckoner.current
    (curve,) = claim.curves
    assert curve.words.startswith(f"{reading.reading.field.places} {reading.reading.words} of ")
    assert (curve.first_ns, curve.last_ns) == (session.clock.view_first_ns, session.clock.view_last_ns)
    values = reading.curve.values[(reading.curve.time_ns >= curve.first_ns) & (reading.curve.time_ns < curve.last_ns)]
    assert curve.value_range() == pytest.approx((values.min(), values.max()), rel=1e-4)
    views = side(claiming).hand.findChildren(SeenCurveView)
    assert len(views) == 1 and views[0].height() > 60 and "Curve: B4" in views[0].accessibleName()
    drawn = views[0].grab().toImage()
    colours = {drawn.pixelColor(x, y).name() for x in range(drawn.width()) for y in range(drawn.height())}
    assert QColor(look.theme.zest).name() in colours
    figure = seen_figure(curve)
    assert "polygon" in figure.elements and figure.words == curve.words


def test_a_refuted_claim_says_why_and_stays_readable(claiming):
    hand = side(claiming).hand
    hand.standing.setCurrentText("refuted")
    hand.standing.activated.emit(3)
    claiming.settle()
    assert kept(claiming)[0].standing.value == "guess", "not without a reason"
    claiming.type(hand.why, "it goes on while moored", enter=True)
    claiming.wait(lambda: kept(claiming)[0].standing.value == "refuted", "the claim to be kept")
    (claim,) = kept(claiming)
    assert claim.standing.value == "refuted" and claim.evidence == ("Refuted: it goes on while moored",)
    assert hand.field.isHidden(), "nobody makes a field of it"
    side(claiming).standing.setCurrentText("likely")
    assert side(claiming).rows.things == [] and side(claiming).hint.text() == "No claim is like that."
    side(claiming).standing.setCurrentText("refuted")
    assert len(side(claiming).rows.things) == 1


def test_what_is_chosen_and_typed_stays_when_others_write(claiming):
    hand = side(claiming).hand
    hand.standing.setCurrentText("refuted")
    hand.standing.activated.emit(3)
    claiming.type(hand.why, "it goes on")
    shared = claiming.session.shared
    made = Claim(uuid4(), "another one", "thruster", 0x2C1, "B6", ClaimStanding.GUESS, ())
    shared.library.claims.commit(made, parent=None, author="nora", reason="claimed")
    shared.notes_changed.emit()
    claiming.wait(lambda: len(kept(claiming)) == 2, "the claim of somebody else")
    claiming.settle()
    assert (hand.standing.currentText(), hand.why.text()) == ("refuted", "it goes on")
    side(claiming)._choose(next(head for head in claiming.session.claims.heads if head.state.name == "another one"))
    claiming.settle()
    assert (hand.standing.currentText(), hand.why.text()) == ("guess", ""), "said of the other claim only"


def test_it_is_talked_about(claiming):
    claiming.type(side(claiming).hand.talk.line, "agrees with the compass", enter=True)
    claiming.settle()
    claim = kept(claiming)[0]
    assert [head.state.text for head in claiming.session.library.comments.about(claim.id)] == [
        "agrees with the compass"
    ]


def test_a_claim_becomes_a_field(claiming):
    claiming.click(side(claiming).hand.field)
    claiming.settle()
    panel = claiming.window.unravel.side.selection
    assert claiming.window.unravel.side.page == SELECTION and panel.field.text() == "turn rate"
    claiming.type(panel.message, "Hull motion")
    assert panel.keep_field()
    claiming.settle()
    assert claiming.session.reading.layout_of(claiming.session.in_hand.kind).field_named("turn rate") is not None


def test_another_window_sees_it_and_its_bits(claiming):
    other = Window(Session())
    other.show()
    hands = Pilot(other)
    try:
        other.session.trials.open(claiming.session.trial.folder)
        hands.wait_open()
        other.show_desk("Unravel")
        hands.wait(lambda: other.session.claims.heads, "the claim in the other window")
        row = other.unravel.side.claims
        other.unravel.side.tabs.setCurrentIndex(CLAIMS)
        hands.settle()
        row._choose(row.rows.things[0])
        hands.settle()
        assert other.session.in_hand.bits == BITS and other.unravel.side.page == CLAIMS
    finally:
        other.close()


def test_a_claim_about_the_whole_message_names_no_bits(claiming):
    side(claiming).about.setCurrentText("this message")
    claiming.type(side(claiming).statement, "comes from the gyro", enter=True)
    claiming.settle()
    assert {claim.name: claim.places for claim in kept(claiming)} == {
        "turn rate": "B4[3..0] B5", "comes from the gyro": "",
    }  # fmt: skip


def test_nothing_is_written_without_words(claiming):
    told = []
    claiming.session.told.connect(lambda _tone, sentence: told.append(sentence))
    assert not side(claiming).write()
    assert told and len(kept(claiming)) == 1
