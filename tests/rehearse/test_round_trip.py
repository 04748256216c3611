"""What becomes of values on their way, and what is told before something is sent."""

from fractions import Fraction

import msgspec
import pytest

from tests.rehearse.messages import throttle
from zesty_abacus.core.layouts.model import Applies, FieldKind, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.rehearse.before import before_sending
from zesty_abacus.core.rehearse.message import OutgoingMessage, feeds_of
from zesty_abacus.core.rehearse.round_trip import round_trip
from zesty_abacus.demo.layouts import make_field


def _layout(**settings):
    given = {"places": "B0 B1", "kind": "signed", "step": "0.1", "unit": "kn"} | settings
    return new_layout("L", Applies(address=1), 4, [make_field("speed", **given)])


def test_within_one_layout_half_a_step_is_lost():
    (trip,) = round_trip(_layout())
    assert trip.words == ()
    assert Fraction(48, 1000) < trip.loss <= Fraction(1, 20)
    assert len(trip.curve) > 500
    # of 65 536 numbers, half of them below zero
    assert trip.share == pytest.approx(float(trip.loss) / 6553.5)


@pytest.mark.parametrize(("settings", "loss"), [
    ({"step": "1", "unit": ""}, 0.0), ({"step": "1", "unit": "kn"}, 0.49), ({"step": "0.1", "unit": ""}, 0.049),
    ({"step": "3", "unit": ""}, 1.47),
])  # fmt: skip
def test_between_two_numbers_of_a_plain_count_there_is_nothing_to_lose(settings, loss):
    (trip,) = round_trip(_layout(**settings))
    assert float(trip.loss) == pytest.approx(loss, rel=0.01)


@pytest.mark.parametrize(
    ("other", "words", "share"),
    [
        ({"step": "10"}, "the ratio is the wrong way round", 40),
        ({"places": "B1 B0"}, "the order of its bytes is turned round", 0.3),
        ({"kind": "unsigned"}, "sent with a sign, and read without", 0.9),
        ({"places": "B0"}, "16 bits are sent, and 8 are read", 0.4),
        ({"offset": "5"}, "where it is sent, 5 where it is read", 0.0007),
        ({"unit": "m/s"}, "sent in kn, and read in m/s", 0),
        ({"places": "B2 B3"}, "sent in B0 B1, and read from B2 B3", 0.4),
    ],
)
def test_a_receiver_that_reads_otherwise_is_told_in_numbers(other, words, share):
    (trip,) = round_trip(_layout(), _layout(**other))
    assert any(words in sentence for sentence in trip.words), trip.words
    assert trip.share >= share
    assert trip.loss == abs(trip.meant - trip.arrives)


def test_an_offset_that_is_doubled_or_turned():
    (trip,) = round_trip(_layout(offset="-40"), _layout(offset="-80"))
    assert "the offset is doubled" in trip.words[0]
    assert Fraction(40) <= trip.loss <= Fraction(401, 10)
    (trip,) = round_trip(_layout(offset="-40"), _layout(offset="40"))
    assert "the sign of the offset is turned" in trip.words[0]


def test_a_field_that_nobody_reads_and_one_that_is_no_number():
    text = new_layout("T", Applies(address=1), 4, [make_field("name", "B0..B3", "text")])
    assert round_trip(text) == []
    (trip,) = round_trip(_layout(), new_layout("R", Applies(address=1), 4, []))
    assert trip.words == ("R has no field speed.",)
    assert trip.arrives is None


def test_floats_and_curves_go_through():
    trips = round_trip(new_layout("F", Applies(address=1), 4, [make_field("x", "B0..B3", "float")]))
    assert trips[0].share < 1e-6


@pytest.mark.parametrize(
    ("values", "settings", "words"),
    [
        (["speed=3.14"], {}, "speed is off by 0.04 kn: a step is 0.1 kn"),
        (["speed=25"], {}, "speed is outside its limits"),
        (["speed=9999"], {}, "does not fit"),
        ([], {"heard": {(0x123, False): "helm"}}, "helm sends 0x123, too; two senders collide."),
        ([], {"every_s": 0.001, "bit_rate": 125_000, "load": 0.1}, "the line would be"),
    ],
)
def test_what_is_told_before_sending(values, settings, words):
    said = list(before_sending(OutgoingMessage(throttle(), feeds_of(values)), **settings))
    assert any(words in sentence for sentence in said), said


def test_a_message_that_is_fine_is_sent_without_a_word():
    message = OutgoingMessage(throttle(), feeds_of(["speed=3.1"]))
    moving = OutgoingMessage(message.layout, feeds_of(["speed=sine 0 to 3.33 in 1 s"]))
    assert list(before_sending(moving)) == [], "the value of a moment is nobody's"
    assert list(before_sending(message, heard={(0x124, False): "x"}, every_s=0.1, bit_rate=500_000)) == []


def test_fields_that_overlap_are_told():
    layout = throttle()
    moved = msgspec.structs.replace(layout.fields[2], places=parse_places("B1 B2"), kind=FieldKind.UNSIGNED)
    message = OutgoingMessage(layout.with_field(moved), {})
    assert any("share bits" in sentence for sentence in before_sending(message))
