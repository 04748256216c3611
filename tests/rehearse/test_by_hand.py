"""What a slider can be put to."""

from fractions import Fraction

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from zesty_abacus.core.codec.encode import raw_of
from zesty_abacus.core.rehearse.by_hand import stops_of
from zesty_abacus.demo.layouts import make_field


@given(
    kind=st.sampled_from(["unsigned", "signed", "sign-magnitude", "gray", "bcd"]),
    places=st.sampled_from(["B0", "B0 B1", "B1 B0"]),
    step=st.sampled_from(["1", "0.1", "-0.5", "0.0025"]),
    offset=st.sampled_from(["0", "-40", "12.3"]),
    limits=st.none() | st.tuples(st.integers(-60, 60), st.integers(-60, 60)).map(sorted),
)
def test_every_stop_is_held_exactly_and_within_the_limits(kind, places, step, offset, limits):
    field = make_field("x", places, kind, step, offset, limits=tuple(limits) if limits else None)
    stops = stops_of(field)
    assume(stops is not None)
    assert 1 <= stops.count <= 1001
    for stop in {0, 1 % stops.count, stops.count // 2, stops.count - 1}:
        value = stops.value(stop)
        _, loss = raw_of(field, value)
        assert loss == 0, "a slider offers nothing that the bits do not hold"
        assert limits is None or limits[0] <= value <= limits[1]
        assert stops.nearest(value) == stop
        assert stops.nearest(value + stops.step * Fraction(2, 5)) == stop


def test_all_of_a_small_field_is_within_reach():
    stops = stops_of(make_field("x", "B0", "signed", "0.5", "10"))
    assert (stops.value(0), stops.value(stops.count - 1), stops.count) == (-54, Fraction(147, 2), 256)


def test_what_lies_outside_all_stops_is_nearest_to_an_end():
    stops = stops_of(make_field("x", "B0", limits=(10, 20)))
    assert (stops.nearest(Fraction(-5)), stops.nearest(Fraction(99))) == (0, 10)
    assert stops.count == 11


@pytest.mark.parametrize(
    "field",
    [
        make_field("mode", "B0", "names", names={0: "off"}),
        make_field("name", "B0..B3", "text"),
        make_field("free", "B0..B3", "float"),
        make_field("none", "B0", limits=(300, 400)),
        make_field("on", "B0[0]", "flag"),
    ],
)
def test_what_has_no_slider(field):
    assert stops_of(field) is None


def test_a_float_with_limits_has_one():
    stops = stops_of(make_field("x", "B0..B3", "float", limits=(-1, 1)))
    assert (stops.value(0), stops.value(stops.count - 1)) == (-1, 1)
