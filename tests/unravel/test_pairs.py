"""Which messages answer which: found by times and repeated bytes, never among what comes by the clock."""

import numpy as np
import pytest

from tests.unravel.conftest import make_capture
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.unravel.look import Asked, unravel

RANDOM = np.random.default_rng(4)
ASKED = np.sort(RANDOM.uniform(0, 60, 80))


def message(times_s, matrix):
    return np.round(times_s * 1e9).astype(np.int64), matrix.astype(np.uint8)


def pairs_of(*messages):
    capture = make_capture(*messages)
    found = unravel(Meaning.of(capture, []), Asked(kinds=frozenset({"pair"})))
    return [one for kind in found.kinds for one in kind.findings]


def request():
    matrix = np.zeros((80, 4))
    matrix[:, 0], matrix[:, 1] = 0x22, RANDOM.integers(0, 200, 80)
    return message(ASKED, matrix)


def test_an_answer_that_repeats_a_byte_is_told_by_its_echo():
    times, matrix = request()
    answer = np.c_[np.full(80, 0x62), matrix[:, 1], RANDOM.integers(0, 256, (80, 2))]
    (one,) = pairs_of((times, matrix), message(ASKED + 0.004, answer))
    assert (one.address, one.parameters["with"]["address"], one.parameters["by"]) == (0x100, 0x101, "echo")
    assert 0.003 < one.parameters["median_s"] < 0.005 and one.parameters["missing"] == 0 == one.against


def test_one_without_an_echo_is_told_by_time_and_what_is_missing_is_counted():
    times, matrix = request()
    kept = np.arange(80) % 20 != 7
    answer = RANDOM.integers(0, 256, (76, 3))
    (one,) = pairs_of((times, matrix), message(ASKED[kept] + 0.006, answer))
    assert one.parameters["by"] == "time" and one.parameters["missing"] == 4


@pytest.mark.parametrize(("more", "is_pair"), [(20, True), (21, False)])
def test_what_comes_a_quarter_more_often_still_answers_and_what_comes_more_often_does_not(more, is_pair):
    """Some are repeated a little later."""
    random = np.random.default_rng(6)
    asked = np.sort(random.uniform(0, 600, 80)) + np.arange(80) * 0.1
    times = np.sort(np.r_[asked + 0.006, asked[:more] + 0.02])
    found = pairs_of(message(asked, request()[1]), message(times, random.integers(0, 256, (80 + more, 3))))
    assert [one.address for one in found] == [0x100] * is_pair


def test_what_comes_by_the_clock_answers_nothing():
    steady = np.arange(0, 60, 0.75)
    other = message(steady + 0.003, RANDOM.integers(0, 256, (80, 4)))
    assert pairs_of(message(steady, RANDOM.integers(0, 256, (80, 4))), other) == []


def test_two_that_come_on_their_own_are_no_pair():
    alone = np.sort(RANDOM.uniform(0, 60, 80))
    assert pairs_of(request(), message(alone, RANDOM.integers(0, 256, (80, 4)))) == []


def numbered_requests(count=120, late=False, width=1):
    """Requests with a number that goes up from the middle of its range, answered in turn or not."""
    random = np.random.default_rng(9)
    times = np.sort(random.uniform(0, 60, count))
    number = (200 + np.arange(count)) % (1 << 8 * width)
    ask = np.zeros((count, 5))
    ask[:, 0], ask[:, 3] = 0x30, random.integers(0, 3, count)
    back = np.zeros((count, 6))
    back[:, 0], back[:, 4] = 0x70, random.integers(0, 3, count)
    for byte in range(width):
        ask[:, 1 + byte] = back[:, 2 + byte] = number >> 8 * byte & 0xFF
    took = random.uniform(0.5, 2.5, count) if late else np.full(count, 0.01)
    order = np.argsort(times + took)
    return message(times, ask), message((times + took)[order], back[order])


@pytest.mark.parametrize("late", [False, True])
def test_a_number_ties_answers_to_requests_also_where_they_overlap(late):
    (one,) = pairs_of(*numbered_requests(late=late))
    assert one.address == 0x100 and one.parameters["with"]["address"] == 0x101
    assert one.parameters["by"] == {"places": "B1", "with_places": "B2"} and one.parameters["missing"] == 0
    assert ("behind that of a later one" in one.reason) is late
    assert 0.005 < one.parameters["median_s"] < 3


def test_a_number_of_two_bytes_is_told_with_its_order():
    (one,) = pairs_of(*numbered_requests(count=300, late=True, width=2))
    assert one.parameters["by"] == {"places": "B2 B1", "with_places": "B3 B2"}


def test_two_messages_that_count_by_themselves_have_no_number_in_common():
    """Both count from frame to frame; so each number is in both, but not soon after."""
    random = np.random.default_rng(12)
    times, others = (np.sort(random.uniform(0, 60, 120)) for _ in range(2))
    one, other = np.zeros((120, 4)), np.zeros((120, 4))
    one[:, 1], other[:, 1] = np.arange(120) % 256, (np.arange(120) + 90) % 256
    assert [
        each for each in pairs_of(message(times, one), message(others, other)) if each.parameters["by"] != "time"
    ] == []
