"""Kernel for numbers that stand one behind the other, whatever number of bits each takes."""

from __future__ import annotations

import numpy as np

from ..compiled import njit


@njit(cache=True, nogil=True)
def packed_numbers(matrix, row, start, number, bits, low_first):  # type: ignore[no-untyped-def]
    """Return numbers of so many bits that stand one behind the other from byte ``start`` of a row on; uint64 (m,).

    High bit first they begin with the highest bit of a byte, else with the lowest. Bits beyond the row are zero.
    """
    made = np.zeros(len(row), np.uint64)
    for i in range(len(row)):
        line = matrix[row[i]]
        first = start[i] * 8 + number[i] * bits
        value = np.uint64(0)
        for k in range(bits):
            at = first + k
            byte = at >> 3
            bit = np.uint64(0)
            if 0 <= byte < len(line):
                place = at & 7
                bit = np.uint64(line[byte] >> (place if low_first else 7 - place)) & np.uint64(1)
            if low_first:
                value |= bit << np.uint64(k)
            else:
                value = value << np.uint64(1) | bit
        made[i] = value
    return made
