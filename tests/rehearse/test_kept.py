"""How well planned times were kept: counted to the end, measured as long as there is room."""

import pytest

from zesty_abacus.core.rehearse import kept
from zesty_abacus.core.rehearse.kept import Kept


def test_what_was_sent_says_how_late_in_the_middle_and_at_worst():
    made = Kept()
    for number in range(101):
        made.add(number / 1e5)
    assert made.sent == 101
    assert made.words() == "101 sent; late by 0.50 ms in the middle, 0.99 ms at the 99th percentile"


@pytest.mark.parametrize(("late", "said"), [([], "0 sent"), ([0.5], "1 sent")])
def test_of_one_frame_no_middle_is_said(late, said):
    made = Kept()
    for one in late:
        made.add(one)
    assert made.words() == said
    made.add(0.5)
    assert "; late by " in made.words() or made.sent < 2


def test_more_frames_than_are_measured_are_counted_all_the_same(monkeypatch):
    monkeypatch.setattr(kept, "_MOST_MEASURED", 3)
    made = Kept()
    for number in range(5):
        made.add(float(number))
    assert made.sent == 5 and made.late_s == [0.0, 1.0, 2.0]
