"""Kernel for names of labels, each behind its length, that may go on where a pointer says (RFC 1035, 4.1.4)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit

_BACKSLASH = 0x5C
GOOD, CUT, BROKEN = range(3)
"""What became of a name: read, ending behind the payload, or against the rules."""


def read_labels(
    matrix: NDArray[np.uint8], row: NDArray[np.int64], start: NDArray[np.int64], limit: NDArray[np.int64],
    origin: NDArray[np.int64], separator: int, *, pointers: bool,
) -> tuple[NDArray[np.uint8], NDArray[np.int64], NDArray[np.int64], NDArray[np.uint8]]:  # fmt: skip
    """Read a name from byte ``start`` of each stretch on.

    A separator or backslash within a label gets a backslash in front (RFC 1035, 5.1). Pointers lead backwards only, so
    that each name ends.

    Parameters
    ----------
    origin : int64 (m,)
        The byte that pointers count from.

    Returns
    -------
    text : uint8 (m, k)
    lengths : int64 (m,)
    after : int64 (m,)
        The byte behind the name where it stands: behind its end, or its first pointer.
    state : uint8 (m,)
        :data:`GOOD`, :data:`CUT` or :data:`BROKEN`.
    """
    count = len(row)
    lengths, after, state = np.zeros(count, np.int64), np.zeros(count, np.int64), np.zeros(count, np.uint8)
    nothing = np.zeros((0, 0), np.uint8)
    _walk(matrix, row, start, limit, origin, separator, pointers, nothing, lengths, after, state)
    text = np.zeros((count, max(int(lengths.max(initial=0)), 1)), np.uint8)
    _walk(matrix, row, start, limit, origin, separator, pointers, text, lengths, after, state)
    return text, lengths, after, state


@njit(cache=True, nogil=True)
def _walk(matrix, row, start, limit, origin, separator, pointers, text, lengths, after, state):  # type: ignore[no-untyped-def]
    writes = len(text) > 0
    for i in range(len(row)):
        line = matrix[row[i]]
        end = min(limit[i], len(line))
        place = start[i]
        # a label read after a pointer stands before the place that the pointer stood at
        before = place
        length = 0
        after[i] = -1
        state[i] = GOOD
        while True:
            if place < 0 or place >= end:
                state[i] = CUT
                break
            size = line[place]
            if pointers and size >= 0xC0:
                if place + 2 > end:
                    state[i] = CUT
                    break
                if after[i] < 0:
                    after[i] = place + 2
                target = origin[i] + ((np.int64(size) & 0x3F) << 8 | line[place + 1])
                if target >= before:
                    state[i] = BROKEN
                    break
                place = before = target
                continue
            if pointers and size >= 0x40:
                state[i] = BROKEN
                break
            if size == 0:
                if after[i] < 0:
                    after[i] = place + 1
                break
            if place + 1 + size > end:
                state[i] = CUT
                break
            if length > 0:
                if writes:
                    text[i, length] = separator
                length += 1
            for at in range(place + 1, place + 1 + size):
                if line[at] == separator or line[at] == _BACKSLASH:
                    if writes:
                        text[i, length] = _BACKSLASH
                    length += 1
                if writes:
                    text[i, length] = line[at]
                length += 1
            place += 1 + size
        lengths[i] = length
        if after[i] < 0:
            after[i] = max(end, 0)
