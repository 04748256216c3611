"""Counts and lengths of time as sentences write them, in words fixed here."""

import math

import pytest

from zesty_abacus.core.words import counted, figure_text, grouped, in_groups, known_to, listed, share_text, span_text


@pytest.mark.parametrize(
    ("number", "words"), [(0, "0 frames"), (1, "1 frame"), (2, "2 frames"), (1000, "1\u2009000 frames")]
)
def test_a_count_agrees_with_what_is_counted(number, words):
    assert counted(number, "frame") == words


def test_what_they_do_agrees_too():
    assert counted(1, "edit", "waits", "wait") == "1 edit waits"
    assert counted(3, "edit", "waits", "wait") == "3 edits wait"
    assert counted(1, "frame", many="are") == "1 frame"


def test_digits_stand_in_threes():
    assert [grouped(number) for number in (999, 12_345_678)] == ["999", "12\u2009345\u2009678"]


@pytest.mark.parametrize(
    ("value", "words"),
    [
        (0.0, "0"), (-0.0, "0"), (5, "5"), (0.05, "0.05"), (-1.25, "−1.25"), (12_345.6, "12\u2009345.6"),
        (-999_999, "−999\u2009999"), (999_999.4, "999\u2009999"), (999_999.5, "1\u2009000\u2009000"),
        (1_284_161.0, "1\u2009284\u2009161"), (-428_444_256.0, "−428\u2009444\u2009256"),
        (999_999_999_999_999.0, "999\u2009999\u2009999\u2009999\u2009999"), (1e15, "1e+15"), (-2.5e30, "−2.5e+30"),
        (1.03712e-05, "1.03712e−05"), (0.0001, "0.0001"), (3.14159265, "3.14159"),
        (math.nan, "no number"), (math.inf, "infinite"), (-math.inf, "−infinite"),
    ],
)  # fmt: skip
def test_a_figure_has_six_digits_and_of_large_numbers_all(value, words):
    assert figure_text(value) == words


@pytest.mark.parametrize(
    ("some", "words"),
    [
        (0, "0%"), (1, "less than 1%"), (9, "less than 1%"), (10, "1%"), (16, "2%"), (500, "50%"), (994, "99%"),
        (995, "more than 99%"), (999, "more than 99%"), (1000, "100%"),
    ],
)  # fmt: skip
def test_a_few_are_not_none_and_nearly_all_not_all(some, words):
    assert share_text(some, 1000) == words


@pytest.mark.parametrize(
    ("nanoseconds", "words"),
    [
        (0, "0 ns"),
        (999, "999 ns"),
        (1500, "1.5 µs"),
        (999_960_000, "1 s"),
        (-2e6, "−2 ms"),
        (119e9, "119 s"),
        (120e9, "2.0 min"),
    ],
)
def test_a_length_of_time_is_written_in_the_unit_that_suits_it(nanoseconds, words):
    assert span_text(nanoseconds) == words


@pytest.mark.parametrize(
    ("names", "words"),
    [
        ([], ""),
        (["a"], "a"),
        (["a", "b"], "a and b"),
        (["a", "b", "c"], "a, b and c"),
        (["a", "b", "c", "d"], "a, b, c and 1 more"),
    ],
)
def test_names_are_listed_and_of_many_the_first(names, words):
    assert listed(names) == words
    assert listed(names, most=4) == (words if len(names) < 4 else "a, b, c and d")


@pytest.mark.parametrize(
    ("value", "error", "words"),
    [
        (0.00999986, 3e-5, "0.01"),
        (0.00999986, 3e-7, "0.0099999"),
        (0.000168635, 1e-4, "0.0002"),
        (0.000168635, 1e-3, "0"),
        (-0.0004, 0.02, "0"),
        (1234.567, 30.0, "1230"),
        (123.456, 12.3, "120"),
        (1234.567, 0.1, "1234.6"),
        (2.5, 0.0, "2.5"),
        (2.5, float("nan"), "2.5"),
    ],
)
def test_a_measured_number_has_the_digits_that_its_error_leaves(value, error, words):
    assert known_to(value, error) == words


@pytest.mark.parametrize(
    ("number", "words"),
    [
        ("1000000.5", "1\u2009000\u2009000.5"), ("-12345", "−12\u2009345"), ("0.000001", "0.000001"), ("-0.5", "−0.5"),
        ("1/3", "1/3"), ("1e-05", "1e−05"), ("999", "999"),
    ],
)  # fmt: skip
def test_digits_in_groups_say_the_same_number(number, words):
    assert in_groups(number) == words
