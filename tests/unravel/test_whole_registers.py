"""Numbers of registers of sixteen bits: which are made as wide as their registers, and what is then said of them."""

import numpy as np
import pytest

from zesty_abacus.core.frames.capture import KindFrames
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.unravel.devices.whole_registers import in_whole_registers
from zesty_abacus.core.unravel.finding import Said, When
from zesty_abacus.core.unravel.seen import Seen

ALL_FREE = np.ones(32, np.bool_)


def seen_of(first, second=0):
    """Return frames of two registers, high byte first: values of the first, and one value of the second."""
    rows = np.stack([np.array(first, np.int64) & 0xFFFF, np.full(len(first), second)], axis=1).astype(">u2")
    count = np.arange(len(first))
    frames = KindFrames(count.astype(np.uint32), count * 10**9, np.full(len(first), 4, np.uint32), rows.view(np.uint8))
    return Seen.of(frames, 4)


def number(places, reading="unsigned", *, kind="field", when=(), **more):
    bits = parse_places(places).bits
    return Said(kind=kind, bits=bits, parameters={"reading": reading, **more}, frames=9, confidence=0.9,
                reason="It moves.", when=when)  # fmt: skip


def widened(seen, *found, free=ALL_FREE):
    return [one for one in in_whole_registers(seen, found, free) if one.kind != "constant"]


def test_a_number_fills_its_register_where_the_bits_above_never_move():
    seen = seen_of([3, 9, 40, 21, 1000])
    (made,) = widened(seen, number("B0[1..0] B1"))
    assert made.places == "B0 B1" and made.parameters["reading"] == "unsigned"
    assert made.reason == (
        "As one number it runs from 3 to 1\u2009000 with steps of at most 979; 6 bits above, up to the whole register, "
        "never move."
    )
    (made,) = widened(seen_of([5, 255, 300, 0x7FFF]), number("B0[6..0] B1"))
    assert "1 bit above, up to the whole register, never moves." in made.reason


@pytest.mark.parametrize(
    ("values", "places", "reading", "wide"),
    [
        ([-3, -9, -40, -1], "B0[1..0] B1", "signed", "signed"),
        ([-3, -9, -40, -1], "B0[1..0] B1", "unsigned", "signed"),
        ([3, 9, 40, 1], "B0[1..0] B1", "signed", "unsigned"), ([1, 2, 3, 1], "B1[1..0]", "names", "names"),
    ],
)  # fmt: skip
def test_bits_above_say_whether_it_has_a_sign(values, places, reading, wide):
    """All ones above are the sign of a negative number; with zeros above there never was one."""
    (made,) = widened(seen_of(values), number(places, reading))
    assert (made.places, made.parameters["reading"]) == ("B0 B1", wide)


def test_what_names_say_is_kept_and_the_bits_above_are_told():
    (made,) = widened(seen_of([1, 2, 3, 1]), number("B1[1..0]", "names"))
    assert made.reason == "It moves. Its 14 bits above, up to the whole register, never move."


@pytest.mark.parametrize(
    "found",
    [
        number("B0[1..0] B1", kind="counter"), number("B0[1..0] B1", "bcd"), number("B0[1..0] B1", array=[2]),
        number("B0[1..0] B1", when=(When("B2", "1"),)), number("B0 B1"),
        # the lowest of its bits are missing: with them it would be another number
        number("B0[1..0] B1[7..1]"), number("B0[5..2] B1"),
    ],
    ids=["counter", "digits", "array", "at times", "whole already", "cut below", "with a hole"],
)  # fmt: skip
def test_others_stay_as_they_are(found):
    assert widened(seen_of([3, 9, 40, 21, 1000]), found) == [found]


def test_bits_that_move_or_are_spoken_for_are_not_taken():
    narrow = number("B1")
    assert widened(seen_of([3, 256, 40, 21]), narrow) == [narrow], "a bit above moves"
    seen = seen_of([3, 9, 40, 21])
    flag = number("B0[6]", kind="counter")
    assert widened(seen, narrow, flag) == [narrow, flag], "another finding has a bit above"
    free = ALL_FREE.copy()
    free[0] = False
    assert widened(seen, narrow, free=free) == [narrow], "a layout has a bit above"


def test_constants_are_made_anew_of_what_is_left():
    seen = seen_of([3, 9, 40, 21], second=7)
    still = number("B0", kind="constant")
    at_times = number("B2", kind="constant", when=(When("B1", "3"),))
    made = in_whole_registers(seen, [number("B1"), still, at_times], ALL_FREE)
    assert made[0].places == "B0 B1" and made[1] == at_times
    # what holds at times stays; of the rest only bits that nobody has are constant
    assert [one.places for one in made[2:]] == ["B3"]


def test_registers_of_the_low_byte_first():
    rows = np.stack([np.array([3, 9, 40, 21]), np.full(4, 0)], axis=1).astype("<u2")
    count = np.arange(4)
    frames = KindFrames(count.astype(np.uint32), count * 10**9, np.full(4, 4, np.uint32), rows.view(np.uint8))
    (made,) = widened(Seen.of(frames, 4), number("B1[1..0] B0"))
    assert made.places == "B1 B0"
