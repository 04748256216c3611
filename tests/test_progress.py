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
