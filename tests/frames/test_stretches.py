"""Recordings that are looked at together."""

from __future__ import annotations

import itertools

from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.frames.stretches import stretches_of

S, H, D = 10**9, 3600 * 10**9, 86_400 * 10**9


def test_recordings_of_one_day_stay_together():
    assert stretches_of([(0, 60 * S), (10 * S, 50 * S), (40 * 60 * S, 41 * 60 * S)]) == [(0, 41 * 60 * S)]


def test_recordings_of_another_day_are_apart():
    assert stretches_of([(9 * D, 9 * D + 60 * S), (0, 60 * S)]) == [(0, 60 * S), (9 * D, 9 * D + 60 * S)]


def test_a_silence_counts_by_how_long_the_recordings_are():
    assert len(stretches_of([(0, 20 * H), (30 * H, 31 * H)])) == 1, "half of a day is no long time beside a day"
    assert len(stretches_of([(0, 30 * S), (H + 31 * S, H + 40 * S)])) == 2
    assert len(stretches_of([(0, 30 * S), (H + 30 * S, H + 40 * S)])) == 1, "an hour itself is not yet long"


def test_there_is_always_something_to_show():
    assert stretches_of([]) == [(0, 1)]
    assert stretches_of([(5, 5)]) == [(5, 6)]


@given(st.lists(st.tuples(st.integers(0, 50 * D), st.integers(0, 3 * H)), max_size=12))
def test_every_recording_lies_in_one_of_them_and_they_are_in_order(spans):
    whole = [(first, first + length) for first, length in spans]
    made = stretches_of(whole)
    assert all(before[1] + H < after[0] for before, after in itertools.pairwise(made))
    for first, last in whole:
        assert sum(one[0] <= first and last <= one[1] for one in made) == 1


def test_the_longer_recording_counts_whether_it_comes_first_or_last():
    """Ten hours of silence beside a recording of an hour are ten times as long, and not longer."""
    assert len(stretches_of([(0, H), (11 * H, 11 * H + S)])) == 1
    assert len(stretches_of([(0, S), (10 * H + S, 11 * H + S)])) == 1
    assert len(stretches_of([(0, H), (11 * H + 1, 11 * H + S)])) == 2
    assert len(stretches_of([(0, S), (10 * H + S + 1, 11 * H + S + 1)])) == 2
