"""Recorded frames whose values are changed on the way out."""

from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.rehearse.messages import throttle
from zesty_abacus.core.codec.messages import encode_message
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.live.batch import Batch
from zesty_abacus.core.live.endpoint import Outgoing
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.rehearse.changing import Changing, parse_change

LAYOUT = throttle()


def _changing(frames, *texts):
    batch = Batch()
    for number, (address, payload) in enumerate(frames):
        batch.add(number, payload, address)
    meaning = Meaning.of(Capture.from_table(batch.table(), [Lane("bus")]), [LAYOUT])
    changing = Changing(meaning, [parse_change(text) for text in texts])
    return [changing.changed(row, Outgoing(payload, address)).payload for row, (address, payload) in enumerate(frames)]


@given(st.lists(st.tuples(st.integers(-100, 100), st.integers(0, 15)), min_size=1, max_size=8))
def test_a_changed_frame_is_what_encoding_the_values_gives(made):
    frames, expected = [], []
    for speed, turn in made:
        values = {"speed": Fraction(speed, 10), "double": Fraction(speed, 5), "turn": turn, "mode": "ahead"}
        frames.append((0x123, encode_message(LAYOUT, values).payload))
        expected.append(encode_message(LAYOUT, values | {"double": Fraction(speed, 10) + 1}).payload)
    assert _changing(frames, "Throttle.double = value / 2 + 1") == expected
    assert _changing(frames, "Throttle.double = speed + 1") == expected, "other fields can be named"


def test_what_is_another_message_goes_out_as_it_was():
    other = (0x124, bytes(range(7)))
    own = (0x123, encode_message(LAYOUT, {"speed": 2}).payload)
    changed = _changing([other, own], "Throttle.speed = value * 2", "Throttle.mode = 2")
    assert changed == [other[1], encode_message(LAYOUT, {"speed": 4, "mode": "astern"}).payload]


def test_bits_that_nobody_owns_stay():
    payload = bytearray(encode_message(LAYOUT, {"speed": 2}).payload)
    payload[2] |= 0xA0
    (changed,) = _changing([(0x123, bytes(payload))], "Throttle.speed = 1")
    assert changed[2] == 0xA0
    assert changed[:2] == b"\0\x0a"
    # the check agrees over the bits that stayed
    assert changed[6] == encode_message(LAYOUT, {}, changed[:6] + b"\0", renews_checks=True).payload[6]
    assert encode_message(LAYOUT, {}, changed).payload == changed, "without renewing it stays as it is"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("speed * 2", "is no change"),
        ("Throttle.speed = value *", "Throttle.speed"),
        ("Rudder.angle = 1", "no message 'Rudder'"),
        ("Throttle.angle = 1", "no field 'angle'"),
        ("Throttle.speed = angle", "no field 'angle'"),
        ("Throttle.speed = value * 1000000", "does not fit"),
    ],
)
def test_what_cannot_be_changed_is_told(text, words):
    with pytest.raises(MisuseError, match=words):
        _changing([(0x123, encode_message(LAYOUT, {"speed": 2}).payload)], text)


def test_a_change_is_written_as_it_is_read():
    change = parse_change("`Hook state`.pull = value * 2 + closed")
    assert (change.message, change.field, str(change.expression)) == ("Hook state", "pull", "value * 2 + closed")
    assert parse_change(change.words) == change
