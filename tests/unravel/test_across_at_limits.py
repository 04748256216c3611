"""Periods, thresholds and mirrors: their figures by hand and against plain loops, each limit at, below and above."""

from types import SimpleNamespace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from zesty_abacus.core.unravel.across.mirrors import _moved, _shares, _whole
from zesty_abacus.core.unravel.across.pairs import _answered
from zesty_abacus.core.unravel.across.periods import _period
from zesty_abacus.core.unravel.across.thresholds import _chance, _State, _threshold
from zesty_abacus.core.values.reference import ReferenceColumn

MS = 1_000_000


# how often


def kind_of(gaps_ms, payloads=None):
    """Return what the question about periods asks of a kind: its times, and payloads that never change."""
    times = np.concatenate([[0], np.cumsum(np.asarray(gaps_ms, np.float64) * MS)]).astype(np.int64)
    matrix = np.zeros((len(times), 1), np.uint8) if payloads is None else np.asarray(payloads, np.uint8).reshape(-1, 1)
    follows = np.ones(len(times), np.bool_)
    follows[0] = False
    return SimpleNamespace(time_ns=times, thin=SimpleNamespace(matrix=matrix, follows=follows))


def test_a_period_in_figures():
    found = _period(kind_of([100, 102, 98, 100, 100, 200, 100, 100, 100, 100]))
    assert found.parameters["seconds"] == pytest.approx(0.1)
    assert found.parameters["jitter_s"] == pytest.approx(np.sqrt(8 / 9) / 1000), "the lost frame is no jitter"
    assert (found.frames, found.against, found.confidence) == (10, 0, pytest.approx(0.97))
    assert found.reason == (
        "It comes every 100 ms; give or take a quarter all 10 distances are that, or a whole number of times as long."
    )


@pytest.mark.parametrize(
    ("gaps", "seconds"),
    [
        ([100] * 5, 0.1), ([100] * 4, None),
        # a quarter of a period off is near, more is not; of ten distances eight have to be
        ([100] * 8 + [125] * 2, 0.105), ([100] * 8 + [126] * 2, 0.1), ([100] * 7 + [126] * 3, None),
        # whole numbers of periods count as regular while six in ten are one
        ([100] * 13 + [200] * 7, 0.1), ([100] * 12 + [200] * 8, None), ([100] * 13 + [225] * 7, 0.1),
        ([100] * 13 + [226] * 7, None), ([0] * 10, None),
    ],
)  # fmt: skip
def test_what_is_a_period(gaps, seconds):
    found = _period(kind_of(gaps))
    assert (found and found.parameters["seconds"]) == (seconds and pytest.approx(seconds))


@pytest.mark.parametrize(("new", "is_said"), [(7, True), (6, False)])
def test_seven_of_ten_that_say_something_new_come_on_change(new, is_said):
    gaps = [10, 500, 40, 900, 5, 70, 2000, 3, 310, 30]
    values = np.concatenate([[0], np.cumsum([1] * new + [0] * (10 - new))])
    found = _period(kind_of(gaps, values))
    assert (found is not None) == is_said
    if is_said:
        assert found.reason == ("It comes at no period, and 7 of 10 frames say something else than the one before.")
        assert (found.frames, found.against, found.confidence) == (7, 3, pytest.approx(0.85 * 0.7))


# on above a value, off below one


def test_how_likely_values_are_as_near_by_chance():
    """David, Order Statistics, 2.3: of three in a tenth 3 w² (1 - w) + w³; one alone is always as near."""
    ranks = np.arange(100.0)
    assert _chance(ranks, np.array([10.0, 14.0, 19.0])) == pytest.approx(3 * 0.1**2 * 0.9 + 0.1**3)
    assert _chance(ranks, np.array([50.0])) == pytest.approx(1.0)
    assert _chance(ranks, ranks) == pytest.approx(1.0)


def saw(is_above=True):
    """Return a reference that goes from 0 to 100 and back, and a state that is on above 60 until below 40."""
    values = np.concatenate([np.arange(0.0, 100.0), np.arange(100.0, 0.0, -1.0)] * 3)
    times = np.arange(len(values), dtype=np.int64) * MS
    is_on, on = np.zeros(len(values), np.bool_), False
    for place, value in enumerate(values):
        on = value > 60 if not on else value >= 40
        is_on[place] = on
    reference = ReferenceColumn("source.csv", "level", "", times, values)
    return reference, _State(times, is_on if is_above else ~is_on, (0.0, 1.0))


def test_changes_are_half_way_between_frames():
    state = _State(np.array([0, 10, 30, 60, 100], np.int64), np.array([False, True, True, False, True]), (0.0, 1.0))
    ups, downs = state.changes_ns
    assert (ups.tolist(), downs.tolist()) == ([5, 80], [45])
    assert state.at(np.array([-5, 0, 9, 10, 59, 60, 200])).tolist() == [False, False, False, True, True, False, True]


