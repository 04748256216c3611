"""Kernels for what moves: gathering stretches, walking lists of elements, splitting text."""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

WORD = 8


def gather_stretches(
    matrix: NDArray[np.uint8],
    row: NDArray[np.int64],
    start: NDArray[np.int64],
    limit: NDArray[np.int64],
    width: int,
) -> tuple[NDArray[np.uint8], NDArray[np.int64]]:
    """Copy a stretch of a row of ``matrix`` each, zero-padded to whole words.

    Parameters
    ----------
    row, start, limit : int64 (m,)
        The stretch is ``matrix[row, start : min(limit, start + width)]``; empty if it begins at or beyond the limit.

    Returns
    -------
    stretches : uint8 (m, w)
    sizes : int64 (m,)
        Bytes copied.
    """
    padded = max(WORD, (width + WORD - 1) // WORD * WORD)
    stretches = np.zeros((len(row), padded), np.uint8)
    sizes = np.empty(len(row), np.int64)
    _gather(np.ascontiguousarray(matrix), row, start, limit, width, stretches, sizes)
    return stretches, sizes


@njit(cache=True, nogil=True)
def _gather(matrix, row, start, limit, width, stretches, sizes):  # type: ignore[no-untyped-def]
    for i in range(len(row)):
        begin = start[i]
        size = max(0, min(limit[i], matrix.shape[1], begin + width) - begin) if begin >= 0 else 0
        sizes[i] = size
        for j in range(size):
            stretches[i, j] = matrix[row[i], begin + j]


@njit(cache=True, nogil=True)
def items_of(count):  # type: ignore[no-untyped-def]
    """Return the owner and the number of each of ``count[i]`` items of owner ``i``; int64 (sum,) each."""
    total = 0
    for i in range(len(count)):
        total += count[i]
    owner = np.empty(total, np.int64)
    number = np.empty(total, np.int64)
    place = 0
    for i in range(len(count)):
        for k in range(count[i]):
            owner[place] = i
            number[place] = k
            place += 1
    return owner, number


@njit(cache=True, nogil=True)
def find_end(matrix, row, start, limit, end):  # type: ignore[no-untyped-def]
    """Return where ``end`` (uint8 (k,)) first stands in each stretch, -1 if nowhere; int64 (m,)."""
    found = np.full(len(row), -1, np.int64)
    for i in range(len(row)):
        last = min(limit[i], matrix.shape[1]) - len(end)
        for place in range(max(start[i], 0), last + 1):
            same = True
            for j in range(len(end)):
                if matrix[row[i], place + j] != end[j]:
                    same = False
                    break
            if same:
                found[i] = place
                break
    return found


@njit(cache=True, nogil=True)
def _read_head(matrix, row, begin, bits):  # type: ignore[no-untyped-def]
    raw = np.uint64(0)
    for bit in bits:
        one = (matrix[row, begin + bit // 8] >> np.uint8(bit % 8)) & np.uint8(1)
        raw = (raw << np.uint64(1)) | np.uint64(one)
    return raw


@njit(cache=True, nogil=True)
def walk_elements(  # type: ignore[no-untyped-def]
    matrix, row, start, limit, head, type_bits, length_bits, length_unit, extra, end_low, end_high
):
    """Walk the elements of each stretch.

    Parameters
    ----------
    type_bits, length_bits : int64 (k,)
        Bits within the head, most significant first.
    end_low, end_high : int64 (e,)
        Spans of types that end the list.

    Returns
    -------
    owner, number, begin, size, type, length : (m,) each
        Of every element: its stretch, its number there, where its value begins, how many bytes it has (fewer than
        it says where the stretch ends), raw type and length.
    after : int64 (n,)
        Where each list ends.
    cut : bool (n,)
        Lists whose last element goes beyond the stretch.
    """
    room = 16 + 4 * len(row)
    owner, number = np.empty(room, np.int64), np.empty(room, np.int64)
    begin, size = np.empty(room, np.int64), np.empty(room, np.int64)
    types, lengths = np.empty(room, np.uint64), np.empty(room, np.uint64)
    after = start.copy()
    cut = np.zeros(len(row), np.bool_)
    count = 0
    for i in range(len(row)):
        place = start[i]
        end = min(limit[i], matrix.shape[1])
        k = 0
        while place >= 0 and place < end:
            ends = False
            if place + head > end:
                # an end mark may stand where no whole head fits any more
                if len(end_low) and place + (type_bits.max() // 8) < end:
                    kind = np.int64(_read_head(matrix, row[i], place, type_bits))
                    for e in range(len(end_low)):
                        ends = ends or (end_low[e] <= kind and kind <= end_high[e])
                place = place + type_bits.max() // 8 + 1 if ends else end
                cut[i] = not ends
                break
            kind_raw = _read_head(matrix, row[i], place, type_bits)
            kind = np.int64(kind_raw)
            for e in range(len(end_low)):
                ends = ends or (end_low[e] <= kind and kind <= end_high[e])
            if ends:
                place += type_bits.max() // 8 + 1
                break
            length = _read_head(matrix, row[i], place, length_bits)
            bytes_of = np.int64(min(length, np.uint64(1 << 32))) * length_unit + extra
            if bytes_of < 0:
                # a length that does not even count what it should: padding behind the list
                break
            if count == room:
                room *= 2
                owner, number = _grown(owner, room), _grown(number, room)
                begin, size = _grown(begin, room), _grown(size, room)
                types, lengths = _grown(types, room), _grown(lengths, room)
            there = min(bytes_of, end - place - head)
            cut[i] = there < bytes_of
            owner[count], number[count], begin[count], size[count] = i, k, place + head, there
            types[count], lengths[count] = kind_raw, length
            count += 1
            k += 1
            place += head + there
        after[i] = place
    return owner[:count], number[:count], begin[:count], size[:count], types[:count], lengths[:count], after, cut


@njit(cache=True, nogil=True)
def _grown(array, room):  # type: ignore[no-untyped-def]
    larger = np.empty(room, array.dtype)
    larger[: len(array)] = array
    return larger


@njit(cache=True, nogil=True)
def split_text(matrix, row, start, limit, separator, quote, columns):  # type: ignore[no-untyped-def]
    """Split stretches at a separator.

    Parameters
    ----------
    separator, quote : int
        Character codes; quote 0 is none.
    columns : int
        How many are wanted.

    Returns
    -------
    begin, end : int64 (n, columns)
        Of each column, quotes and blanks around it left out; -1 where there is none.
    found : int64 (n,)
        How many columns there are in all.
    """
    begin = np.full((len(row), columns), -1, np.int64)
    end = np.full((len(row), columns), -1, np.int64)
    found = np.zeros(len(row), np.int64)
    for i in range(len(row)):
        last = min(limit[i], matrix.shape[1])
        place = start[i]
        if place < 0 or place > last:
            continue
        column = 0
        first = place
        quoted = False
        while place <= last:
            at_end = place == last
            if not at_end and quote and matrix[row[i], place] == quote:
                quoted = not quoted
            if at_end or (matrix[row[i], place] == separator and not quoted):
                if column < columns:
                    a, b = _trimmed(matrix, row[i], first, place, quote)
                    begin[i, column], end[i, column] = a, b
                column += 1
                first = place + 1
            place += 1
        found[i] = column
    return begin, end, found


@njit(cache=True, nogil=True)
def _trimmed(matrix, row, first, last, quote):  # type: ignore[no-untyped-def]
    while first < last and matrix[row, first] == 32:
        first += 1
    while last > first and matrix[row, last - 1] == 32:
        last -= 1
    if quote and last - first >= 2 and matrix[row, first] == quote and matrix[row, last - 1] == quote:
        return first + 1, last - 1
    return first, last


@njit(cache=True, nogil=True)
def parse_numbers(matrix, row, begin, end, base):  # type: ignore[no-untyped-def]
    """Read numbers written in a base, with a sign and, in base 10, a point.

    Returns
    -------
    digits : int64 (n,)
        The number without its point.
    decimals : int64 (n,)
        Digits behind the point.
    good : bool (n,)
        Whether the whole stretch is a number of at most 18 digits (15 in base 16).
    """
    digits = np.zeros(len(row), np.int64)
    decimals = np.zeros(len(row), np.int64)
    good = np.zeros(len(row), np.bool_)
    most = 18 if base == 10 else 15 if base == 16 else 62 if base == 2 else 20
    for i in range(len(row)):
        place = begin[i]
        last = end[i]
        if place < 0 or place >= last:
            continue
        negative = False
        if matrix[row[i], place] == 45 or matrix[row[i], place] == 43:
            negative = matrix[row[i], place] == 45
            place += 1
        count = 0
        behind = -1
        fine = True
        number = np.int64(0)
        while place < last:
            code = np.int64(matrix[row[i], place])
            digit = code - 48 if 48 <= code <= 57 else (code | 32) - 87 if 97 <= (code | 32) <= 122 else 99
            if code == 46 and base == 10 and behind < 0:
                behind = 0
            elif digit < base and count < most:
                number = number * base + digit
                count += 1
                if behind >= 0:
                    behind += 1
            else:
                fine = False
                break
            place += 1
        good[i] = fine and count > 0
        digits[i] = -number if negative else number
        decimals[i] = max(behind, 0)
    return digits, decimals, good
