"""Whether some bits of a frame depend on the others by exclusive ors alone, as every CRC does.

Such bits are an affine function over GF(2): where the other bits of a difference are a combination of those of some
differences, these are the same combination. Gaussian elimination shows it, whatever the polynomial, the bytes covered
and the key.
"""

from __future__ import annotations

from collections.abc import Sequence

_LEAST_REDUNDANT = 6


def is_linear(frames: Sequence[int], own: int) -> bool:
    """Return whether nothing speaks against it.

    Parameters
    ----------
    frames
        Whole payloads as numbers.
    own
        Which bits of them are asked about, as a mask.
    """
    basis: dict[int, int] = {}
    for frame in frames[1:]:
        row = frame ^ frames[0]
        rest = row & ~own
        while rest:
            top = rest.bit_length()
            if top not in basis:
                basis[top] = row
                break
            row ^= basis[top]
            rest = row & ~own
        else:
            # the other bits are a combination of those before, so these have to be the same combination
            if row:
                return False
    return True


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
