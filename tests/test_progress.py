"""A part of a long job is told as a share of the whole, and ends with it."""

from __future__ import annotations

import pytest

from zesty_abacus.core.progress import Cancelled, Progress


def test_a_part_is_told_as_its_share_of_the_whole():
    told: list[tuple[float, str]] = []
    whole = Progress(lambda share, note: told.append((share, note)))
    part = whole.part(0.5, 0.75)
    part.step(0.0, "begins")
    part.part(0.5, 1.0).step(1.0, "ends")
    assert told == [(0.5, "begins"), (0.75, "ends")]


def test_what_stops_the_whole_is_seen_inside_a_part_that_tells_nothing():
    whole = Progress()
    part = whole.part(0.0, 0.5).part(0.0, 0.5)
    part.check()
    whole.cancel()
    with pytest.raises(Cancelled):
        part.check()


@pytest.mark.parametrize(("first", "last"), [(0.5, 0.2), (-0.1, 0.5), (0.5, 1.1)])
def test_a_part_lies_within_the_whole_and_goes_forward(first, last):
    with pytest.raises(AssertionError, match="no part of a whole"):
        Progress().part(first, last)
    heard = []
    part = Progress(lambda share, note: heard.append((round(share, 3), note))).part(0.25, 0.75)
    part.step(0.0, "begun")
    part.step(0.5, "half")
    part.step(1.0, "done")
    assert heard == [(0.25, "begun"), (0.5, "half"), (0.75, "done")]
