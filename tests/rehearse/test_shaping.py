"""Curves that are taken by their corners."""

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from zesty_abacus.core.rehearse.feed_words import parse_feed
from zesty_abacus.core.rehearse.shaping import corners, period_s, shaped, with_corner, without_corner

CURVES = [
    "12.5", "ramp 0 to 10 in 5 s", "saw 0 to 10 in 5 s", "sine 0 to 10 in 8 s", "steps 0, 5, 10 each 2 s",
    "table 0 s 1, 2 s 5, 3 s 5", "ramp 0 to 10 in 5 s with lag 0.5 s",
]  # fmt: skip


@pytest.mark.parametrize("words", CURVES)
def test_a_curve_goes_through_its_corners(words):
    feed = parse_feed(words)
    found = corners(feed)
    assert found
    for one in found:
        # just before its end, where a saw begins again
        at = 0.0 if one.time_s is None else one.time_s - (1e-9 if words.startswith("saw") and one.time_s else 0)
        assert float(feed.value(at, 0, {})) == pytest.approx(one.value, abs=1e-6)


@given(st.sampled_from(CURVES), st.integers(0, 2), st.floats(-2, 20), st.integers(-500, 500))
@example(words=CURVES[5], number=0, time_s=2.225073858507203e-309, value=0)
@example(words=CURVES[5], number=0, time_s=1.1e-3, value=0)
def test_a_corner_that_is_moved_is_where_it_was_put_and_can_be_written(words, number, time_s, value):
    feed = parse_feed(words)
    before = corners(feed)
    number %= len(before)
    moved = shaped(feed, number, time_s, float(value))
    after = corners(moved)
    assert after[number].value == value
    assert [one.value for place, one in enumerate(after) if place != number] == [
        one.value for place, one in enumerate(before) if place != number
    ]
    again = parse_feed(moved.words)
    assert corners(again) == after, "what is drawn is what is typed"
    times = [one.time_s for one in after if one.time_s is not None]
    assert times == sorted(times)
    if words.startswith("table"):
        low, high = ((0.0, 2.0), (0.0, 3.0), (2.0, 99.0))[number]
        if low + 0.02 < time_s < high - 0.02:
            assert after[number].time_s == time_s


@pytest.mark.parametrize(
    ("words", "number", "time_s", "value", "made"),
    [
        ("12", 0, 3.0, 14.0, "14"),
        ("ramp 0 to 10 in 5 s", 1, 8.0, 20.0, "ramp 0 to 20 in 8 s"),
        ("ramp 0 to 10 in 5 s", 0, 8.0, 1.0, "ramp 1 to 10 in 5 s"),
        ("sine 0 to 10 in 8 s", 0, 1.0, 12.0, "sine 0 to 12 in 4 s"),
        ("sine 0 to 10 in 8 s", 1, 3.0, -2.0, "sine -2 to 10 in 4 s"),
        ("random 0 to 10", 0, 0.0, -5.0, "random 0 to 0"),
        ("random 0 to 10", 1, 0.0, 4.0, "random 4 to 10"),
        ("steps 0, 5 each 2 s", 1, 0.0, 7.5, "steps 0, 7.5 each 2 s"),
        ("table 0 s 1, 2 s 5, 3 s 5", 1, 9.0, 6.0, "table 0 s 1, 2.99 s 6, 3 s 5"),
        ("ramp 0 to 10 in 5 s with lag 0.5 s", 1, 6.5, 10.0, "ramp 0 to 10 in 6 s with lag 0.5 s"),
        ("noise 5 by 0.5", 0, 0.0, 6.0, "noise 6 by 0.5"),
    ],
)
def test_known_moves(words, number, time_s, value, made):
    assert shaped(parse_feed(words), number, time_s, value).words == made


@pytest.mark.parametrize(
    ("words", "made"),
    [
        ("12", "table 0 s 12, 2.5 s 3"),
        ("ramp 0 to 10 in 5 s", "table 0 s 0, 2.5 s 3, 5 s 10"),
        ("table 0 s 1, 4 s 5", "table 0 s 1, 2.5 s 3, 4 s 5"),
        ("table 0 s 1, 2.5 s 5", "table 0 s 1, 2.5 s 5"),
        ("sine 0 to 10 in 8 s", "sine 0 to 10 in 8 s"),
        ("astern", "astern"),
    ],
)
def test_a_corner_is_put_where_there_was_none(words, made):
    assert with_corner(parse_feed(words), 2.5, 3.0).words == made


def test_a_point_is_taken_out_and_the_last_one_stays():
    feed = parse_feed("table 0 s 1, 2 s 5, 3 s 7")
    assert without_corner(feed, 1).words == "table 0 s 1, 3 s 7"
    assert without_corner(parse_feed("table 1 s 4"), 0).words == "table 1 s 4"
    assert without_corner(parse_feed("ramp 0 to 10 in 5 s"), 1).words == "ramp 0 to 10 in 5 s"


def test_what_is_recorded_heard_or_named_is_not_drawn():
    assert all(corners(parse_feed(words)) == () for words in ("astern", "steps a, b each 1 s", "heard Motion.heel"))
    words = ("saw 0 to 1 in 3 s", "steps 1, 2 each 2 s", "ramp 0 to 1 in 3 s")
    assert [period_s(parse_feed(one)) for one in words] == [3.0, 4.0, None]
