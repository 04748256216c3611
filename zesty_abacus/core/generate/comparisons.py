"""Which comparisons tell whether a whole number lies in a range: those that always hold are left out.

A compiler warns of them, and a reader wonders.
"""

from __future__ import annotations

from typing import NamedTuple

from ..layouts.model import RawSet


class Ends(NamedTuple):
    """The ends of a range that have to be compared with; None where the type of the number is the end.

    One number alone has both, and they are the same.
    """

    low: int | None
    high: int | None

    @property
    def is_one(self) -> bool:
        """Whether the range is one number."""
        return self.low is not None and self.low == self.high


def ends_within(low: int, high: int, type_range: tuple[int, int]) -> Ends:
    """Return which ends of a range need a comparison with a number of a type, which both reach into."""
    if low == high:
        return Ends(low, high)
    lowest, highest = type_range
    return Ends(low if low > lowest else None, high if high < highest else None)


def spans_within(values: RawSet, type_range: tuple[int, int]) -> list[Ends]:
    """Return the same of each span of a set; spans that no number of the type can be in are left out."""
    lowest, highest = type_range
    return [ends_within(low, high, type_range) for low, high in values.spans if low <= highest and high >= lowest]
