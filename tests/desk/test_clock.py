from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.desk.app.clock import Clock
from zesty_abacus.desk.widgets.words import exact_time, grouped, span_text, time_text

SPANS = st.tuples(st.integers(0, 2**62), st.integers(1, 2**50))


def clock_over(first, length):
    clock = Clock()
    clock.start([(first, first + length)])
    return clock


@given(
    SPANS,
    st.lists(st.tuples(st.sampled_from(["view", "zoom", "pan", "cursor"]), st.integers(-(2**52), 2**52)), max_size=12),
)
def test_view_and_cursor_never_leave_the_capture(span, moves):
    clock = clock_over(*span)
    for move, by in moves:
        at = clock.first_ns + by
        if move == "view":
            clock.set_view(at, at + abs(by) // 3)
        elif move == "zoom":
            clock.zoom(0.5 if by > 0 else 3.0, at)
        elif move == "pan":
            clock.pan(by)
        else:
            clock.set_cursor(at, follow=by % 2 == 0)
        assert clock.first_ns <= clock.view_first_ns < clock.view_last_ns <= clock.last_ns
        assert clock.first_ns <= clock.cursor_ns <= clock.last_ns


def test_zoom_keeps_the_time_at_the_pointer():
    clock = clock_over(0, 10**12)
    clock.set_view(4 * 10**11, 6 * 10**11)
    for factor in (0.5, 0.8, 1.25):
        at = clock.view_first_ns + clock.view_span_ns // 4
        clock.zoom(factor, at)
        assert (at - clock.view_first_ns) / clock.view_span_ns == pytest.approx(0.25, abs=1e-6)


def test_following_brings_the_view_along_only_when_it_must():
    clock = clock_over(0, 10**12)
    clock.set_view(0, 10**10)
    clock.set_cursor(5 * 10**9, follow=True)
    assert clock.view_first_ns == 0
    clock.set_cursor(5 * 10**11, follow=True)
    assert clock.view_first_ns < 5 * 10**11 < clock.view_last_ns and clock.view_span_ns == 10**10


def test_another_capture_is_another_cursor_view_and_pin():
    clock, told = clock_over(0, 10**10), []
    for name in ("cursor_changed", "view_changed", "pin_changed"):
        getattr(clock, name).connect(lambda name=name: told.append(name))
    clock.start([(0, 10**10)])
    assert sorted(told) == ["cursor_changed", "pin_changed", "view_changed"], "also where all stands as before"


def test_only_real_changes_are_told():
    clock = clock_over(0, 10**10)
    told = []
    for name in ("cursor_changed", "view_changed", "pin_changed"):
        getattr(clock, name).connect(lambda name=name: told.append(name))
    clock.set_cursor(clock.cursor_ns)
    clock.set_view(clock.view_first_ns, clock.view_last_ns)
    assert told == []
    clock.set_cursor(7)
    clock.show_all()
    clock.toggle_pin()
    clock.toggle_pin()
    assert told.count("pin_changed") == 2 and "cursor_changed" in told and clock.pin_ns is None


@pytest.mark.parametrize(
    ("seconds", "digits", "text"),
    [
        (412.371204, 6, "412.371\u2009204"),
        (0, 3, "0.000"),
        (-1.5, 1, "−1.5"),
        (7.9, 0, "8"),
        (1.23456, 5, "1.234\u200956"),
    ],
)
def test_times_are_written_in_groups(seconds, digits, text):
    assert time_text(seconds, digits) == text


@pytest.mark.parametrize(
    ("nanoseconds", "text"),
    [
        (5, "5 ns"),
        (1500, "1.5 µs"),
        (9_980_000, "9.98 ms"),
        (-3 * 10**9, "−3 s"),
        (180 * 10**9, "3.0 min"),
        (0, "0 ns"),
    ],
)
def test_lengths_are_written_in_the_unit_that_suits(nanoseconds, text):
    assert span_text(nanoseconds) == text


def test_counts_are_grouped():
    assert grouped(1234567) == "1\u2009234\u2009567" and grouped(12) == "12"


@given(st.integers(-(10**18), 10**18), st.sampled_from([3, 6, 9]))
def test_times_are_written_exactly(nanoseconds, digits):
    text = exact_time(nanoseconds, digits).replace(chr(0x2009), "").replace("−", "-")
    wanted = Fraction(nanoseconds, 10**9)
    assert abs(Fraction(text) - wanted) * 2 <= Fraction(1, 10**digits) and len(text.partition(".")[2]) == digits


def test_times_have_the_digits_of_the_recording_and_of_the_zoom():
    clock = Clock()
    clock.start([(10**18, 10**18 + 60 * 10**9)], 9)
    assert clock.words(10**18 + 1_234_567_891) == "1.234\u2009568", "nanoseconds say nothing at this zoom"
    clock.set_view(10**18 + 1_234_567_000, 10**18 + 1_234_568_000)
    assert clock.words(10**18 + 1_234_567_891) == "1.234\u2009567\u2009891"
    clock.start([(0, 60 * 10**9)], 3)
    clock.set_view(0, 1000)
    assert clock.words(1_500_000_000) == "1.500", "the recording has no more"


S, DAY = 10**9, 86_400 * 10**9


@pytest.fixture
def two_days():
    clock = Clock()
    clock.start([(0, 60 * S), (9 * DAY, 9 * DAY + 30 * S)], 3)
    clock.told = []
    clock.stretch_changed.connect(lambda: clock.told.append("stretch"))
    clock.following_changed.connect(lambda: clock.told.append("following"))
    return clock


def test_the_last_day_is_in_hand_and_times_count_from_its_beginning(two_days):
    assert two_days.stretch == 1
    assert two_days.words(9 * DAY + 2 * S) == "2.000"
    assert two_days.words(0) == "−777600.000"


def test_a_time_of_another_day_takes_that_in_hand_with_what_is_around_it(two_days):
    two_days.set_cursor(10 * S)
    assert two_days.stretch == 0 and two_days.words(two_days.cursor_ns) == "10.000"
    assert 0 <= two_days.view_first_ns <= 10 * S <= two_days.view_last_ns <= 60 * S
    two_days.set_view(9 * DAY + S, 9 * DAY + 2 * S)
    assert two_days.stretch == 1
    assert two_days.view_first_ns <= two_days.cursor_ns <= two_days.view_last_ns
    two_days.next_stretch()
    assert two_days.stretch == 0 and two_days.told == ["stretch"] * 3
    two_days.set_cursor(20 * S)
    assert two_days.told == ["stretch"] * 3, "the same one is nothing new"


def test_a_time_between_two_days_is_the_end_of_the_nearer_one(two_days):
    two_days.set_cursor(DAY)
    assert two_days.cursor_ns == 60 * S
    two_days.set_cursor(8 * DAY)
    assert two_days.cursor_ns == 9 * DAY


def test_what_comes_is_followed_until_somebody_looks_elsewhere(two_days):
    two_days.follow(10 * S)
    for second in range(31, 50):
        two_days.grow([(0, 60 * S), (9 * DAY, 9 * DAY + second * S)])
        assert two_days.cursor_ns == two_days.view_last_ns == 9 * DAY + second * S
        assert two_days.view_span_ns == 10 * S
    two_days.zoom(2.0, two_days.cursor_ns)
    assert two_days.is_following and two_days.view_span_ns == 20 * S
    two_days.set_cursor(9 * DAY + 5 * S, follow=True)
    assert not two_days.is_following
    view = two_days.view_first_ns, two_days.view_last_ns
    two_days.grow([(0, 60 * S), (9 * DAY, 9 * DAY + 90 * S)])
    assert two_days.cursor_ns == 9 * DAY + 5 * S and two_days.last_ns == 9 * DAY + 90 * S
    assert (two_days.view_first_ns, two_days.view_last_ns) == view
    two_days.follow()
    assert two_days.cursor_ns == 9 * DAY + 90 * S and two_days.told == ["following"] * 3


def test_a_new_day_that_begins_live_is_taken_in_hand_only_if_it_is_followed():
    for follows in (True, False):
        clock = Clock()
        clock.start([(0, 60 * S)], 3)
        if follows:
            clock.follow(10 * S)
        clock.grow([(0, 60 * S), (DAY, DAY + S)])
        assert clock.stretch == int(follows)
        assert clock.view_first_ns >= clock.first_ns and clock.view_last_ns <= clock.last_ns


def test_another_capture_is_no_other_stretch_of_the_one_before(two_days):
    two_days.start([(5 * S, 6 * S), (3 * DAY, 3 * DAY + S)], 3)
    assert two_days.told == [], "who opens it knows, and has counted what the strip shows"
    assert two_days.stretch == 1


def test_a_view_that_stays_is_not_painted_again_since_something_came(two_days):
    views = []
    two_days.view_changed.connect(lambda: views.append(1))
    two_days.grow([(0, 60 * S), (9 * DAY, 9 * DAY + 90 * S)])
    assert not views and two_days.last_ns == 9 * DAY + 90 * S
