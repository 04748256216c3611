"""Gaps, late frames, messages that come and go, second senders: what was put in is found, and nothing else."""

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from tests.problems.made import MS, capture_of, found, stream
from zesty_abacus.core.problems.limits import Limit
from zesty_abacus.core.problems.period import usual_period


def steady(count, period_ms=100, *, begin_ms=0, noise=0.0, seed=1):
    random = np.random.default_rng(seed)
    times = begin_ms * MS + np.arange(count) * period_ms * MS
    return times + (random.uniform(-noise, noise, count) * period_ms * MS).astype(np.int64)


@given(st.data())
def test_frames_that_are_dropped_are_gaps_and_nothing_else_is(data):
    count = data.draw(st.integers(60, 120))
    period = data.draw(st.sampled_from([5, 20, 100, 1000]))
    noise = data.draw(st.sampled_from([0.0, 0.01, 0.05]))
    dropped = data.draw(st.sets(st.integers(1, count - 2), max_size=10))
    times = steady(count, period, noise=noise, seed=count)
    left = [n for n in range(count) if n not in dropped]
    problems = found(capture_of(stream(times[left])))
    behind = [a for a, b in pairwise(left) if b - a > 1]
    if not behind:
        assert not problems
        return
    assert set(problems) == {("gap", 0x100)}
    gap = problems["gap", 0x100]
    assert gap.time_ns.tolist() == times[behind].tolist(), "a gap is at the frame before it"
    longest = max(b - a for a, b in pairwise(left))
    assert gap.worst == pytest.approx(longest * period / 1e3, rel=0.11)
    assert gap.worst_ns in [times[a] for a, b in pairwise(left) if b - a == longest]


def test_a_late_frame_is_off_its_time_once_and_no_gap():
    times = steady(50)
    times[[10, 20, 30]] += 60 * MS
    problems = found(capture_of(stream(times)))
    assert set(problems) == {("jitter", 0x100)}
    assert problems["jitter", 0x100].time_ns.tolist() == times[[10, 20, 30]].tolist()
    assert problems["jitter", 0x100].worst == pytest.approx(0.06)


def test_an_early_frame_is_off_its_time():
    times = steady(50)
    times[[10, 20, 30]] -= 40 * MS
    jitter = found(capture_of(stream(times)))["jitter", 0x100]
    assert jitter.time_ns.tolist() == times[[10, 20, 30]].tolist()


def test_what_is_sent_besides_since_something_changed_is_not_off_its_time():
    times = np.sort(np.concatenate([steady(60), [512 * MS, 1234 * MS, 1240 * MS, 3333 * MS]]))
    assert not found(capture_of(stream(times)))


def test_a_message_that_comes_as_it_pleases_has_neither_gaps_nor_jitter():
    times = np.cumsum(np.random.default_rng(3).exponential(50, 400) * MS).astype(np.int64)
    assert not found(capture_of(stream(times)))


def test_a_clock_of_a_millisecond_is_not_taken_for_jitter():
    times = (np.arange(200) * 2.5).round().astype(np.int64) * MS
    assert not found(capture_of(stream(times)))


def test_pages_sent_together_have_a_period_and_gaps():
    first = steady(40)
    times = np.sort(np.concatenate([first, first + 3 * MS]))
    assert not found(capture_of(stream(times))), "two frames a period are two pages, not two senders"
    gap = found(capture_of(stream(np.delete(times, [21]))))["gap", 0x100]
    assert (gap.count, gap.worst_ns) == (1, times[20])


def test_bursts_of_one_length_have_no_gaps_between_them():
    times = (np.arange(100)[:, None] * 40 + np.arange(6)[None, :]).reshape(-1) * MS
    assert not found(capture_of(stream(times)))


