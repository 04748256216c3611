"""Whether some bits of a frame depend on the others by exclusive ors alone, as every CRC does.

Such bits are an affine function over GF(2), whatever the polynomial, the bytes covered and the key: each is a
combination of other columns of the matrix of differences. The combinations of columns that give nothing, found by
Gaussian elimination, tell of all bits at once: some are decided by the rest if, cut to them, these combinations give
each of them alone.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

_LEAST_REDUNDANT = 6


class Dependencies:
    """How bits depend on each other in some frames, worked out once for whatever is asked of them.

    Parameters
    ----------
    frames : uint8 (n, size)
    left_out
        Bits, as a mask, that nothing is to be worked out from.
    """

    def __init__(self, frames: NDArray[np.uint8], left_out: int = 0) -> None:
        differences = np.unpackbits(frames[1:] ^ frames[:1], axis=1, bitorder="little")
        basis: dict[int, tuple[int, int]] = {}
        self._nothing: list[int] = []
        for bit, flips in enumerate(np.packbits(differences.T, axis=1)):
            column = 0 if left_out >> bit & 1 else int.from_bytes(flips.tobytes(), "big")
            row, mask = _reduced(basis, column, 1 << bit)
            if row:
                basis[row.bit_length()] = row, mask
            else:
                self._nothing.append(mask)

    def decide(self, bits: Iterable[int]) -> bool:
        """Return whether each of some bits is a combination of those besides, in all the frames alike."""
        own = sum(1 << bit for bit in bits)
        basis: dict[int, tuple[int, int]] = {}
        for mask in self._nothing:
            row, _ = _reduced(basis, mask & own, 0)
            if row:
                basis[row.bit_length()] = row, 0
        return len(basis) == own.bit_count()


def frames_needed(moving_bits: int) -> int:
    """Return how many frames leave some that are combinations of the others."""
    return moving_bits + 1 + _LEAST_REDUNDANT


def combination(columns: Sequence[int], wanted: int) -> int | None:
    """Return which columns, as a mask, give a number by exclusive or; None if none do."""
    basis: dict[int, tuple[int, int]] = {}
    for number, column in enumerate(columns):
        row, mask = _reduced(basis, column, 1 << number)
        if row:
            basis[row.bit_length()] = row, mask
    rest, chosen = _reduced(basis, wanted, 0)
    return chosen if not rest else None


def _reduced(basis: dict[int, tuple[int, int]], row: int, mask: int) -> tuple[int, int]:
    """Return what is left of a row without those of a basis, and which columns make up the difference."""
    while row and (found := basis.get(row.bit_length())) is not None:
        row, mask = row ^ found[0], mask ^ found[1]
    return row, mask
