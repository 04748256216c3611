"""Kernels for what moves: gathering stretches, walking lists of elements."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from .bits import swap_word
from .steps import Step

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
        line = matrix[row[i]]
        size = max(0, min(limit[i], matrix.shape[1], begin + width) - begin) if begin >= 0 else 0
        sizes[i] = size
        for j in range(size):
            stretches[i, j] = line[begin + j]


@njit(cache=True, nogil=True)
def items_of(count):  # type: ignore[no-untyped-def]
    """Return the owner and the number of each of ``count[i]`` items of owner ``i``; int64 (sum,) each."""
    total = 0
    for i in range(len(count)):
        total += count[i]
    owner = np.empty(total, np.int64)
    number = np.empty(total, np.int64)
    place = 0
    # two passes, so that nothing has to grow while it is filled
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
        # ends are a byte or two: a search that skips would cost more to prepare than it saves
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


class HeadSteps(NamedTuple):
    """How a field of an element's head is read: shifts and masks over its bytes as one word.

    ``swapped``, ``right``, ``mask``, ``left`` have one entry a step; ``reach`` is how many bytes they touch.
    """

    swapped: NDArray[np.bool_]
    right: NDArray[np.uint64]
    mask: NDArray[np.uint64]
    left: NDArray[np.uint64]
    reach: int


def head_steps(steps: Sequence[Step], reach: int) -> HeadSteps:
    """Return compiled steps as the kernel takes them."""
    return HeadSteps(
        np.array([step.swapped for step in steps], np.bool_),
        np.array([step.right for step in steps], np.uint64),
        np.array([step.mask for step in steps], np.uint64),
        np.array([step.left for step in steps], np.uint64),
        reach,
    )


@njit(cache=True, nogil=True, inline="always")
def _head_word(line, begin, size):  # type: ignore[no-untyped-def]
    word = np.uint64(0)
    for place in range(size):
        word |= np.uint64(line[begin + place]) << np.uint64(8 * place)
    return word


@njit(cache=True, nogil=True, inline="always")
def _read_head(word, swapped, right, mask, left):  # type: ignore[no-untyped-def]
    raw = np.uint64(0)
    for s in range(len(right)):
        source = swap_word(word) if swapped[s] else word
        raw |= ((source >> right[s]) & mask[s]) << left[s]
    return raw


class Walked(NamedTuple):
    """The elements of all stretches, one after another.

    Attributes
    ----------
    owner, number, begin, size : int64 (m,)
        Its stretch, its number there, where its value begins, and how many bytes that has: fewer than it says where
        the stretch ends.
    type, length : uint64 (m,)
        Raw.
    after : int64 (n,)
        Where each list ends.
    cut : bool (n,)
        Lists whose last element goes beyond the stretch.
    """

    owner: NDArray[np.int64]
    number: NDArray[np.int64]
    begin: NDArray[np.int64]
    size: NDArray[np.int64]
    type: NDArray[np.uint64]
    length: NDArray[np.uint64]
    after: NDArray[np.int64]
    cut: NDArray[np.bool_]


def walk_elements(
    matrix: NDArray[np.uint8],
    row: NDArray[np.int64],
    start: NDArray[np.int64],
    limit: NDArray[np.int64],
    shape: tuple[int, int, int],
    steps: tuple[HeadSteps, HeadSteps],
    ends: tuple[NDArray[np.int64], NDArray[np.int64]],
    alone: tuple[NDArray[np.int64], NDArray[np.int64]],
) -> Walked:
    """Walk the elements of each stretch: once to count them, once to note them.

    Parameters
    ----------
    shape
        Bytes of the head; bytes that one of the length counts; bytes besides.
    steps
        How type and length are read from the head.
    ends, alone
        Lowest and highest types of the spans that end a list, and of those without a length.
    """
    stretches = matrix, row, start, np.minimum(limit, matrix.shape[1])
    after, cut = start.copy(), np.zeros(len(row), np.bool_)
    none, nothing = np.empty(0, np.int64), np.empty(0, np.uint64)
    how = (*shape, *steps[0], *steps[1][:4], *ends, *alone)
    walk: Callable[..., int] = _walk
    # the same kernel twice, so that counting and noting cannot disagree about where a list ends
    count = walk(*stretches, *how, False, none, none, none, none, nothing, nothing, after, cut)
    owner, number, begin, size = (np.empty(count, np.int64) for _ in range(4))
    kind, length = np.empty(count, np.uint64), np.empty(count, np.uint64)
    walk(*stretches, *how, True, owner, number, begin, size, kind, length, after, cut)
    return Walked(owner, number, begin, size, kind, length, after, cut)


@njit(cache=True, nogil=True)
def _is_among(kind, low, high):  # type: ignore[no-untyped-def]
    for span in range(len(low)):
        if low[span] <= np.int64(kind) and np.int64(kind) <= high[span]:
            return True
    return False


@njit(cache=True, nogil=True)
def _walk(  # type: ignore[no-untyped-def]
    matrix, row, start, limit, head, length_unit, extra, type_swapped, type_right, type_mask, type_left, type_reach,
    length_swapped, length_right, length_mask, length_left, end_low, end_high, alone_low, alone_high, fill,
    owner, number, begin, size, types, lengths, after, cut,
):  # fmt: skip
    count = 0
    for i in range(len(row)):
        # a view of the row, since indexing a matrix twice costs more than the bytes themselves
        line = matrix[row[i]]
        place, end, k = start[i], limit[i], 0
        while 0 <= place < end:
            there = min(head, end - place)
            word = _head_word(line, place, there)
            kind = _read_head(word, type_swapped, type_right, type_mask, type_left)
            has_type = there >= type_reach
            if has_type and _is_among(kind, alone_low, alone_high):
                if fill:
                    owner[count], number[count], begin[count], size[count] = i, k, place + type_reach, 0
                    types[count], lengths[count] = kind, 0
                count += 1
                k += 1
                place += type_reach
                continue
            if has_type and _is_among(kind, end_low, end_high):
                place += type_reach
                break
            if there < head:
                place = end
                cut[i] = True
                break
            length = _read_head(word, length_swapped, length_right, length_mask, length_left)
            wanted = np.int64(min(length, np.uint64(1 << 32))) * length_unit + extra
            if wanted < 0:
                # a length that does not even count what it should: padding behind the list
                break
            held = min(wanted, end - place - head)
            if fill:
                cut[i] = held < wanted
                owner[count], number[count], begin[count], size[count] = i, k, place + head, held
                types[count], lengths[count] = kind, length
            count += 1
            k += 1
            place += head + held
        after[i] = place
    return count
