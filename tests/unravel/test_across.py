"""Across messages: gains, offsets, lags and delays that are known are found; where there are none, nothing."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.unravel.conftest import make_capture
from tests.unravel.made import SECOND, findings_of, message, put
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.unravel.across.grid import Grid, correlations
from zesty_abacus.core.unravel.across.question import Action
from zesty_abacus.core.unravel.look import unravel
from zesty_abacus.core.unravel.told import title
from zesty_abacus.core.values.reference import ReferenceColumn

SECONDS = 90


def curve(times, seed=1):
    """Return a quantity that swings and is driven, between 0 and 1."""
    random = np.random.default_rng(seed)
    swings = [(random.uniform(1.5, 9), random.uniform(0, 6)) for _ in range(4)]
    whole = sum(np.sin(np.arange(0, SECONDS, 0.1) / pace + begin) for pace, begin in swings)
    swing = sum(np.sin(times / pace + begin) for pace, begin in swings)
    return np.clip((swing - whole.min()) / np.ptp(whole), 0, 1)


def number(times, values, places="B0 B1", size=4, seed=0):
    """Return a message whose bits are a number; a byte of it is noise, so that no frame is like another."""
    matrix = put(np.zeros((len(times), size), np.uint8), places, np.round(values))
    matrix[:, size - 1] = np.random.default_rng(seed + 100).integers(0, 256, len(times))
    return message(times, matrix)


def switch(times, on, seed=3):
    matrix = np.zeros((len(times), 2), np.uint8)
    matrix[:, 0] = on
    matrix[:, 1] = np.random.default_rng(seed).integers(0, 256, len(times))
    return message(times, matrix)


def of(found, kind, places=None):
    return [one for one in found if one.kind == kind and places in (None, one.places)]


@settings(max_examples=20)
@given(st.integers(0, 1000))
def test_likeness_at_each_lag_is_the_correlation_of_what_is_shifted(seed):
    random = np.random.default_rng(seed)
    one, other = random.normal(size=120), random.normal(size=120)
    one[random.random(120) < 0.2] = np.nan
    other[:7] = np.nan
    table = correlations(one, other[None, :], 5)[0]
    for lag in range(-5, 6):
        moved = other[max(lag, 0) : 120 + min(lag, 0)]
        own = one[max(-lag, 0) : 120 - max(lag, 0)]
        known = np.isfinite(moved) & np.isfinite(own)
        assert table[lag + 5] == pytest.approx(np.corrcoef(own[known], moved[known])[0, 1], abs=0.02)


@pytest.mark.parametrize(("gain", "offset", "lag"), [(1.0, 0.0, 0.0), (0.5, 30000.0, 0.3), (-0.9, 62000.0, 0.0)])
def test_the_same_quantity_elsewhere_is_found_with_its_scale(gain, offset, lag):
    times = np.arange(0, SECONDS, 0.02)
    late = np.arange(0.005, SECONDS, 0.05)
    first = number(times, curve(times) * 65000)
    other = number(late, gain * (curve(late - lag) * 65000) + offset, "B1 B0", seed=5)
    found = findings_of(first, other, kinds=["mirror"])
    (one,) = of(found[0x101], "mirror", "B1 B0")
    assert one.parameters["of"] == {"lane": "can0", "address": 0x100, "flags": "", "places": "B0 B1"}
    assert one.parameters["gain"] == pytest.approx(gain, rel=0.01)
    assert one.parameters["offset"] == pytest.approx(offset, abs=150)
    assert one.parameters["lag_s"] == pytest.approx(lag, abs=0.06)


def test_quantities_of_their_own_are_no_mirrors():
    times = np.arange(0, SECONDS, 0.02)
    messages = [number(times, curve(times, seed) * 65000, seed=seed) for seed in range(1, 7)]
    found = findings_of(*messages, kinds=["mirror"])
    assert not any(found.values())


def test_a_state_and_its_opposite_are_the_same_thing():
    times = np.arange(0, SECONDS, 0.05)
    on = (np.floor(times / 4.1) + np.floor(times / 7.3)) % 2
    found = findings_of(switch(times, on), switch(times + 0.01, 1 - on, seed=4), kinds=["mirror"])
    (one,) = of(found[0x101], "mirror")
    assert (one.parameters["gain"], one.parameters["offset"]) == (-1, 1)


def reference(times, values, name="speed"):
    return ReferenceColumn("log.csv", name, "kn", np.round(times * SECOND).astype(np.int64), np.asarray(values, float))


@pytest.mark.parametrize(("gain", "offset", "lag", "noise"), [
    (0.01, 0.0, 0.0, 0.0), (0.002, -40.0, 0.6, 0.0), (-0.5, 12.0, 1.2, 0.0), (0.01, 5.0, 0.3, 0.02),
])  # fmt: skip
def test_what_follows_a_reference_is_found_with_scale_and_lag(gain, offset, lag, noise):
    times, told = np.arange(0, SECONDS, 0.02), np.arange(2, SECONDS - 2, 0.1)
    values = curve(told) * 65000 * gain + offset
    values += np.random.default_rng(8).normal(0, 1, len(told)) * noise * np.ptp(values)
    found = findings_of(
        number(times, curve(times) * 65000), number(times, curve(times, 9) * 65000, seed=2), kinds=["reference"],
        references=[reference(told - lag, values)],
    )  # fmt: skip
    (one,) = of(found[0x100], "reference")
    assert not found[0x101], "the other one has nothing to do with it"
    parameters = one.parameters
    assert parameters["gain"] == pytest.approx(gain, rel=0.05 if noise else 0.01)
    assert parameters["offset"] == pytest.approx(offset, abs=abs(gain) * (1500 if noise else 300))
    assert parameters["lag_s"] == pytest.approx(lag, abs=0.15)
    assert parameters["error"] == pytest.approx(noise * np.ptp(values), rel=0.3, abs=abs(gain) * 30)


def test_what_follows_a_reference_on_one_page_is_told_with_its_page():
    """Two quantities in the same bits, in turn; the reference is one of them."""
    times = np.arange(0, SECONDS, 0.05)
    page = np.arange(len(times)) % 2
    both = np.where(page == 1, 200 + 50_000 * curve(times, 5), 100 + 40_000 * curve(times, 6))
    matrix = put(np.zeros((len(times), 4), np.uint8), "B1 B2", np.round(both))
    matrix[:, 0] = page
    at = np.arange(0, SECONDS, 0.1)
    pull = reference(at, 3 + 20 * curve(at, 5))
    found = findings_of(message(times, matrix), kinds=["reference"], references=[pull])
    (one,) = of(found[0x100], "reference")
    assert one.places == "B1 B2" and [when.values for when in one.when] == ["1"]
    assert one.parameters["gain"] == pytest.approx(20 / 50_000, rel=0.01)


def test_noise_of_the_number_does_not_flatten_the_scale():
    times, told = np.arange(0, SECONDS, 0.02), np.arange(2, SECONDS - 2, 0.1)
    noisy = curve(times) * 3000 + np.random.default_rng(4).normal(0, 150, len(times)) + 1000
    found = findings_of(number(times, noisy), kinds=["reference"], references=[reference(told, curve(told) * 30)])
    (one,) = of(found[0x100], "reference")
    assert one.parameters["gain"] == pytest.approx(0.01, rel=0.02), "least squares alone would say a tenth less"


def test_slow_curves_that_are_all_alike_are_no_evidence():
    times, told = np.arange(0, SECONDS, 0.02), np.arange(2, SECONDS - 2, 0.1)
    warm = number(times, (1 - np.exp(-times / 40)) * 9000)
    other = reference(told, 1 - np.exp(-told / 55))
    assert not findings_of(warm, kinds=["reference"], references=[other])[0x100]


def test_a_slow_curve_with_noise_is_followed_by_what_has_its_small_shape():
    """What is left beside a cubic is a fiftieth of it; noise alone puts half of that into the average of stretches."""
    times, told = np.arange(0, SECONDS, 0.02), np.arange(2, SECONDS - 2, 0.1)

    def slowly(at, seed):
        return (at / SECONDS) ** 2 + 0.012 * np.sin(2 * np.pi * at / 17 + seed)

    noise = np.random.default_rng(6).normal(0, 1, len(told)) * 0.027
    found = findings_of(
        number(times, slowly(times, 0) * 50000), number(times, slowly(times, 2) * 50000, seed=2), kinds=["reference"],
        references=[reference(told, slowly(told, 0) + noise)],
    )  # fmt: skip
    (one,) = of(found[0x100], "reference")
    assert one.parameters["gain"] == pytest.approx(1 / 50000, rel=0.05)
    assert not found[0x101], "it is as slow, and has another shape"


def test_a_few_readings_are_enough_where_they_are_followed_closely():
    times = np.arange(0, SECONDS, 0.02)
    told = np.array([5.0, 17, 30, 44, 58, 75])
    good = ReferenceColumn("", "typed", "", (told * SECOND).astype(np.int64), curve(told) * 65)
    wrong = ReferenceColumn("", "guess", "", (told * SECOND).astype(np.int64), np.array([1.0, 7, 3, 9, 2, 5]))
    few = ReferenceColumn("", "few", "", (told[:4] * SECOND).astype(np.int64), curve(told[:4]))
    found = findings_of(number(times, curve(times) * 65000), kinds=["reference"], references=[good, wrong, few])[0x100]
    assert [one.parameters["column"] for one in found] == ["typed"]
    assert found[0].parameters["lag_s"] == 0 and found[0].parameters["gain"] == pytest.approx(0.001, rel=0.01)


@pytest.mark.parametrize(("is_above", "lag"), [(True, 0.0), (True, 0.4), (False, 0.2)])
def test_a_state_that_goes_on_above_a_threshold_and_off_below_another_is_found(is_above, lag):
    times, told = np.arange(0, SECONDS, 0.02), np.arange(2, SECONDS - 2, 0.1)
    on, state = [], False
    for value in curve(times - lag, 7) * 10:
        state = value > 6 if not state else value > 5
        on.append(state == is_above)
    other = np.cumsum(np.random.default_rng(2).random(len(times)) < 0.005) % 2
    found = findings_of(switch(times, np.array(on)), switch(times, other, seed=9), kinds=["reference"],
                        references=[reference(told, curve(told, 7) * 10, "pressure")])  # fmt: skip
    (one,) = of(found[0x100], "reference")
    assert not found[0x101], "the other one goes on and off as it likes"
    assert one.places == "B0[0]" and one.parameters["lag_s"] == pytest.approx(lag, abs=0.11)
    larger, smaller = ("on_at", "off_at") if is_above else ("off_at", "on_at")
    assert one.parameters[larger] == pytest.approx(6, abs=0.25)
    assert one.parameters[smaller] == pytest.approx(5, abs=0.25)
    assert (one.parameters["gain"] > 0) == is_above
    side = "1 above and 0 below" if is_above else "1 below and 0 above"
    assert side in one.reason and one.against <= 0.02 * one.frames
    assert title(one).startswith(f"follows pressure {'above' if is_above else 'below'} ")


def test_a_state_that_went_on_twice_at_the_same_value_says_nothing_yet():
    times, told = np.arange(0, SECONDS, 0.02), np.arange(2, SECONDS - 2, 0.1)
    slow = lambda at: np.sin(at / 12) * 5 + 5  # noqa: E731
    found = findings_of(switch(times, slow(times) > 6), kinds=["reference"], references=[reference(told, slow(told))])
    assert not found[0x100]


def actions(text, times):
    return [Action(round(at * SECOND), text) for at in times]


ON, OFF = (8.0, 24.0, 41.0, 60.0, 77.0), (12.0, 30.0, 45.0, 66.0, 83.0)


def lamp(times, delay=0.3):
    return sum((times >= at + delay) for at in ON) - sum((times >= at + delay) for at in OFF)


def test_on_and_off_are_told_apart():
    times = np.arange(0, SECONDS, 0.05)
    found = findings_of(
        switch(times, lamp(times)), kinds=["reaction"], actions=[*actions("lamp on", ON), *actions("lamp off", OFF)]
    )[0x100]
    told = {one.parameters["moment"]: one for one in found}
    assert {text: one.parameters["value"] for text, one in told.items()} == {"lamp on": 1, "lamp off": 0}
    for one in found:
        assert one.parameters["delay_s"] == pytest.approx(0.3, abs=0.06)
        assert (one.frames, one.against) == (5, 0) and "after all 5 moments" in one.reason


def test_what_changes_by_itself_answers_nothing():
    times = np.arange(0, SECONDS, 0.05)
    blinks = np.floor(times / 0.9) % 2
    assert not findings_of(switch(times, blinks), kinds=["reaction"], actions=actions("lamp on", ON))[0x100]


def test_a_message_that_sleeps_is_asked_only_while_it_is_awake():
    times = np.arange(20, 65, 0.05)
    (one,) = findings_of(switch(times, lamp(times)), kinds=["reaction"], actions=actions("lamp on", ON))[0x100]
    assert (one.frames, one.against) == (3, 0), "two of the five were before and after"


def test_once_is_believed_only_where_it_is_at_once():
    times = np.arange(0, SECONDS, 0.05)
    one_change = (times >= 40.1).astype(int)
    near = findings_of(switch(times, one_change), kinds=["reaction"], actions=actions("hook", [40.0]))[0x100]
    far = findings_of(switch(times, one_change), kinds=["reaction"], actions=actions("hook", [38.0]))[0x100]
    assert [one.confidence for one in near] == [0.5] and far == []


def test_a_switch_beside_a_state_answers_by_itself():
    times = np.arange(0, SECONDS, 0.05)
    random = np.random.default_rng(5)
    state = np.repeat(random.integers(0, 4, 45), 40)[: len(times)]
    matrix = np.zeros((len(times), 2), np.uint8)
    matrix[:, 0] = state << 1 | lamp(times)
    matrix[:, 1] = random.integers(0, 256, len(times))
    found = findings_of(message(times, matrix), kinds=["reaction"], actions=actions("lamp on", ON))[0x100]
    assert [(one.places, one.frames) for one in found] == [("B0[0]", 5)]


def test_a_period_is_told_with_its_jitter_and_lost_frames():
    random = np.random.default_rng(2)
    times = np.arange(0, SECONDS, 0.1) + random.normal(0, 0.002, 900)
    kept = random.random(900) > 0.03
    (one,) = findings_of(number(times[kept], np.arange(kept.sum())), kinds=["period"])[0x100]
    assert one.parameters["seconds"] == pytest.approx(0.1, rel=0.01)
    assert one.parameters["jitter_s"] == pytest.approx(0.0028, rel=0.25), "of two times that both are off"
    assert one.frames + one.against == kept.sum() - 1


def test_what_comes_when_something_changes_is_told_so():
    random = np.random.default_rng(6)
    times = np.cumsum(random.exponential(0.7, 120))
    (one,) = findings_of(number(times, np.arange(120) * 7), kinds=["period"])[0x100]
    assert one.parameters == {"on change": True} and "at no period" in one.reason
    same = message(times, np.full((120, 3), 9))
    assert findings_of(same, kinds=["period"])[0x100] == [], "it comes at no period, and says nothing new"


def test_the_one_that_is_looked_at_comes_first_and_a_cancelled_look_loses_nothing():
    times = np.arange(0, 30, 0.05)
    messages = [number(times, curve(times, seed) * 9000, seed=seed) for seed in range(1, 9)]
    meaning = Meaning.of(make_capture(*messages), [])
    order, gathered = [], {}
    unravel(meaning, early=lambda kind: order.append(kind.kind), first=lambda: 5, gathered=gathered)
    # several are looked at side by side and come as they are done; in its turn it would be the sixth
    assert order.index(5) < 4 and sorted(order) == list(range(8))
    assert sorted(gathered) == list(range(8))


def test_the_gain_of_what_is_sent_seldom_is_that_at_its_frames():
    time = np.arange(0, 240, 0.1)
    swing = sum(np.sin(time / period + shift) for period, shift in ((1.9, 0.3), (7.1, 1.0), (31.0, 2.0)))
    rows = np.arange(5, len(time) - 5, 10)
    raw = np.round(900 + 250 * swing[rows]).astype(int)
    matrix = put(np.zeros((len(rows), 4), np.uint8), "B1[2..0] B0", raw)
    column = ReferenceColumn("bridge.csv", "load", "kN", np.round(time * SECOND).astype(np.int64), 450 + 125 * swing)
    found = findings_of(message(time[rows], matrix), references=[column])[0x100]
    one = next(one for one in found if one.kind == "reference")
    assert one.parameters["gain"] == pytest.approx(0.5, rel=0.005)
    assert one.parameters["offset"] == pytest.approx(0, abs=3)


@pytest.mark.parametrize("span", [(0, 60_000_000_000), (5_000_000_000, 5_000_000_001), (7, 9_000_000_000_000)])
def test_times_that_curves_are_compared_at_reach_over_all_of_it(span):
    grid = Grid.over(span)
    assert grid.time_ns[0] == span[0] and span[1] <= grid.time_ns[-1] < span[1] + grid.step_ns
    assert set(np.diff(grid.time_ns).tolist()) <= {grid.step_ns}
