"""Statistics and references: figures by plain arithmetic, lags and scales that were put in."""

import math
import statistics as plain
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.codec.columns import FieldColumn, Validity
from zesty_abacus.core.frames.decimate import Curve
from zesty_abacus.core.layouts.model import NamedValue, new_field
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.values.reference import Fit, ReferenceColumn, fit
from zesty_abacus.core.values.statistics import statistics

S = 1_000_000_000
BEGIN = 1_778_572_800 * S


def column_of(field, times, values):
    raw = np.array([0 if v is None else v for v in values], np.int64)
    validity = np.array([Validity.NOT_AVAILABLE if v is None else Validity.GOOD for v in values], np.uint8)
    column = FieldColumn(field, raw, raw.astype(np.float64), None, validity)
    return column, Curve.build(np.array(times, np.int64), column.plot_values())


@given(
    st.lists(st.none() | st.integers(-1000, 1000), min_size=1, max_size=600), st.integers(0, 700), st.integers(0, 700)
)
def test_figures_are_those_of_plain_arithmetic(values, first, length):
    times = [BEGIN + n * S // 10 for n in range(len(values))]
    column, curve = column_of(new_field("level", at("B0 B1")), times, values)
    span = BEGIN + first * S // 10, BEGIN + (first + length) * S // 10
    found = statistics(column, curve, *span)
    inside = [(t, v) for t, v in zip(times, values, strict=True) if span[0] <= t <= span[1]]
    known = [(t, v) for t, v in inside if v is not None]
    assert found.count == len(known)
    if len(inside) > 1:
        assert found.rate_hz == pytest.approx(10)
    if known:
        numbers = [v for _, v in known]
        assert (found.least, found.most) == (min(numbers), max(numbers))
        assert found.mean == pytest.approx(plain.fmean(numbers))
        assert found.deviation == pytest.approx(plain.stdev(numbers) if len(numbers) > 1 else 0)
        assert found.least_ns == next(t for t, v in known if v == min(numbers))
        assert found.most_ns == next(t for t, v in known if v == max(numbers))
    else:
        assert math.isnan(found.mean)


def test_named_values_are_told_by_the_time_they_last():
    names = (NamedValue(0, "stop"), NamedValue(1, "ahead"), NamedValue(2, "astern"))
    field = new_field("mode", at("B0"), names=names)
    times = [BEGIN + second * S for second in (0, 10, 14, 20, 30)]
    column, curve = column_of(field, times, [0, 1, None, 2, 1])
    assert statistics(column, curve, BEGIN + 5 * S, BEGIN + 32 * S).states == (
        ("astern", 10.0), ("ahead", 6.0), ("stop", 5.0),
    )  # fmt: skip
    assert statistics(column, curve, BEGIN + 11 * S, BEGIN + 12 * S).states == (("ahead", 1.0),)


def curve_at(seconds):
    return 5 + 3 * np.sin(seconds / 7) + np.sin(seconds / 1.9)


@given(
    st.sampled_from([-4.0, -0.35, 0.0, 0.12, 2.5]), st.sampled_from([1.0, 0.51444, -2.0]),
    st.sampled_from([0.0, 3.0, -40.0]),
)  # fmt: skip
def test_lag_scale_and_offset_are_those_that_were_put_in(lag, scale, offset):
    own = BEGIN + (np.arange(6000) * (S // 50))
    values = curve_at((own - BEGIN) / 1e9 - lag)
    told = BEGIN + np.arange(5, 110) * S + 123_456_789
    reference = ReferenceColumn("gnss.csv", "speed", "", told, curve_at((told - BEGIN) / 1e9) * scale + offset)
    found = fit(own, values, reference)
    assert found.lag_ns / 1e9 == pytest.approx(lag, abs=0.03) and found.best_correlation * np.sign(scale) > 0.999
    assert found.scale == pytest.approx(scale, rel=0.01) and found.offset == pytest.approx(offset, abs=0.1)
    assert found.holds == (scale == 1.0) and found.rest < 0.05 * abs(scale)


def test_what_a_line_leaves_is_as_large_as_what_was_added_by_chance():
    """Of a curve turned round and doubled, with a fifth of a knot of noise, a fifth is left."""
    own = BEGIN + np.arange(6000) * (S // 50)
    told = BEGIN + np.arange(5, 110) * S
    noise = np.random.default_rng(8).normal(0, 0.2, len(told))
    column = ReferenceColumn("gnss.csv", "speed", "", told, curve_at((told - BEGIN) / 1e9) * -2 + 3 + noise)
    found = fit(own, curve_at((own - BEGIN) / 1e9), column)
    assert found.rest == pytest.approx(0.2, rel=0.2) and found.points == 105
    assert found.span == pytest.approx(column.values.max() - column.values.min())


def test_what_has_nothing_to_do_with_it_is_told():
    random = np.random.default_rng(4)
    own = BEGIN + np.arange(3000) * (S // 50)
    told = BEGIN + np.arange(55) * S
    found = fit(own, random.normal(size=3000), ReferenceColumn("a.csv", "b", "", told, random.normal(size=55)))
    assert "has nothing to do with it" in found.words("b", "kn")
    assert fit(own, np.zeros(3000), ReferenceColumn("a", "b", "", told + 900 * S, np.ones(55))) is None
    assert fit(own, np.full(3000, np.nan), ReferenceColumn("a", "b", "", told, np.ones(55))) is None


SAME = Fit(points=8, mean=0.5, most=2.0, most_ns=0, correlation=1.0, lag_ns=0, best_correlation=0.98, scale=1.0,
           offset=0.0, rest=0.25, span=10.0)  # fmt: skip
LIKE = "goes along with gnss as {} × it {} {}{} (correlation {:.3f})."


@pytest.mark.parametrize(
    ("differs", "words"),
    [
        ({}, "agrees with gnss: 0.5 kn apart on average, 2 kn at most."),
        ({"points": 7}, "gnss has 7 readings here; that is too few to say more than 2 kn apart at most."),
        ({"lag_ns": 250_000_000}, "agrees with gnss: 0.5 kn apart on average, 2 kn at most, 250 ms later."),
        ({"lag_ns": -2_000_000_000}, "agrees with gnss: 0.5 kn apart on average, 2 kn at most, 2 s earlier."),
        # four times what is left over, or a fiftieth of the span
        ({"offset": 1.0}, "agrees with gnss: 0.5 kn apart on average, 2 kn at most."),
        ({"offset": -1.01}, "agrees with gnss as 1 × it − 1.01 (correlation 0.980)."),
        ({"offset": 0.2, "rest": 0.0}, "agrees with gnss: 0.5 kn apart on average, 2 kn at most."),
        ({"offset": 0.21, "rest": 0.0}, "agrees with gnss as 1 × it + 0.21 (correlation 0.980)."),
        ({"scale": 1.0199}, "agrees with gnss: 0.5 kn apart on average, 2 kn at most."),
        ({"scale": 0.979, "offset": -3.14159}, "agrees with gnss as 0.979 × it − 3.14 (correlation 0.980)."),
        ({"best_correlation": 0.979, "scale": 2.0}, LIKE.format(2, "+", 0, "", 0.979)),
        ({"best_correlation": -0.8, "scale": -2.0, "lag_ns": 10**9}, LIKE.format("−2", "+", 0, ", 1 s later", -0.8)),
        ({"best_correlation": -0.99, "scale": -1.0}, "agrees with gnss as −1 × it + 0 (correlation -0.990)."),
        ({"best_correlation": 0.79}, "gnss has nothing to do with it (correlation 0.79)."),
        ({"best_correlation": float("nan")}, "gnss has nothing to do with it (correlation nan)."),
    ],
)  # fmt: skip
def test_the_sentence_at_each_of_its_limits(differs, words):
    assert replace(SAME, **differs).words("gnss", "kn") == words


@pytest.mark.parametrize(
    ("differs", "holds"),
    [({}, True), ({"best_correlation": 0.979}, False), ({"best_correlation": -0.99}, False), ({"scale": 0.9801}, True),
     ({"scale": 0.979}, False), ({"scale": 1.0199}, True), ({"scale": 1.021}, False), ({"lag_ns": 10**10}, True)],
)  # fmt: skip
def test_what_bears_a_field_out(differs, holds):
    assert replace(SAME, **differs).holds is holds


def test_verdicts_in_words():
    own = BEGIN + np.arange(6000) * (S // 50)
    told = BEGIN + np.arange(5, 110) * S
    same = ReferenceColumn("gnss.csv", "speed", "kn", told, curve_at((told - BEGIN) / 1e9) + 0.01)
    words = fit(own, curve_at((own - BEGIN) / 1e9), same).words("speed of gnss.csv", "kn")
    assert words == "agrees with speed of gnss.csv: 0.01 kn apart on average, 0.01 kn at most."
    late = fit(own, curve_at((own - BEGIN) / 1e9 - 2.5), same).words("speed", "kn")
    assert "2.5 s later" in late
    double = ReferenceColumn("", "speed", "", told, curve_at((told - BEGIN) / 1e9) * 2 - 7)
    assert "agrees with speed as 2 × it − 7 (correlation 1.000)" in fit(
        own, curve_at((own - BEGIN) / 1e9), double
    ).words("speed", "")
    few = ReferenceColumn("", "read by hand", "", told[:3], np.full(3, 93.2))
    assert "3 readings here; that is too few" in fit(own, curve_at((own - BEGIN) / 1e9), few).words(
        "read by hand", "bar"
    )


def test_references_are_taken_into_the_unit_of_the_field():
    knots = ReferenceColumn("gnss.csv", "speed_kn", "kn", np.array([BEGIN]), np.array([10.0]))
    assert knots.in_unit("m/s").values.tolist() == pytest.approx([5.14444444]) and knots.in_unit("m/s").unit == "m/s"
    assert knots.in_unit("bar") is knots and knots.in_unit("") is knots
    warm = ReferenceColumn("a", "t", "°C", np.array([BEGIN]), np.array([20.0]))
    assert warm.in_unit("K").values.tolist() == pytest.approx([293.15])


@pytest.mark.parametrize(
    ("own", "told"),
    [
        (np.full(600, 4.0), np.arange(11.0)),  # what never moves is like nothing, however it is shifted
        (np.arange(600.0), np.full(11, 4.0)),
        (np.arange(600.0), np.array([4.0])),  # nor is one reading
    ],
)
def test_no_lag_is_made_up_where_none_can_be_seen(own, told):
    times = BEGIN + np.arange(600) * (S // 50)
    found = fit(times, own, ReferenceColumn("a.csv", "b", "", BEGIN + np.arange(len(told)) * S, told))
    assert found is None or found.lag_ns == 0
