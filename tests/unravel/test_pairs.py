"""Which messages answer which: found by times and repeated bytes, never among what comes by the clock."""

import numpy as np

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


def test_what_comes_by_the_clock_answers_nothing():
    steady = np.arange(0, 60, 0.75)
    other = message(steady + 0.003, RANDOM.integers(0, 256, (80, 4)))
    assert pairs_of(message(steady, RANDOM.integers(0, 256, (80, 4))), other) == []


def test_two_that_come_on_their_own_are_no_pair():
    alone = np.sort(RANDOM.uniform(0, 60, 80))
    assert pairs_of(request(), message(alone, RANDOM.integers(0, 256, (80, 4)))) == []
