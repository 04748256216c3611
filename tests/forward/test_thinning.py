"""Which readings go on, against the definition of each way."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.forward.readings import Reading
from zesty_abacus.core.forward.thinning import thinning_of
from zesty_abacus.core.forward.way import ForwardAddress

SERIES = st.lists(st.tuples(st.integers(0, 5), st.sampled_from("ab"), st.integers(0, 3)), max_size=40)


def readings_of(series):
    time, made = 0, []
    for step, message, value in series:
        time += step
        made.append(Reading(time, "deck", message, {"load": float(value), "mode": f"m{value // 2}"}))
    return made


def through(readings, **how):
    thinning = thinning_of(**how)
    return [one for reading in readings for one in thinning.take(reading)] + list(thinning.rest())


def of(readings, message):
    return [one for one in readings if one.message == message]


def test_without_thinning_everything_goes_on():
    readings = readings_of([(1, "a", 2), (0, "b", 2)])
    assert through(readings) == readings


@given(SERIES, st.integers(1, 9))
def test_at_most_keeps_them_apart_and_leaves_none_out_without_need(series, period):
    readings = readings_of(series)
    found = through(readings, at_most_ns=period)
    for message in "ab":
        mine, kept = of(readings, message), of(found, message)
        assert all(b.time_ns - a.time_ns >= period for a, b in itertools.pairwise(kept))
        for one in mine:
            assert one in kept or any(0 <= one.time_ns - other.time_ns < period for other in kept)


@given(SERIES)
def test_on_change_says_what_was_said_and_nothing_twice(series):
    readings = readings_of(series)
    found = through(readings, on_change=True)
    for message in "ab":
        known: dict[str, object] = {}
        said: dict[int, dict[str, object]] = {}
        for one in of(found, message):
            assert one.values and all(known.get(key) != value for key, value in one.values.items())
            known |= one.values
            said[one.time_ns] = dict(known)
        # whoever puts together what came knows at every time what the newest reading said
        state: dict[str, object] = {}
        for time in sorted({one.time_ns for one in of(readings, message)}):
            state = said.get(time, state)
            assert state == [one for one in of(readings, message) if one.time_ns == time][-1].values


@given(SERIES, st.integers(1, 9))
def test_a_mean_is_that_of_its_stretch(series, period):
    readings = readings_of(series)
    found = through(readings, mean_ns=period)
    for message in "ab":
        left, kept = of(readings, message), of(found, message)
        for one in kept:
            stretch = [other for other in left if other.time_ns < left[0].time_ns + period]
            left = left[len(stretch) :]
            loads = [other.values["load"] for other in stretch]
            assert one.values["load"] == pytest.approx(sum(loads) / len(loads))
            assert one.values["mode"] == stretch[-1].values["mode"] and one.time_ns == stretch[-1].time_ns
        assert not left, "the rest goes at the end"


def test_means_that_do_not_change_are_left_out():
    readings = readings_of([(0, "a", 1), (1, "a", 3), (9, "a", 2), (9, "a", 3)])
    assert [one.values for one in through(readings, mean_ns=5, on_change=True)] == [
        {"load": 2.0, "mode": "m1"}, {"load": 3.0},
    ]  # fmt: skip


def test_a_mean_and_at_most_are_one_or_the_other():
    with pytest.raises(MisuseError, match="comes once in its time anyway"):
        thinning_of(at_most_ns=1, mean_ns=1)


def test_a_place_that_names_the_field_takes_each_value_by_itself():
    address = ForwardAddress.parse("mqtt://harbour/tug/{lane}/{message}/{field}")
    reading = Reading(1, "deck/aft", "Hook", {"pull": 2.5, "open+": "yes"})
    parts = list(address.parts_of(reading))
    assert [(address.place_of(one), one.body()) for one in parts] == [
        ("/tug/deck-aft/Hook/pull", b'{"pull": 2.5}'), ("/tug/deck-aft/Hook/open-", b'{"open+": "yes"}'),
    ]  # fmt: skip
    whole = ForwardAddress.parse("mqtt://harbour/tug")
    assert list(whole.parts_of(reading)) == [reading]
