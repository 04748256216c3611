"""What a problem says, of one place and of several, in words fixed here; and what it takes to be one, at its limits."""

from __future__ import annotations

import numpy as np
import pytest

from tests.problems.made import MS, capture_of, found, stream
from tests.problems.test_values import every, payloads, winch
from zesty_abacus.core.problems.answers import _slow
from zesty_abacus.core.problems.counting import Counted
from zesty_abacus.core.problems.period import usual_period
from zesty_abacus.core.problems.runs import Runs
from zesty_abacus.core.problems.senders import _by_counter
from zesty_abacus.core.problems.values import _stuck


@pytest.mark.parametrize(
    ("missing", "words"),
    [
        ([20, 21], "Comes every 100 ms, and was away once for 300 ms."),
        ([20, 21, 40], "Comes every 100 ms, and was away 2 times, at worst for 300 ms."),
    ],
)
def test_a_gap_is_told_once_or_at_its_worst(missing, words):
    problem = found(capture_of(stream(np.delete(every(80), missing))))["gap", 0x100]
    assert problem.reason == words


def test_a_value_that_hangs_is_told_once_or_at_longest():
    lively = np.random.default_rng(2).integers(-90, 90, 900)
    lively[300:400] = 37
    (stuck,) = found(capture_of(stream(every(900), payloads(lively))), [winch()]).values()
    assert stuck.reason == "Moves in 100% of its frames, but stood still once, for 9.9 s."
    lively[500:620] = 38
    (stuck,) = found(capture_of(stream(every(900), payloads(lively))), [winch()]).values()
    assert stuck.reason == "Moves in 100% of its frames, but stood still 2 times, at longest for 11.9 s."
    assert stuck.count == 2


@pytest.mark.parametrize(
    ("longest", "is_stuck"),
    [
        # thirty frames alike, and five times as many as any other run of what moves otherwise
        (29, False),
        (30, True),
    ],
)
def test_thirty_frames_alike_are_a_value_that_hangs(longest, is_stuck):
    values = np.concatenate([np.arange(100) + 1, np.full(longest, 7), np.arange(100) + 1])
    runs = Runs()
    runs.add(values, np.arange(len(values)))
    assert list(_stuck(runs, runs.finish())) == ([100] if is_stuck else [])


@pytest.mark.parametrize(("other", "is_stuck"), [(6, True), (7, False)])
def test_five_times_as_many_as_any_other_run(other, is_stuck):
    values = np.concatenate([np.arange(100) + 1, np.full(30, 7), np.arange(100) + 1, np.full(other, 9), [3, 4]])
    runs = Runs()
    runs.add(values, np.arange(len(values)))
    assert len(_stuck(runs, runs.finish())) == is_stuck


@pytest.mark.parametrize(("at_once", "is_found"), [(1, True), (2, True), (4, True), (5, False)])
def test_up_to_four_frames_come_in_one_period(at_once, is_found):
    """Pages that stand wherever they like within a period: one is as far from the next of its sort as any other."""
    apart = np.array([0, 7, 31, 45, 80])[:at_once]
    times = np.sort((np.arange(60)[:, None] * 200 + apart).reshape(-1)) * MS
    found_period = usual_period(times)
    assert (found_period is not None and found_period.ns == 200 * MS) == is_found


@pytest.mark.parametrize(
    ("took", "slow"),
    [
        # in the middle 10 ms, give or take nothing: three times as long is late
        ([10] * 20 + [30], 0), ([10] * 20 + [31], 1),
        # a millisecond more is never late
        ([0.1] * 20 + [1.1], 0), ([0.1] * 20 + [1.2], 1),
        # 30 ms to either side of 100: eight deviations, as the median tells them, are 8 x 1.4826 x 30 ms
        ([70] * 10 + [130] * 9 + [100] + [100 + 8 * 1.4826 * 30 - 1], 0),
        ([70] * 10 + [130] * 9 + [100] + [100 + 8 * 1.4826 * 30 + 1], 1),
        # of seven nothing is usual
        ([10] * 6 + [500], 0),
    ],
)  # fmt: skip
def test_how_late_an_answer_is(took, slow):
    took_ns = np.array([round(one * MS) for one in took], np.int64)
    told = list(_slow(Answers(len(took)), took_ns))
    assert sum(map(len, told)) == slow


class Answers:
    """What is asked of a kind whose answers were timed; a problem is its places."""

    def __init__(self, count):
        self.flags = np.zeros(count, np.uint32)

    def __len__(self):
        return len(self.flags)

    def limit(self, _kind):
        return None

    def problem(self, _kind, places, *_words, **_figures):
        return places


def chain(first, second, sender=0):
    """Return numbers of two counters that take turns."""
    numbers = np.array([number for pair in zip(first, second, strict=True) for number in pair], np.int64) % 16
    places = np.arange(len(numbers))
    senders = np.zeros(len(numbers), np.int64)
    senders[-1] = sender
    return Counted(places, numbers, senders, places, 1, 16)


def test_two_counters_take_turns_eight_times_at_the_least():
    assert _by_counter(chain(range(8), range(5, 13))).tolist() == list(range(1, 16, 2))
    assert _by_counter(chain(range(7), range(5, 12))).tolist() == []
    assert _by_counter(chain(range(8), range(5, 13), sender=1)).tolist() == [], "who sends is told already"
