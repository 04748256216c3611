"""Numbers that are not plain binary: decimal digits of four bits, and codes of which one bit turns at every step."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...words import grouped
from ..finding import Said, When
from ..numbers import decimal_of, digits_of, of_gray
from ..seen import Seen
from ..words import count_of, share_words

_LEAST_FRAMES = 20
_LEAST_DIGITS = 8
"""Values that the lowest digit takes, so that it would have been above nine if it could."""
_LEAST_CARRIES = 3
_MOST_SHARE, _MOST_APART = 0.6, 0.97
"""The usual step as a share of what digits go by themselves: at one place it is small, at none are they strangers."""
_MOST_BYTES = 4
_GRAY_WIDTHS = range(16, 3, -1)
_LEAST_STEPS = 24
_LEAST_SINGLE = 0.97
_LEAST_OTHERS = 0.3
_MOST_TOGETHER = 0.1


def decimals(seen: Seen, free: NDArray[np.bool_], when: tuple[When, ...] = ()) -> list[Said]:
    """Return the numbers of decimal digits (BCD) among free bits, bool (size * 8,), the widest first."""
    if len(seen) < _LEAST_FRAMES:
        return []
    left, found = free.copy(), []
    is_decimal = ((seen.matrix >> 4).max(axis=0) <= 9) & ((seen.matrix & 15).max(axis=0) <= 9)
    left &= np.repeat(is_decimal, 8)
    for run in _byte_runs(seen.size):
        bits = tuple(bit for byte in run for bit in range(byte * 8 + 7, byte * 8 - 1, -1))
        if left[list(bits)].all() and seen.moves[list(bits[-8:])].any() and seen.moves[list(bits[:8])].any():
            one = _decimal(seen, bits, when)
            if one is not None:
                found.append(one)
                left[list(bits)] = False
    return found


def _byte_runs(size: int) -> Iterator[tuple[int, ...]]:
    """Yield runs of bytes, from the most significant: the longest first, each in both orders."""
    for length in range(min(_MOST_BYTES, size), 0, -1):
        for first in range(size - length + 1):
            run = tuple(range(first, first + length))
            yield run
            if length > 1:
                yield run[::-1]


def _decimal(seen: Seen, bits: tuple[int, ...], when: tuple[When, ...]) -> Said | None:
    """Return bits as decimal digits, None if they are not likely some.

    No digit is above nine, and where higher digits go on, lower ones go back: together they go a small step, as two
    things that have nothing to do with one another would not.
    """
    digits = digits_of(seen, bits)
    if len(np.unique(digits[:, -1])) < _LEAST_DIGITS:
        return None
    shares = [_carry(seen, digits, place) for place in range(1, digits.shape[1])]
    carries = [one for one in shares if one is not None]
    if not carries or max(one.share for one in carries) > _MOST_APART:
        return None
    clearest = min(carries, key=lambda one: one.share)
    if clearest.share > _MOST_SHARE:
        return None
    number = decimal_of(digits)
    reason = (
        f"No digit is above nine in {count_of(len(seen), 'frame')}, and the {count_of(clearest.pairs, 'time')} that "
        f"higher digits go on the lower ones go back, so that the whole goes a small step; it runs from "
        f"{grouped(int(number.min()))} to {grouped(int(number.max()))}."
    )
    return Said(
        kind="field", bits=bits, parameters={"reading": "bcd"}, frames=len(seen), confidence=0.95, reason=reason,
        when=when,
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Carry:
    """How digits go on together: in so many pairs of frames, and the usual step as a share of what each goes."""

    pairs: int
    share: float


def _carry(seen: Seen, digits: NDArray[np.int64], place: int) -> _Carry | None:
    """Return how the digits above a place go on with those below; None where they hardly ever do."""
    above, below = decimal_of(digits[:, :place]), decimal_of(digits[:, place:])
    one = 10 ** (digits.shape[1] - place)
    high, low = (np.diff(part)[seen.follows[1:]] for part in (above, below))
    both = high != 0
    if both.sum() < _LEAST_CARRIES:
        return None
    high, low = high[both], low[both]
    return _Carry(len(high), float(np.median(np.abs(high * one + low) / (np.abs(high) * one + np.abs(low)))))


def grays(seen: Seen, free: NDArray[np.bool_], when: tuple[When, ...] = ()) -> list[Said]:
    """Return the numbers in Gray code among free bits, bool (size * 8,): one bit turns, and the number goes by one."""
    if len(seen) < _LEAST_FRAMES:
        return []
    left, found = free & seen.moves, []
    together = _turn_together(seen)
    for first in np.flatnonzero(left).tolist():
        for width in _GRAY_WIDTHS:
            bits = _run(first, width, seen.size)
            if bits is None or not left[list(bits)].all() or together[list(bits[1:])].any():
                continue
            if (one := _gray(seen, bits, when)) is not None:
                found.append(one)
                left[list(bits)] = False
                break
    return found


def _turn_together(seen: Seen) -> NDArray[np.bool_]:
    """Return which bits turn in the same frames as the next one in their byte, as those of a plain number do."""
    changed = np.unpackbits((seen.matrix[1:] ^ seen.matrix[:-1])[seen.follows[1:]], axis=1, bitorder="little")
    both = np.append((changed[:, :-1] & changed[:, 1:]).sum(axis=0), 0)
    both[7::8] = 0
    return both > _MOST_TOGETHER * np.minimum(seen.flips, np.append(seen.flips[1:], 0))


def _run(lowest: int, width: int, size: int) -> tuple[int, ...] | None:
    """Return neighbouring bits from a lowest one up, the high byte before the low one, most significant first."""
    byte, bit = divmod(lowest, 8)
    places = []
    for _ in range(width):
        if byte < 0:
            return None
        places.append(byte * 8 + bit)
        bit += 1
        if bit == 8:
            byte, bit = byte - 1, 0
    return tuple(reversed(places))


def _gray(seen: Seen, bits: tuple[int, ...], when: tuple[When, ...]) -> Said | None:
    raw = seen.raw(bits)
    turned = (raw[1:] ^ raw[:-1])[seen.follows[1:]]
    turned = turned[turned != 0]
    # of a number that goes up and down the lowest bit turns every second time; a bit that turns for itself says nothing
    others = turned > 1
    if others.sum() < _LEAST_STEPS or others.mean() < _LEAST_OTHERS:
        return None
    number = of_gray(raw)
    values = 1 << len(bits)
    steps = np.diff(number)[seen.follows[1:]] % values
    steps = steps[steps != 0]
    is_one = (steps == 1) | (steps == values - 1)
    by_one = int(is_one.sum())
    if is_one[others].mean() < _LEAST_SINGLE:
        return None
    # of fewer values than half of what the bits hold a narrower number would do, and so would flags
    if by_one < _LEAST_SINGLE * len(steps) or len(np.unique(number)) <= values // 2:
        return None
    reason = (
        f"In {share_words(by_one, len(steps), 'change')} one bit turns and the number goes by one; it runs from "
        f"{grouped(int(number.min()))} to {grouped(int(number.max()))}."
    )
    return Said(
        kind="field", bits=bits, parameters={"reading": "gray"}, frames=len(seen), confidence=0.93, reason=reason,
        when=when,
    )  # fmt: skip
