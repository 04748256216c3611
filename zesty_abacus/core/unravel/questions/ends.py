"""A check in the last bytes of payloads that vary in length: sums, exclusive ors, CRCs of any polynomial."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...frames.segment_frames import KindFrames
from ...layouts.places import byte_bits
from ..checking.crc import SolvedCrc, plain_crc, solve
from ..checking.folded import Folded, folds
from ..checking.linear import combination
from ..finding import Said
from ..seen import most_frequent
from ..words import count_of, share_words

_MOST_FRAMES = 3_000
_LEAST_FRAMES = 12
_LEAST_ALIKE = 8
"""Different frames of one length that a CRC is solved from."""
_CHOICES = 3
_MOST_BEFORE = 4
"""Bytes at the beginning that a check may leave out."""
_LEAST_SHARE = 0.97
_LEAST_VALUES = 5
"""Different checks; what is always nearly the same is worked out from nothing."""


@dataclass(frozen=True, slots=True, eq=False)
class _Payloads:
    """Different payloads of several lengths.

    Attributes
    ----------
    matrix : uint8 (n, w)
        Zero behind their ends.
    sizes : int64 (n,)
    often : int64 (n,)
        How many frames have this payload.
    """

    matrix: NDArray[np.uint8]
    sizes: NDArray[np.int64]
    often: NDArray[np.int64]

    @classmethod
    def of(cls, frames: KindFrames) -> _Payloads:
        step = max(len(frames) // _MOST_FRAMES, 1)
        with_size = np.column_stack([frames.sizes[::step].astype("<u4").view(np.uint8).reshape(-1, 4),
                                     frames.matrix[::step]])  # fmt: skip
        different, often = np.unique(with_size, axis=0, return_counts=True)
        sizes = np.ascontiguousarray(different[:, :4]).view("<u4").reshape(-1).astype(np.int64)
        return cls(np.ascontiguousarray(different[:, 4:]), sizes, often.astype(np.int64))

    def ends(self, count: int, *, high_first: bool) -> NDArray[np.uint64]:
        """Return the last bytes as numbers; uint64 (n,)."""
        numbers = np.zeros(len(self.sizes), np.uint64)
        rows = np.arange(len(self.sizes))
        for back in range(count, 0, -1) if high_first else range(1, count + 1):
            numbers = numbers << np.uint64(8) | self.matrix[rows, self.sizes - back]
        return numbers

    def without_ends(self, count: int) -> NDArray[np.uint8]:
        """Return the payloads with their last bytes zero; uint8 (n, w)."""
        made = self.matrix.copy()
        rows = np.arange(len(self.sizes))
        for back in range(1, count + 1):
            made[rows, self.sizes - back] = 0
        return made


def end_checks(frames: KindFrames) -> list[Said]:
    """Return the check at the end of a kind's payloads, at most one; nothing where they are all of one length."""
    payloads = _Payloads.of(frames)
    if len(payloads.sizes) < _LEAST_FRAMES or len(np.unique(payloads.sizes)) < 2 or payloads.sizes.min() < 3:
        return []
    for count in (4, 2, 1):
        if payloads.sizes.min() <= count + 1:
            continue
        for high_first in (True, False) if count > 1 else (True,):
            raw = payloads.ends(count, high_first=high_first)
            if len(np.unique(raw)) < _LEAST_VALUES:
                continue
            for one in (*_folded(payloads, raw, count), *_crcs(payloads, raw, count)):
                return [_said(one, payloads, count, high_first=high_first, usual=most_frequent(frames.sizes))]
    return []


@dataclass(frozen=True, slots=True, eq=False)
class _Found:
    words: str
    parameters: dict[str, object]
    first: int
    agrees: NDArray[np.bool_]


def _folded(payloads: _Payloads, raw: NDArray[np.uint64], count: int) -> Iterator[_Found]:
    if count > 2:
        return
    data, numbers = payloads.without_ends(count), raw.view(np.int64)
    found = []
    for first in range(min(_MOST_BEFORE + 1, int(payloads.sizes.min()) - count)):
        taken = range(first, data.shape[1])
        for fold in folds(8 * count):
            # zeros behind the end add nothing, so payloads of all lengths are folded at once
            start, agrees = fold.start(data[:, first:], numbers, taken)
            if agrees.mean() >= _LEAST_SHARE and _says_enough(fold, data[agrees, first:], taken):
                found.append(_Found(fold.words, fold.parameters(start, 8 * count, first), first, agrees))
    # bytes that never move are as well left out with another start: the plainest is said, if it agrees as often
    yield from sorted(found, key=lambda one: (-int(one.agrees.sum()), "start" in one.parameters, one.first))


