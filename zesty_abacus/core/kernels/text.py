"""Kernels for text: splitting lines into columns, reading the digits of numbers."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from .bits import in_shares

NOT_A_NUMBER, PLAIN, LONG = range(3)
"""What stands in a column: no number; one that the kernel has read; one with more digits than it holds."""
_MOST_DIGITS = {2: 64, 8: 21, 10: 19, 16: 16}
"""So many digits always fit 64 bits."""
_MOST_EXPONENT = 9999


class Marks(NamedTuple):
    """What stands between the columns of a line.

    Attributes
    ----------
    separator, quote
        Character codes; a quote of 0 is none.
    merges
        Whether a run of separators counts as one.
    """

    separator: int
    quote: int = 0
    merges: bool = False


class Columns(NamedTuple):
    """Columns of many lines, one behind the other.

    Attributes
    ----------
    begin, end : int64 (sum of wanted,)
        Of each column that was wanted, quotes and blanks around it left out; -1 where there is none.
    found : int64 (n,)
        How many columns each line has in all.
    after : int64 (n,)
        Where the column behind the wanted ones begins; where the line ends if there is none.
    """

    begin: NDArray[np.int64]
    end: NDArray[np.int64]
    found: NDArray[np.int64]
    after: NDArray[np.int64]


def count_columns(
    matrix: NDArray[np.uint8], row: NDArray[np.int64], start: NDArray[np.int64], limit: NDArray[np.int64], marks: Marks
) -> NDArray[np.int64]:
    """Return how many columns each line has; int64 (n,)."""
    return split_text(matrix, row, start, limit, marks, np.zeros(len(row), np.int64)).found


def split_text(
    matrix: NDArray[np.uint8], row: NDArray[np.int64], start: NDArray[np.int64], limit: NDArray[np.int64],
    marks: Marks, wanted: NDArray[np.int64],
) -> Columns:  # fmt: skip
    """Split lines at a separator.

    Parameters
    ----------
    row, start, limit : int64 (n,)
        A line is ``matrix[row, start:limit]``.
    wanted : int64 (n,)
        How many columns are wanted of each.
    """
    total = int(wanted.sum())
    begin, end = np.full(total, -1, np.int64), np.full(total, -1, np.int64)
    found, after = np.zeros(len(row), np.int64), np.zeros(len(row), np.int64)
    first = np.cumsum(wanted) - wanted
    separator, quote = np.uint8(marks.separator), np.uint8(marks.quote)
    in_shares(
        len(row),
        lambda one, last: _split(
            matrix,
            row,
            start,
            limit,
            separator,
            quote,
            marks.merges,
            wanted,
            first,
            begin,
            end,
            found,
            after,
            one,
            last,
        ),
    )
    return Columns(begin, end, found, after)


@njit(cache=True, nogil=True)
def _split(  # type: ignore[no-untyped-def]
    matrix, row, start, limit, separator, quote, merges, wanted, place_of, begin, end, found, after, one, behind
):
    for i in range(one, behind):
        last = min(limit[i], matrix.shape[1])
        first = start[i]
        after[i] = last
        if first < 0 or first > last:
            continue
        line = matrix[row[i]]
        column = 0
        quoted = False
        for place in range(first, last):
            code = line[place]
            # one comparison for most characters: both marks are rare
            if code != separator and code != quote:
                continue
            if code == quote and quote != 0:
                quoted = not quoted
            elif code == separator and not quoted:
                if merges and place == first:
                    first = place + 1
                    continue
                if column < wanted[i]:
                    begin[place_of[i] + column], end[place_of[i] + column] = _trimmed(line, first, place, quote)
                column += 1
                first = place + 1
                if column == wanted[i]:
                    after[i] = first
        if merges and first == last:
            found[i] = column
            continue
        if column < wanted[i]:
            begin[place_of[i] + column], end[place_of[i] + column] = _trimmed(line, first, last, quote)
        found[i] = column + 1


@njit(cache=True, nogil=True)
def _trimmed(line, first, last, quote):  # type: ignore[no-untyped-def]
    while first < last and line[first] == 32:
        first += 1
    while last > first and line[last - 1] == 32:
        last -= 1
    if quote and last - first >= 2 and line[first] == quote and line[last - 1] == quote:
        return first + 1, last - 1
    return first, last


class Digits(NamedTuple):
    """The numbers that columns hold, as far as a kernel reads them.

    Attributes
    ----------
    size : uint64 (n,)
        The digits without sign and point.
    negative : bool (n,)
    length : int64 (n,)
        How many digits.
    tens : int64 (n,)
        The power of ten that the digits are to be multiplied with: point and exponent.
    state : uint8 (n,)
        ``NOT_A_NUMBER``, ``PLAIN`` or ``LONG``.
    """

    size: NDArray[np.uint64]
    negative: NDArray[np.bool_]
    length: NDArray[np.int64]
    tens: NDArray[np.int64]
    state: NDArray[np.uint8]


def read_digits(
    matrix: NDArray[np.uint8], row: NDArray[np.int64], begin: NDArray[np.int64], end: NDArray[np.int64], base: int
) -> Digits:
    """Read numbers written in a base: with a sign, and a prefix as ``0x``; in base 10 with a point and an exponent."""
    n = len(row)
    digits = Digits(
        np.zeros(n, np.uint64), np.zeros(n, np.bool_), np.zeros(n, np.int64), np.zeros(n, np.int64),
        np.zeros(n, np.uint8),
    )  # fmt: skip
    most = _MOST_DIGITS[base]
    letter = {2: ord("b"), 8: ord("o"), 16: ord("x")}.get(base, 0)
    in_shares(n, lambda first, last: _read(matrix, row, begin, end, base, most, letter, *digits, first, last))
    return digits


@njit(cache=True, nogil=True, inline="always")
def _digit(code):  # type: ignore[no-untyped-def]
    if 48 <= code <= 57:
        return code - 48
    return (code | 32) - 87 if 97 <= (code | 32) <= 122 else 99


@njit(cache=True, nogil=True)
def _read(  # type: ignore[no-untyped-def]
    matrix, row, begin, end, base, most, letter, size, negative, count, tens, state, first_row, last_row
):
    for i in range(first_row, last_row):
        place, last = begin[i], end[i]
        if place < 0 or place >= last:
            continue
        line = matrix[row[i]]
        negative[i] = line[place] == 45
        if negative[i] or line[place] == 43:
            place += 1
        if letter and last - place > 2 and line[place] == 48 and (line[place + 1] | 32) == letter:
            place += 2
        digits = 0
        significant = 0
        behind = -1
        number = np.uint64(0)
        while place < last:
            code = np.int64(line[place])
            digit = _digit(code)
            if code == 46 and base == 10 and behind < 0:
                behind = 0
            elif digit < base:
                digits += 1
                significant += 1 if significant or digit else 0
                number = number * np.uint64(base) + np.uint64(digit)
                if behind >= 0:
                    behind += 1
            else:
                break
            place += 1
        power, place = _exponent(line, place, last, base)
        if place < last or digits == 0:
            continue
        size[i] = number
        count[i] = digits
        tens[i] = power - max(behind, 0)
        state[i] = PLAIN if significant <= most else LONG


@njit(cache=True, nogil=True)
def _exponent(line, place, last, base):  # type: ignore[no-untyped-def]
    """Return the exponent that begins at a place, 0 if none does, and where it ends."""
    if base != 10 or place >= last or (line[place] | 32) != 101:
        return 0, place
    at = place + 1
    minus = at < last and line[at] == 45
    if at < last and (line[at] == 45 or line[at] == 43):
        at += 1
    if at >= last:
        return 0, place
    power = 0
    while at < last and 48 <= line[at] <= 57:
        power = min(power * 10 + np.int64(line[at]) - 48, _MOST_EXPONENT)
        at += 1
    return (-power if minus else power), at
