"""What feeds a field: known values at known times."""

from fractions import Fraction

import pytest

from zesty_abacus.core.errors import DataError, MisuseError
from zesty_abacus.core.rehearse.feed_words import parse_feed


def _at(text, *times, known=None):
    feed = parse_feed(text)
    return [feed.value(time, number, known or {}) for number, time in enumerate(times)]


@pytest.mark.parametrize(
    ("text", "times", "values"),
    [
        ("12.5", (0, 9), ["12.5", "12.5"]),
        ("astern", (0,), ["astern"]),
        ("ramp 0 to 10 in 5 s", (0, 1, 5, 99), [0, 2, 10, 10]),
        ("ramp 10 to -10 in 500 ms", (0, 0.25, 0.5), [10, 0, -10]),
        ("saw 0 to 10 in 5 s", (0, 2.5, 5, 7.5), [0, 5, 0, 5]),
        ("sine 0 to 10 in 4 s", (0, 1, 2, 3), [5, 10, 5, 0]),
        ("steps 1, 2, 3 each 2 s", (0, 1.9, 2, 5.9, 6), ["1", "1", "2", "3", "1"]),
        ("steps off, on each 1 s", (0, 1, 2), ["off", "on", "off"]),
        ("table 0 s 1, 2 s 5, 3 s 5", (0, 1, 2.5, 9), [1, 3, 5, 5]),
        ("table 1 s 4, 3 s 8", (0, 1, 2, 4), [4, 4, 6, 8]),
        ("ramp 0 to 10 in 5 s with lag 1 s", (0, 1, 2), [0, 0, 2]),
    ],
)
def test_values(text, times, values):
    assert _at(text, *times) == pytest.approx(values) if isinstance(values[0], int) else _at(text, *times) == values


def test_a_value_follows_from_others():
    known = {"speed": Fraction(7, 2), "water speed": Fraction(2)}
    assert _at("= speed * 2 + `water speed`", 0, known=known) == [9]


def test_chance_stays_between_and_is_the_same_each_time():
    values = _at("random 2 to 5", *range(200))
    assert 2 <= min(values) < 2.3
    assert 4.7 < max(values) <= 5
    assert values == _at("random 2 to 5", *range(200))
    noisy = _at("noise 5 by 0.5", *range(400))
    assert abs(sum(noisy) / 400 - 5) < 0.1
    assert 0.4 < (sum((value - 5) ** 2 for value in noisy) / 400) ** 0.5 < 0.6
    assert _at("ramp 0 to 10 in 1 s with lag 0.5 s with noise 0.001", 0.75)[0] == pytest.approx(2.5, abs=0.01)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("ramp 0 to 10", "in what time"),
        ("ramp up", "is no feed"),
        ("sine 0 to 1 in 5 V", "cannot be compared"),
        ("steps 1, 2", "is no feed"),
        ("table 2 s 1, 1 s 2", "rise"),
        ("table a b", "no point"),
        ("random 0 to 1 in 5 s", "no time"),
        ("= speed +", "="),
        ("ramp 0 to 10 in 0 s", "no length of time"),
        ("noise 1", "is no feed"),
    ],
)
def test_what_is_no_feed_says_why(text, words):
    with pytest.raises(MisuseError) as caught:
        parse_feed(text)
    assert words in str(caught.value)


def test_noise_on_what_is_no_number_is_told():
    with pytest.raises(MisuseError, match="no number"):
        _at("steps off, on each 1 s with noise 1", 0)


@pytest.mark.parametrize(
    "text",
    [
        "12.5",
        "astern",
        "ramp 0 to 10 in 5 s",
        "saw -1.5 to 10 in 0.5 s",
        "sine 0 to 10 in 4 s",
        "steps 1, 2 each 2 s",
        "random 2 to 5",
        "noise 5 by 0.5",
        "table 0 s 1, 2 s 5",
        "= speed * 2",
        "ramp 0 to 1 in 1 s with lag 1 s",
        "sine 0 to 1 in 1 s with noise 0.1",
        "saw 0 to 1 in 1 s with lag 0.5 s with noise 0.1",
    ],
)
def test_a_feed_is_written_as_it_is_read(text):
    assert parse_feed(text).words == text
    assert parse_feed(parse_feed(text).words) == parse_feed(text)


def test_what_was_recorded_feeds_a_field(tmp_path):
    table = tmp_path / "run.csv"
    table.write_text("time_s,speed_kn,note_v\n" + "".join(f"{100 + n * 0.5},{n * 2},\n" for n in range(5)))
    assert _at(f"trace {table} speed_kn", 0, 0.25, 1, 9) == [0, 1, 4, 8]
    assert _at(f"trace {table} speed_kn at 2 times", 0.5, 1) == [4, 8]
    text = f"trace {table} speed_kn at 2 times"
    assert parse_feed(text).words == text
    with pytest.raises(MisuseError, match="no column 'depth'"):
        parse_feed(f"trace {table} depth")
    with pytest.raises(MisuseError, match="above 0"):
        parse_feed(f"trace {table} speed_kn at -1 times")
    with pytest.raises(DataError):
        parse_feed(f"trace {tmp_path / 'none.csv'} x")
