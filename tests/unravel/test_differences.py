"""Two stretches told apart: by bits that stay in each, by messages that come and go, by periods."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.unravel.conftest import make_capture
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.unravel.differences import Stretch, differences

SECOND = 1_000_000_000
HALVES = [Stretch("before", 0, 10 * SECOND - 1), Stretch("after", 10 * SECOND, 20 * SECOND)]


def message(times_s, payloads):
    return (np.round(np.asarray(times_s) * SECOND)).astype(np.int64), np.asarray(payloads, np.uint8)


def test_a_mode_is_told_by_the_bits_that_differ_and_by_nothing_else():
    times = np.arange(0, 20, 0.1)
    matrix = np.zeros((len(times), 4), np.uint8)
    matrix[:, 0] = np.arange(len(times)) % 16
    matrix[:, 1] = np.where(times < 10, 0b0010_0000, 0b0101_0000)
    matrix[:, 2] = 0xA5
    found = differences(Meaning.of(make_capture(message(times, matrix)), []), HALVES)
    assert [(one.places, one.parameters) for _, one in found] == [
        ("B1[6..4]", {"values": {"before": [2], "after": [5]}})
    ]
    assert found[0][1].reason == "It is 2 in all 100 frames of before, 5 in all 100 frames of after."


def test_messages_that_come_and_hurry_are_told():
    steady = message(np.arange(0, 20, 0.1), np.full((200, 1), 7))
    late = message(np.arange(11, 20, 0.1), np.full((90, 1), 7))
    hurries = message(np.r_[np.arange(0, 10, 0.5), np.arange(10, 20, 0.1)], np.full((120, 1), 7))
    found = differences(Meaning.of(make_capture(steady, late, hurries), []), HALVES)
    told = {one.address: one for _, one in found}
    assert set(told) == {0x101, 0x102}
    assert told[0x101].parameters == {"frames": {"after": 90, "before": 0}}
    assert told[0x102].parameters == {"seconds": {"before": 0.5, "after": 0.1}}


@pytest.mark.parametrize(
    ("counts", "periods", "sure"),
    [
        ((10, 10), (0.4, 0.1), 0.85), ((5, 14), (0.4, 0.1), 0.5), ((3, 3), (0.4, 0.1), 0.5),
        ((10, 10), (0.1, 0.16), 0.85), ((10, 10), (0.1, 0.14), None), ((2, 30), (0.4, 0.1), None),
    ],
)  # fmt: skip
def test_a_message_hurries_from_half_as_much_again_on_and_more_surely_by_twenty_frames(counts, periods, sure):
    times = np.concatenate(
        [first + np.arange(n) * step for first, n, step in zip((0, 10), counts, periods, strict=True)]
    )
    steady = message(np.arange(0, 20, 0.1), np.full((200, 1), 7))
    found = differences(Meaning.of(make_capture(steady, message(times, np.full((len(times), 1), 7))), []), HALVES)
    assert [one.confidence for _, one in found] == ([] if sure is None else [sure])


@pytest.mark.parametrize(("count", "sure"), [(3, 0.6), (9, 0.6), (10, 0.9), (90, 0.9)])
def test_a_message_comes_more_surely_by_ten_frames(count, sure):
    steady = message(np.arange(0, 20, 0.1), np.full((200, 1), 7))
    late = message(11 + np.arange(count) * 0.05, np.full((count, 1), 7))
    ((_, one),) = differences(Meaning.of(make_capture(steady, late), []), HALVES)
    assert one.confidence == sure and one.reason == f"It comes {count} times in after, and not at all in before."


def test_stretches_may_be_rows():
    matrix = np.r_[np.full((100, 2), 3), np.full((100, 2), 12)]
    meaning = Meaning.of(make_capture(message(np.arange(200) / 10, matrix)), [])
    halves = [Stretch("one", first_row=0, end_row=100), Stretch("other", first_row=100, end_row=200)]
    assert [one.places for _, one in differences(meaning, halves)] == ["B0[3..0]", "B1[3..0]"]
    mixed = [Stretch("one", first_row=0, end_row=150), Stretch("other", first_row=50)]
    assert differences(meaning, mixed) == [], "what moves within a stretch tells nothing"


@given(st.lists(st.integers(0, 255), min_size=8, max_size=8), st.lists(st.integers(0, 255), min_size=8, max_size=8))
def test_what_is_told_is_unlike_in_the_frames(one, other):
    times = np.arange(0, 20, 0.5)
    matrix = np.where((times < 10)[:, None], np.array(one, np.uint8), np.array(other, np.uint8))
    found = differences(Meaning.of(make_capture(message(times, matrix)), []), HALVES)
    told = {bit for _, finding in found for bit in parse_places(finding.places).bits}
    assert told == {byte * 8 + bit for byte in range(8) for bit in range(8) if (one[byte] ^ other[byte]) >> bit & 1}