@pytest.mark.parametrize("is_above", [True, False])
def test_outside_of_both_thresholds_the_state_is_the_one_that_is_due(is_above):
    reference, state = saw(is_above)
    ups, downs = (reference.values[np.searchsorted(reference.time_ns, times)] for times in state.changes_ns)
    found = _threshold(reference, state, 0, ups, downs, 0.5)
    assert (found.is_above, found.ups, found.downs, found.differ, found.chance) == (
        is_above,
        len(ups),
        len(downs),
        0,
        0.5,
    )
    least, most = min(ups.min(), downs.min()), max(ups.max(), downs.max())
    assert found.agree == int(((reference.values > most) | (reference.values < least)).sum())
    assert (found.on_at, found.off_at) == (np.median(ups), np.median(downs))


def test_two_of_a_hundred_readings_may_differ_and_a_third_may_lie_between():
    reference, state = saw()
    ups, downs = np.full(3, 61.0), np.full(3, 39.0)
    outside = np.flatnonzero((reference.values > 61) | (reference.values < 39))
    few, most = outside[: int(0.02 * len(outside))], outside[: int(0.02 * len(outside)) + 1]
    for turned, is_there in ((few, True), (most, False)):
        is_on = state.is_on.copy()
        is_on[turned] ^= True
        found = _threshold(reference, _State(state.time_ns, is_on, state.values), 0, ups, downs, 0.1)
        assert (found is not None) == is_there and (found is None or found.differ == len(turned))
    assert _threshold(reference, state, 0, np.full(3, 67.0), np.full(3, 33.0), 0.1) is not None
    assert _threshold(reference, state, 0, np.full(3, 69.0), np.full(3, 32.0), 0.1) is None
    assert _threshold(reference, state, 0, np.full(3, 200.0), np.full(3, 190.0), 0.1) is None, "it is never above"


# the same elsewhere


@given(st.integers(-4, 4))
def test_a_curve_some_steps_later_knows_nothing_of_its_ends(steps):
    values = np.arange(9.0)
    moved = _moved(values, steps)
    assert [None if np.isnan(one) else one for one in moved] == [
        float(place - steps) if 0 <= place - steps < 9 else None for place in range(9)
    ]


@given(
    arrays(np.float64, 60, elements=st.sampled_from([0.0, 1.0, np.nan])),
    arrays(np.float64, 60, elements=st.sampled_from([0.0, 1.0, np.nan])), st.sampled_from([(1, 0), (-1, 1)]),
)  # fmt: skip
def test_at_which_part_of_the_times_two_states_are_the_same(values, other, scale):
    gain, offset = scale
    expected = []
    for lag in range(-3, 4):
        pairs = [(values[place], other[place - lag]) for place in range(60) if 0 <= place - lag < 60]
        known = [(own, theirs) for own, theirs in pairs if own == own and theirs == theirs]
        same = sum(own == gain * theirs + offset for own, theirs in known)
        expected.append(same / len(known) if len(known) >= 20 else 0.0)
    assert _shares(values, other, gain, offset, 3).tolist() == pytest.approx(expected)


def test_the_last_digits_that_arithmetic_leaves_are_no_scale():
    assert _whole(2.0000000001) == 2.0 and _whole(1e9 + 0.5) == 1e9 and _whole(-1e-12) == 0.0
    assert _whole(2.00001) == 2.00001 and _whole(1e9 + 1.5) != 1e9 + 1 and _whole(0.05) == 0.05


# what answers what


def asked_and_answered(waits_ms):
    """Return a request every 100 ms, and what comes so long after each; None is no answer."""
    requests = np.arange(len(waits_ms)) * 100 * MS
    came = [at + wait * MS for at, wait in zip(requests.tolist(), waits_ms, strict=True) if wait is not None]

    def view(times):
        return SimpleNamespace(
            lane=0,
            thin=SimpleNamespace(time_ns=np.array(times, np.int64), size=1, matrix=np.zeros((len(times), 1), np.uint8)),
        )

    return view(requests), view(came)


@pytest.mark.parametrize(
    ("waits", "frames"),
    [
        # usually 2 ms: what takes five times that and a millisecond more is still one, later it is none
        ([2] * 39 + [11], 40), ([2] * 39 + [12], 39), ([2] * 39 + [99], 39), ([2] * 39 + [None], 39),
    ],
)  # fmt: skip
def test_what_comes_much_later_than_usual_answers_nothing(waits, frames):
    asks, other = asked_and_answered(waits)
    found = _answered(asks, other)
    assert (found.frames, found.asked, found.median_ns, found.echoes) == (frames, 40, 2 * MS, 0)
