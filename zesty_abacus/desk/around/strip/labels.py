"""Where the words of flags stand in one line, so that as few as possible are shortened."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

_FLAG = 11.0
"""From a flag to its words; on its other side there is no flag in between."""
_BEFORE = 4.0
_APART = 7.0
_CLEAR = 16.0
"""What stands before a flag is so far from what belongs to the one before that nobody takes it for that one's."""
_LEAST = 14.0
"""Narrower words say nothing."""


@dataclass(frozen=True, slots=True)
class Label:
    """Where words stand: from left to right, after their flag or before it."""

    left: float
    right: float
    is_before: bool = False

    @property
    def width(self) -> float:
        """How much room there is."""
        return self.right - self.left


def label_places(flags: Sequence[float], widths: Sequence[float], first: float, last: float) -> list[Label | None]:
    """Place words of given widths at flags between ``first`` and ``last``.

    They stand after their flag where they fit there whole; else before it where they fit there; else after it,
    shortened; where not even that goes, nowhere.

    Parameters
    ----------
    flags
        From left to right.
    """
    places: list[Label | None] = []
    free_from = first - _CLEAR  # nothing stands before the first
    for number, (flag, width) in enumerate(zip(flags, widths, strict=True)):
        following = flags[number + 1] if number + 1 < len(flags) else last
        place = _place(flag, width, following - _BEFORE, free_from)
        places.append(place)
        end = place.right + _APART if place is not None and not place.is_before else flag + _FLAG
        free_from = max(free_from, end)
    return places


def _place(flag: float, width: float, until: float, free_from: float) -> Label | None:
    after = Label(flag + _FLAG, min(flag + _FLAG + width, until))
    before = Label(flag - _BEFORE - width, flag - _BEFORE, is_before=True)
    is_free = after.left >= free_from
    if is_free and after.width >= width:
        return after
    if before.left >= free_from + _CLEAR:
        return before
    return after if is_free and after.width > _LEAST else None
