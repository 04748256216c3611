"""Bits that say how long the payload is, or how much of it is used."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...frames.segment_frames import KindFrames
from ...layouts.places import byte_bits
from ...words import added_words
from ..finding import Said
from ..seen import raw_of
from ..words import share_words

_MOST_FRAMES = 20_000
_LEAST_FRAMES = 8
_LEAST_SIZES = 3
_LEAST_COUNTED = 4
"""Lengths from which on something may count more than bytes."""
_UNITS = (1, 2, 4, 8)
_PADDINGS = (0x00, 0xFF, 0x55, 0xAA, 0xCC)
_LEAST_EQUAL = 0.8
"""In how many frames the last used byte is no padding by chance."""


@dataclass(frozen=True, slots=True)
class _Rule:
    """``length = raw * unit + offset``."""

    bits: tuple[int, ...]
    unit: int
    offset: int
    inverted: bool


def lengths(frames: KindFrames) -> list[Said]:
    """Return the bits of a kind that say the size of its payload, at most one run of them.

    Where all payloads have one size, those that say how many bytes there are before the padding.
    """
    step = max(len(frames) // _MOST_FRAMES, 1)
    matrix, sizes = frames.matrix[::step], frames.sizes[::step].astype(np.int64)
    if len(sizes) < _LEAST_FRAMES:
        return []
    if len(np.unique(sizes)) >= _LEAST_SIZES:
        rule = _rule(matrix[:, : int(sizes.min())], sizes)
        return [_said(rule, sizes, "are in the payload", len(sizes))] if rule is not None else []
    if len(np.unique(sizes)) > 1:
        return []
    return _used(matrix[:, : int(sizes[0])])


def _used(matrix: NDArray[np.uint8]) -> list[Said]:
    """Return the bits that say how many bytes come before the padding."""
    for padding in _PADDINGS:
        filled = matrix != padding
        used = np.where(filled.any(axis=1), matrix.shape[1] - filled[:, ::-1].argmax(axis=1), 0).astype(np.int64)
        if len(np.unique(used)) < _LEAST_SIZES + 1:
            continue
        for bits in _candidates(min(matrix.shape[1], 3)):
            raw = _number(matrix, bits)
            # a byte that is used may look like padding, one of the padding never is used
            offset = int((used - raw).max())
            equal = used - raw == offset
            # payloads of nothing but padding say nothing
            says = raw > 0
            follows = len(np.unique(raw[equal & says])) > _LEAST_SIZES and 0 <= offset <= bits[-1] // 8 + 1
            if follows and equal[says].mean() >= _LEAST_EQUAL:
                rule = _Rule(bits, 1, offset, inverted=False)
                return [_said(rule, used, f"stand before padding of 0x{padding:02X}", int(equal.sum()))]
    return []


def _rule(matrix: NDArray[np.uint8], sizes: NDArray[np.int64]) -> _Rule | None:
    """Return the plainest run of bits from which every size follows."""
    units = _units(sizes)
    rules = [
        rule for bits in _candidates(matrix.shape[1]) for rule in _rules_of(bits, _number(matrix, bits), sizes, units)
    ]  # fmt: skip
    moves = (matrix != matrix[:1]).any(axis=0)

    def oddness(rule: _Rule) -> tuple[int, bool, int]:
        # bits that never move beside a length shift its offset; a byte of zeros before it is a byte of its own
        return abs(rule.offset), len(rule.bits) > 8 and not moves[rule.bits[0] // 8], -len(rule.bits)

    return min(rules, key=oddness, default=None)


def _number(matrix: NDArray[np.uint8], bits: tuple[int, ...]) -> NDArray[np.int64]:
    return raw_of(matrix, bits).view(np.int64)


def _units(sizes: NDArray[np.int64]) -> tuple[int, ...]:
    """Return how many bytes one more may stand for: the customary ones, and what the sizes differ by."""
    different = np.unique(sizes)
    if len(different) < _LEAST_COUNTED:
        # three numbers in a row fall on many a line
        return (1,)
    return tuple(dict.fromkeys((*_UNITS, int(np.gcd.reduce(np.diff(different))))))


def _rules_of(
    bits: tuple[int, ...], raw: NDArray[np.int64], sizes: NDArray[np.int64], units: tuple[int, ...]
) -> Iterator[_Rule]:
    if len(np.unique(raw)) < _LEAST_SIZES:
        return
    for inverted in (False, True):
        own = (1 << len(bits)) - 1 - raw if inverted else raw
        for unit in units:
            offset = int(sizes[0] - own[0] * unit)
            if (own * unit + offset == sizes).all():
                yield _Rule(bits, unit, offset, inverted)


def _candidates(size: int) -> Iterator[tuple[int, ...]]:
    """Yield runs of bits that lengths are customarily written in."""
    for byte in range(size - 1):
        for order in ((byte, byte + 1), (byte + 1, byte)):
            yield byte_bits(order)
    for byte in range(size):
        for high, low in ((7, 0), (6, 0), (5, 0), (4, 0), (3, 0), (7, 4), (7, 3), (7, 2)):
            yield tuple(range(byte * 8 + high, byte * 8 + low - 1, -1))


def _said(rule: _Rule, sizes: NDArray[np.int64], words: str, frames: int) -> Said:
    number = "the number with every bit turned round" if rule.inverted else "the number"
    times = f" times {rule.unit}" if rule.unit != 1 else ""
    reason = (
        f"As many bytes {words} as {number}{times}{added_words(rule.offset)} says, in "
        f"{share_words(frames, len(sizes), 'frame')} of {len(np.unique(sizes))} lengths."
    )
    return Said(
        kind="length", bits=rule.bits, frames=frames, against=len(sizes) - frames, reason=reason,
        confidence=0.97 if frames == len(sizes) else 0.8,
        parameters={"of": "payload", "unit": rule.unit, "offset": rule.offset, "inverted": rule.inverted},
    )  # fmt: skip
