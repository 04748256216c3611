"""The number kernel: words to raw integers and scaled values, block by block.

Rows are taken in blocks that fit the first-level cache; the words of a block are copied once, plain and
byte-swapped where wanted, and every field then runs over contiguous scratch, which the compiler turns
into vector instructions.
"""

from __future__ import annotations

import itertools
import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from .steps import (
    READ_BCD,
    READ_GRAY,
    READ_ONES_COMPLEMENT,
    READ_SIGN_MAGNITUDE,
    READ_SIGNED,
    READ_UNSIGNED,
    NumberSteps,
)

_BLOCK = 1024
_ROWS_WORTH_A_THREAD = 1 << 16
# the processors this process may use, which in a container are fewer than the machine has
_threads = max(1, len(os.sched_getaffinity(0)))
_pool = ThreadPoolExecutor(_threads, thread_name_prefix="codec")


def decode_numbers(
    matrix: NDArray[np.uint8], steps: NumberSteps, *, threads: int | None = None
) -> tuple[NDArray[np.uint64], NDArray[np.float64]]:
    """Decode number fields of a kind matrix.

    Parameters
    ----------
    matrix : uint8 (n, w)
        Rows padded to whole words; ``w`` must cover every word the steps name.
    threads
        How many threads may share the rows; all of the machine's by default.

    Returns
    -------
    raw : uint64 (fields, n)
        Raw integers; those of signed fields are sign-extended, view them as int64. Decimal digits that are none
        give the highest value.
    values : float64 (scaled fields, n)
        Scaled values of the fields that are wanted scaled, in order.
    """
    words = np.ascontiguousarray(matrix).view(np.uint64).reshape(len(matrix), matrix.shape[1] // 8)
    count = len(words)
    raw = np.empty((len(steps.width), count), np.uint64)
    values = np.empty((int(steps.scaled.sum()), count), np.float64)
    plain = np.zeros(words.shape[1], np.bool_)
    turned = np.zeros(words.shape[1], np.bool_)
    plain[steps.word[~steps.swapped]] = True
    turned[steps.word[steps.swapped]] = True
    arguments = (
        plain, turned, steps.first, steps.word, steps.swapped, steps.right, steps.mask, steps.left,
        steps.width, steps.reading, steps.inverted, steps.scaled, steps.times, steps.plus, steps.over,
    )  # fmt: skip
    in_shares(count, lambda first, last: _decode_rows(words, raw, values, first, last, *arguments), threads=threads)
    return raw, values


def in_shares(count: int, work: Callable[[int, int], object], *, threads: int | None = None) -> None:
    """Have rows worked on in shares, one a thread; ``work`` takes the first row and the one behind the last.

    ``work`` is to spend its time in compiled code that releases the interpreter's lock, and must not come here again.
    """
    # below some ten thousand rows a thread is started for longer than it works
    shares = min(threads or _threads, max(1, count // _ROWS_WORTH_A_THREAD))
    if shares == 1:
        work(0, count)
        return
    edges = [count * share // shares for share in range(shares + 1)]
    for job in [_pool.submit(work, first, last) for first, last in itertools.pairwise(edges)]:
        job.result()


@njit(cache=True, nogil=True, inline="always")
def swap_word(word):  # type: ignore[no-untyped-def]
    """Return a 64-bit word with its bytes in the opposite order."""
    u = np.uint64
    word = ((word & u(0x00FF00FF00FF00FF)) << u(8)) | ((word >> u(8)) & u(0x00FF00FF00FF00FF))
    word = ((word & u(0x0000FFFF0000FFFF)) << u(16)) | ((word >> u(16)) & u(0x0000FFFF0000FFFF))
    return (word << u(32)) | (word >> u(32))


@njit(cache=True, nogil=True)
def _decode_rows(  # type: ignore[no-untyped-def]
    words, raw, values, first_row, last_row, plain, turned, first, word, swapped, right, mask, left,
    width, reading, inverted, scaled, times, plus, over,
):  # fmt: skip
    count_words = words.shape[1]
    # one row of scratch a word: a field then runs along contiguous numbers, which a column of the matrix is not
    low_first = np.empty((count_words, _BLOCK), np.uint64)
    high_first = np.empty((count_words, _BLOCK), np.uint64)
    gathered = np.empty(_BLOCK, np.uint64)
    for begin in range(first_row, last_row, _BLOCK):
        rows = min(_BLOCK, last_row - begin)
        for w in range(count_words):
            if plain[w]:
                for i in range(rows):
                    low_first[w, i] = words[begin + i, w]
            if turned[w]:
                for i in range(rows):
                    high_first[w, i] = swap_word(words[begin + i, w])
        column = 0
        for f in range(len(width)):
            for s in range(first[f], first[f + 1]):
                source = high_first[word[s]] if swapped[s] else low_first[word[s]]
                _take_step(source, right[s], mask[s], left[s], s == first[f], gathered, rows)
            if inverted[f]:
                _invert(gathered, width[f], rows)
            if reading[f] != READ_UNSIGNED:
                _read_as(reading[f], gathered, width[f], rows)
            target = raw[f]
            for i in range(rows):
                target[begin + i] = gathered[i]
            if scaled[f]:
                _scale(
                    gathered, width[f], _is_signed(reading[f]), times[f], plus[f], over[f], values[column], begin, rows
                )
                column += 1


@njit(cache=True, nogil=True)
def _take_step(source, right, mask, left, is_first, gathered, rows):  # type: ignore[no-untyped-def]
    if is_first:
        for i in range(rows):
            gathered[i] = ((source[i] >> right) & mask) << left
    else:
        for i in range(rows):
            gathered[i] |= ((source[i] >> right) & mask) << left


@njit(cache=True, nogil=True, inline="always")
def _is_signed(reading):  # type: ignore[no-untyped-def]
    return reading == READ_SIGNED or reading == READ_SIGN_MAGNITUDE or reading == READ_ONES_COMPLEMENT


@njit(cache=True, nogil=True)
def _invert(gathered, width, rows):  # type: ignore[no-untyped-def]
    ones = np.uint64(0xFFFFFFFFFFFFFFFF) >> np.uint64(64 - width)
    for i in range(rows):
        gathered[i] ^= ones


@njit(cache=True, nogil=True)
def _read_as(reading, gathered, width, rows):  # type: ignore[no-untyped-def]
    sign = np.uint64(1) << np.uint64(width - 1)
    if reading == READ_SIGNED:
        if width < 64:
            _extend_sign(gathered, sign, rows)
    elif reading == READ_SIGN_MAGNITUDE:
        for i in range(rows):
            size = gathered[i] & (sign - np.uint64(1))
            gathered[i] = (np.uint64(0) - size) if gathered[i] & sign else size
    elif reading == READ_ONES_COMPLEMENT:
        for i in range(rows):
            inverse = gathered[i] ^ (sign | (sign - np.uint64(1)))
            gathered[i] = (np.uint64(0) - inverse) if gathered[i] & sign else gathered[i]
    elif reading == READ_GRAY:
        for i in range(rows):
            number = gathered[i]
            for places in (1, 2, 4, 8, 16, 32):
                number ^= number >> np.uint64(places)
            gathered[i] = number
    elif reading == READ_BCD:
        _read_digits(gathered, width, 4, rows)
    else:
        _read_digits(gathered, width, 8, rows)


@njit(cache=True, nogil=True)
def _read_digits(gathered, width, digit_bits, rows):  # type: ignore[no-untyped-def]
    for i in range(rows):
        number = np.uint64(0)
        ten = np.uint64(1)
        good = True
        for place in range(0, width, digit_bits):
            digit = (gathered[i] >> np.uint64(place)) & np.uint64((1 << digit_bits) - 1)
            if digit_bits == 8:
                upper = digit >> np.uint64(4)
                good = good and (upper == 0 or upper == 3)
                digit &= np.uint64(15)
            good = good and digit < 10
            number += digit * ten
            ten *= np.uint64(10)
        gathered[i] = number if good else np.uint64(0xFFFFFFFFFFFFFFFF)


@njit(cache=True, nogil=True)
def _extend_sign(gathered, sign, rows):  # type: ignore[no-untyped-def]
    for i in range(rows):
        gathered[i] = (gathered[i] ^ sign) - sign


@njit(cache=True, nogil=True)
def _scale(gathered, width, signed, times, plus, over, target, begin, rows):  # type: ignore[no-untyped-def]
    # 32-bit integers convert to floats in vectors on every machine, 64-bit ones only on some
    if width <= 31 or (signed and width == 32):
        for i in range(rows):
            target[begin + i] = np.float64(np.int32(gathered[i])) * times + plus
    elif signed:
        for i in range(rows):
            target[begin + i] = np.float64(np.int64(gathered[i])) * times + plus
    else:
        for i in range(rows):
            target[begin + i] = np.float64(gathered[i]) * times + plus
    if over != 1.0:
        for i in range(rows):
            target[begin + i] /= over