def test_messages_that_appear_and_vanish():
    late, gone = stream(steady(120, begin_ms=8000), address=2), stream(steady(50), address=3)
    problems = found(capture_of(stream(steady(200)), late, gone))
    assert set(problems) == {("appeared", 2), ("vanished", 3)}
    assert (problems["appeared", 2].first_ns, problems["appeared", 2].worst) == (8000 * MS, 8.0)
    assert (problems["vanished", 3].first_ns, problems["vanished", 3].worst) == (4900 * MS, 15.0)


def test_a_limit_of_the_trial_goes_before_what_is_usual():
    times = np.delete(steady(60), [30, 31, 40])
    limit = [Limit(problem="gap", lane="deck", address=0x100, flags=0, value=0.25)]
    gap = found(capture_of(stream(times)), limits=limit)["gap", 0x100]
    assert gap.time_ns.tolist() == [2900 * MS] and "May be away for 250 ms" in gap.reason
    off = [Limit(problem="jitter", lane="deck", address=0x100, flags=0, value=0.01)]
    times = steady(60)
    times[7] += 15 * MS
    assert found(capture_of(stream(times)), limits=off)["jitter", 0x100].count == 1
    assert not found(capture_of(stream(times)))


@given(drift=st.sampled_from([0.999, 1.0007, 1.002]), seed=st.integers(0, 20), begin=st.integers(5, 95))
def test_a_second_sender_is_told_by_its_beat(drift, seed, begin):
    random = np.random.default_rng(seed)
    first = np.arange(600) * 100 * MS + random.integers(0, MS, 600)
    second = begin * MS + (np.arange(600) * 100 * MS * drift).astype(np.int64)
    assume(np.min(np.abs(first[:, None] - second[None, :])) > 0)
    problem = found(capture_of(stream(first), stream(second)))["two-senders", 0x100]
    # while the two beats lie on each other nobody can tell whose a frame is
    assert 100 <= problem.count <= 610


def test_a_second_sender_that_joins_is_told_and_spoils_no_distance():
    first, second = steady(200), steady(100, begin_ms=5042)
    problems = found(capture_of(stream(first), stream(second)))
    assert set(problems) == {("two-senders", 0x100)}
    assert problems["two-senders", 0x100].time_ns.tolist() == second.tolist()[: problems["two-senders", 0x100].count]
    assert problems["two-senders", 0x100].count >= 98


def test_periods():
    assert usual_period(steady(7)) is None and usual_period(np.zeros(50, np.int64)) is None
    assert usual_period(steady(50)).ns == 100 * MS


DAY = 86_400_000 * MS


def days(*tables):
    """Return a capture of recordings of different days, a segment each."""
    first = capture_of(*tables[0])
    return first.grown([one for table in tables[1:] for one in capture_of(*table).segments])


def test_what_lies_between_recordings_of_two_days_is_no_fault_of_the_bus():
    monday, friday = steady(60), steady(60) + 4 * DAY
    assert not found(days([stream(monday)], [stream(friday)]))
    # each recording by itself is looked at as ever
    dropped = np.delete(friday, [30, 31])
    gap = found(days([stream(monday)], [stream(dropped)]))["gap", 0x100]
    assert gap.time_ns.tolist() == [friday[29]] and gap.worst == pytest.approx(0.3)


def test_a_message_that_was_there_on_one_day_only_has_not_vanished_on_it():
    other = stream(steady(60), address=0x200)
    assert not found(days([stream(steady(60)), other], [stream(steady(60) + 4 * DAY)]))
    ends = stream(steady(30), address=0x200)
    problems = found(days([stream(steady(60)), ends], [stream(steady(60) + 4 * DAY)]))
    assert set(problems) == {("vanished", 0x200)}
    assert problems["vanished", 0x200].worst == pytest.approx(3.0)


def test_a_recording_that_is_silent_for_long_itself_still_has_a_gap():
    times = np.concatenate([steady(60), steady(60) + 4 * DAY])
    assert found(capture_of(stream(times)))["gap", 0x100].worst == pytest.approx(4 * 86_400, rel=0.01)
