"""Kernels that write cells of tables as text: numbers in their shortest decimal form, words as they stand in a pool."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit

NULL, PLUS, MINUS, WORD = range(4)
"""What a cell holds: nothing, a number by its sign, or a word of the pool."""

_MOST_PLACES = 15
_EXACT = 2.0**53
_TOLD_APART = 1e15
"""Decimal numbers of fifteen digits are different floats each (IEEE 754, binary64)."""
_TENS = 10.0 ** np.arange(_MOST_PLACES + 1)
"""Powers of ten that a float64 holds exactly, so that dividing by them is rounded once."""

_PAIRS = np.array([[48 + n // 10, 48 + n % 10] for n in range(100)], np.uint8).ravel()
"""The two digits of every number below a hundred."""

_ONE, _TEN, _HUNDRED, _TEN_THOUSAND = (np.uint64(number) for number in (1, 10, 100, 10_000))

_LONGEST_NUMBER = 24
"""Room for a sign, twenty digits, a point, a zero before it and one behind it."""


def split_decimals(
    values: NDArray[np.float64], state: NDArray[np.uint8]
) -> tuple[NDArray[np.uint64], NDArray[np.uint8], NDArray[np.uint8]]:
    """Take floats apart into digits and decimal places, where few digits say exactly the float.

    ``digits / 10**places`` is rounded once, so that whoever reads the digits gets the same float back; among the
    numbers of places for which it does, the least is taken.

    Parameters
    ----------
    values : float64 (n,)
    state : uint8 (n,)
        :data:`NULL` where there is nothing.

    Returns
    -------
    digits : uint64 (n,)
    places : uint8 (n,)
    state : uint8 (n,)
        :data:`NULL`, :data:`PLUS`, :data:`MINUS`, or :data:`WORD` for those that it takes more digits to say.
    """
    digits = np.zeros(len(values), np.uint64)
    places = np.zeros(len(values), np.uint8)
    made = state.copy()
    _split(values, digits, places, made)
    return digits, places, made


@njit(cache=True, nogil=True)
def _split(values, digits, places, state):  # type: ignore[no-untyped-def]
    guess = 0
    for row in range(len(values)):
        if state[row] == NULL:
            continue
        value = values[row]
        size = abs(value)
        if value == 0.0:
            state[row] = MINUS if np.signbit(value) else PLUS
            continue
        # the very small and the very large are left to those who write exponents
        if not 1e-5 <= size < _EXACT:
            state[row] = WORD
            continue
        # neighbours mostly have the same number of places; where they are too many, zeros behind tell so, but only of
        # as many digits as no two of which are one float
        place = guess
        whole = np.rint(size * _TENS[place])
        if not (whole < _TOLD_APART and whole / _TENS[place] == size):
            place = 0
            whole = np.rint(size)
            while whole < _EXACT and whole / _TENS[place] != size and place < _MOST_PLACES:
                place += 1
                whole = np.rint(size * _TENS[place])
            if not (whole < _EXACT and whole / _TENS[place] == size):
                state[row] = WORD
                continue
            guess = place
        left = np.uint64(whole)
        while place > 0 and left % np.uint64(10) == 0:
            left //= np.uint64(10)
            place -= 1
        digits[row] = left
        places[row] = place
        state[row] = MINUS if value < 0 else PLUS


class CellRows(NamedTuple):
    """Rows of cells; cells that are left out hold nothing.

    Attributes
    ----------
    begins, ends : int64 (rows,)
        Where the cells of each row begin, and where none of them is any more.
    step : int
        From a cell of a row to the next: 1 where they lie row by row, as many as there are rows where they lie column
        by column, which is how columns are filled most quickly.
    columns : int32 (cells,)
        The column of each, rising within a row.
    digits : uint64 (cells,)
        Of a number its digits, of a word its number in the pool.
    places : uint8 (cells,)
        Decimal places of a number.
    state : uint8 (cells,)
        :data:`NULL`, :data:`PLUS`, :data:`MINUS` or :data:`WORD`.
    """

    begins: NDArray[np.int64]
    ends: NDArray[np.int64]
    step: int
    columns: NDArray[np.int32]
    digits: NDArray[np.uint64]
    places: NDArray[np.uint8]
    state: NDArray[np.uint8]


class EmptyRow(NamedTuple):
    """A row whose cells all hold nothing, and where its columns lie; what stands between cells is copied from it.

    Attributes
    ----------
    text : uint8 (m,)
    leads, ends : int64 (columns,)
        The place behind what stands before a cell, and the place behind the cell.
    point_zero : bool (columns,)
        Whether whole numbers of a column end in ``.0``.
    """

    text: NDArray[np.uint8]
    leads: NDArray[np.int64]
    ends: NDArray[np.int64]
    point_zero: NDArray[np.bool_]


class Pool(NamedTuple):
    """Bytes of words, and where each lies in them."""

    text: NDArray[np.uint8]
    starts: NDArray[np.int64]
    lengths: NDArray[np.int64]


def put_rows(rows: CellRows, empty: EmptyRow, pool: Pool, first: int, last: int) -> memoryview:
    """Return the rows ``first .. last-1`` as text."""
    room = _room(rows, pool, first, last) + len(empty.text) * (last - first)
    text = np.empty(room, np.uint8)
    used = _put(rows, empty, pool, first, last, text)
    return text.data[:used]


@njit(cache=True, nogil=True)
def _room(rows, pool, first, last):  # type: ignore[no-untyped-def]
    room = 0
    step = np.uint64(rows.step)
    for row in range(first, last):
        cell, end = np.uint64(rows.begins[row]), np.uint64(rows.ends[row])
        while cell < end:
            if rows.state[cell] == WORD:
                room += pool.lengths[rows.digits[cell]]
            elif rows.state[cell] != NULL:
                room += _LONGEST_NUMBER
            cell += step
    return room


# Places are unsigned from here on: for a signed one the compiler asks at each access whether it counts from the end,
# which takes longer than the access.


@njit(cache=True, nogil=True, inline="always")
def _put_word(words, start, length, text, at):  # type: ignore[no-untyped-def]
    # most of what is written is a single sign, for which the loop's preparations take longest
    if length == _ONE:
        text[at] = words[start]
        return at + _ONE
    i = np.uint64(0)
    while i < length:
        text[at + i] = words[start + i]
        i += _ONE
    return at + length


@njit(cache=True, nogil=True)
def _digit_count(number):  # type: ignore[no-untyped-def]
    count = np.uint64(1)
    while number >= _TEN_THOUSAND:
        number //= _TEN_THOUSAND
        count += np.uint64(4)
    while number >= _TEN:
        number //= _TEN
        count += _ONE
    return count


@njit(cache=True, nogil=True)
def _put_whole(left, text, at):  # type: ignore[no-untyped-def]
    """Write a whole number, two digits a division."""
    end = at + _digit_count(left)
    to = end
    while left >= _HUNDRED:
        rest = left // _HUNDRED
        pair = (left - rest * _HUNDRED) << _ONE
        left = rest
        to -= np.uint64(2)
        text[to] = _PAIRS[pair]
        text[to + _ONE] = _PAIRS[pair + _ONE]
    if left >= _TEN:
        pair = left << _ONE
        text[to - np.uint64(2)] = _PAIRS[pair]
        text[to - _ONE] = _PAIRS[pair + _ONE]
    else:
        text[to - _ONE] = 48 + np.uint8(left)
    return end


@njit(cache=True, nogil=True)
def _put_decimal(left, places, text, at):  # type: ignore[no-untyped-def]
    # at least a zero before the point
    count = max(_digit_count(left), places + _ONE)
    end = at + count + _ONE
    to = end - _ONE
    for number in range(count):
        if number == places:
            text[to] = 46
            to -= _ONE
        tenth = left // _TEN
        text[to] = 48 + np.uint8(left - tenth * _TEN)
        left = tenth
        to -= _ONE
    return end


@njit(cache=True, nogil=True, inline="always")
def _put_number(digits, places, point_zero, text, at):  # type: ignore[no-untyped-def]
    if places:
        return _put_decimal(digits, places, text, at)
    at = _put_whole(digits, text, at)
    if point_zero:
        text[at] = 46
        text[at + _ONE] = 48
        at += np.uint64(2)
    return at


@njit(cache=True, nogil=True)
def _put(rows, empty, pool, first, last, text):  # type: ignore[no-untyped-def]
    at = np.uint64(0)
    step = np.uint64(rows.step)
    for row in range(first, last):
        done = np.uint64(0)
        cell, end = np.uint64(rows.begins[row]), np.uint64(rows.ends[row])
        while cell < end:
            state = rows.state[cell]
            if state != NULL:
                column = np.uint64(rows.columns[cell])
                at = _put_word(empty.text, done, np.uint64(empty.leads[column]) - done, text, at)
                done = np.uint64(empty.ends[column])
                digits = rows.digits[cell]
                if state == WORD:
                    at = _put_word(pool.text, np.uint64(pool.starts[digits]), np.uint64(pool.lengths[digits]), text, at)
                else:
                    if state == MINUS:
                        text[at] = 45
                        at += _ONE
                    at = _put_number(digits, np.uint64(rows.places[cell]), empty.point_zero[column], text, at)
            cell += step
        at = _put_word(empty.text, done, np.uint64(len(empty.text)) - done, text, at)
    return at