def _says_enough(fold: Folded, data: NDArray[np.uint8], taken: Sequence[int]) -> bool:
    return len(np.unique(fold.totals(data, taken))) >= _LEAST_VALUES


def _crcs(payloads: _Payloads, raw: NDArray[np.uint64], count: int) -> Iterator[_Found]:
    usual = most_frequent(payloads.sizes)
    alike = np.flatnonzero(payloads.sizes == usual)
    if len(alike) < _LEAST_ALIKE:
        return
    # a frame that was damaged on its way spoils what is solved from it, so there are several to choose among
    step = min(_CHOICES, len(alike) // _LEAST_ALIKE)
    for first in range(min(_MOST_BEFORE + 1, int(payloads.sizes.min()) - count)):
        for rows in (alike[choice::step] for choice in range(step)):
            part = payloads.matrix[rows, first : usual - count]
            for solved in solve(part, raw[rows].tolist(), 8 * count):
                found = _with_start(solved, payloads, raw, first, count)
                if found is not None:
                    yield found


def _with_start(
    solved: SolvedCrc, payloads: _Payloads, raw: NDArray[np.uint64], first: int, count: int
) -> _Found | None:
    """Return a CRC with the start and final value that frames of several lengths agree on."""
    ones = (1 << solved.width) - 1
    customary = [(0, 0), (ones, 0), (ones, ones), (0, ones)]
    for start, final in (*customary, *_worked_out(solved, payloads, raw, first, count)):
        crc = plain_crc(solved, start, final)
        firsts = np.full(len(raw), first, np.int64)
        agrees = crc.taken(payloads.matrix, firsts, payloads.sizes - count, solved.width) == raw
        if agrees.mean() >= _LEAST_SHARE:
            return _Found(solved.words, solved.parameters(start, final), first, agrees)
    return None


def _worked_out(
    solved: SolvedCrc, payloads: _Payloads, raw: NDArray[np.uint64], first: int, count: int
) -> Iterator[tuple[int, int]]:
    """Yield the start and final value that give what is left of the checks in payloads of each length.

    The final value goes into all alike, and what is left of the start depends on the length alone and is linear in its
    bits: differences between lengths are equations over GF(2).
    """
    firsts = np.full(len(raw), first, np.int64)
    rest = plain_crc(solved).taken(payloads.matrix, firsts, payloads.sizes - count, solved.width) ^ raw
    left: dict[int, int] = {}
    for size in np.unique(payloads.sizes).tolist():
        alike = rest[payloads.sizes == size]
        if len(alike) >= 2:
            left[size - count - first] = most_frequent(alike)
    if len(left) < 2:
        return
    lengths = sorted(left)
    columns = [_stacked([_of_start(solved, length, 1 << bit) for length in lengths], solved.width)
               for bit in range(solved.width)]  # fmt: skip
    start = combination(columns, _stacked([left[length] for length in lengths], solved.width))
    if start is not None:
        yield start, left[lengths[0]] ^ _of_start(solved, lengths[0], start)


def _of_start(solved: SolvedCrc, length: int, start: int) -> int:
    """Return what a start value leaves behind so many bytes of zeros."""
    zeros = np.zeros((1, length), np.uint8)
    crc = plain_crc(solved, start)
    return int(crc.taken(zeros, np.zeros(1, np.int64), np.full(1, length, np.int64), solved.width)[0])


def _stacked(numbers: list[int], width: int) -> int:
    """Return the differences to the first number as one."""
    made = 0
    for number in numbers[1:]:
        made = made << width | (number ^ numbers[0])
    return made


def _said(one: _Found, payloads: _Payloads, count: int, *, high_first: bool, usual: int) -> Said:
    backs = range(count, 0, -1) if high_first else range(1, count + 1)
    coverage = {"first": str(one.first)} if one.first else {}
    agrees, total = int(payloads.often[one.agrees].sum()), int(payloads.often.sum())
    over = "all bytes before it" if not one.first else f"all bytes before it from B{one.first} on"
    lengths = count_of(len(np.unique(payloads.sizes)), "length")
    return Said(
        kind="check", bits=byte_bits(usual - back for back in backs),
        places_text=" ".join(f"B-{back}" for back in backs), frames=agrees, against=total - agrees,
        parameters=one.parameters | {"coverage": coverage | {"end": f"size - {count}"}},
        confidence=0.99 * agrees / total,
        reason=f"It is the {one.words} of {over}, in {share_words(agrees, total, 'frame')} of {lengths}.",
    )  # fmt: skip
