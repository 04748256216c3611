"""Times of bytes that were stored without: they lie one behind the other, as a wire of a usual rate carries them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

_BITS_A_BYTE = 10
"""A start bit, eight of data, a stop bit."""


class LaidOut:
    """Gives pieces of bytes the times they would have had, piece behind piece.

    Parameters
    ----------
    bit_rate
        Of the wire, in bit/s.
    pause_bytes
        How long nothing is sent behind each piece, in bytes.

    Attributes
    ----------
    byte_ns
        How long a byte takes.
    """

    def __init__(self, bit_rate: int, pause_bytes: int = 0) -> None:
        self.bit_rate = bit_rate
        self.byte_ns = _BITS_A_BYTE * 1_000_000_000 // bit_rate
        self._pause = pause_bytes
        self._bytes = 0

    def times(self, sizes: NDArray[np.integer]) -> NDArray[np.int64]:
        """Return when each of the next pieces begins, int64 (n,), by their sizes in bytes."""
        taken = sizes.astype(np.int64) + self._pause
        ends = self._bytes + np.cumsum(taken)
        self._bytes = int(ends[-1]) if len(ends) else self._bytes
        return (ends - taken) * self.byte_ns

    def fact(self, what: str) -> tuple[str, str]:
        """Return what was taken for granted, a name and words: ``what`` are the pieces."""
        rate = f"{self.bit_rate:,}".replace(",", " ")
        return "times", f"none in the file: {what} lie one behind the other, at {rate} bits/s"
