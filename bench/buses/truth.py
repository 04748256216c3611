"""What is true of a made-up bus."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

Key = tuple[str, int, int]
"""Lane, address, and 1 of a 29-bit identifier."""


@dataclass(slots=True)
class TrueField:
    """A field as its maker meant it.

    Attributes
    ----------
    bits
        From the most to the least significant.
    what
        ``number``, ``signed``, ``state``, ``flag``, ``counter``, ``check``, ``selector`` or ``float``.
    page
        The value of the selector that it is there at, None for always.
    signal
    scale, zero
        The raw number is that of the signal times the scale, plus the zero.
    parameters
        Of counters and checks.
    """

    bits: tuple[int, ...]
    what: str
    page: int | None = None
    signal: str = ""
    scale: float = 1.0
    zero: float = 0.0
    parameters: dict[str, Any] = field(default_factory=dict)


@dataclass(slots=True, eq=False)
class TrueMessage:
    """A message as its maker meant it, and as it was sent.

    Attributes
    ----------
    key
    times_s : float64 (n,)
    matrix : uint8 (n, size)
    fields
    period_s
        None of what is sent on change.
    lag_s
        How late its signals are.
    """

    key: Key
    times_s: NDArray[np.float64]
    matrix: NDArray[np.uint8]
    fields: list[TrueField]
    period_s: float | None
    lag_s: float = 0.0

    def moving(self, one: TrueField) -> tuple[int, ...]:
        """Return the bits of a field from the highest to the lowest that ever move, on its page."""
        rows = self.matrix
        if one.page is not None:
            selector = next(each for each in self.fields if each.what == "selector")
            rows = rows[raw_of(rows, selector.bits) == one.page]
        moves = [bool(len(rows)) and bool(np.ptp(rows[:, bit // 8] >> (bit % 8) & 1)) for bit in one.bits]
        if not any(moves):
            return ()
        first, last = moves.index(True), len(moves) - moves[::-1].index(True)
        return one.bits[first:last]

    def page_value(self, one: TrueField) -> int | None:
        """Return the page of a field as the bits of the selector that move have it."""
        if one.page is None:
            return None
        selector = next(each for each in self.fields if each.what == "selector")
        moving = self.moving(selector)
        value = 0
        for bit in moving:
            value = value << 1 | one.page >> (len(selector.bits) - 1 - selector.bits.index(bit)) & 1
        return value


def raw_of(matrix: NDArray[np.uint8], bits: tuple[int, ...]) -> NDArray[np.int64]:
    """Return bits as numbers without sign; int64 (n,)."""
    raw = np.zeros(len(matrix), np.int64)
    for bit in bits:
        raw = raw << 1 | (matrix[:, bit // 8] >> (bit % 8) & 1)
    return raw
