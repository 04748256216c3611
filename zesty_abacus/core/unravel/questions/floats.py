"""Four or eight bytes, in any of the customary orders, that are a floating-point number (IEEE 754)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...layouts.places import byte_bits
from ...words import figure_text
from ..finding import Said, When
from ..seen import Seen
from ..tiling.costs import FIELD, number_cost
from ..tiling.tile import cost_of
from ..words import count_of
from .counters import counters

_LOWEST_POWER, _HIGHEST_POWER = -24, 31
"""Powers of two between which physical quantities are given."""
_LEAST_LOWEST = 6
"""Values that the lowest byte takes: of a measured value its last bits are as good as random."""
_MOST_ROUGH = 0.6
_MOST_LONGER = 1.1
_COUNTED = 58
"""Bits of a number of which steps are counted: with those of a double its distances would not fit 64 bits."""
_LAST_BITS = 4
_LEAST_AT_RANDOM = 0.25
"""In how many of the steps of a number each of its last bits turns; of what is measured half of them."""


@dataclass(frozen=True, slots=True)
class _Form:
    """A form of floating-point numbers.

    Attributes
    ----------
    size
        In bytes.
    orders
        Of its bytes, in which the highest is found, the plainest first.
    mantissa
        Bits of the fraction.
    bias
        Of the exponent.
    least_moving
        Where fewer bits move, it is as likely a whole number behind bytes that never change.
    whole
        Type of its bits, the highest byte first.
    value
        Type of the number.
    """

    size: int
    orders: tuple[tuple[int, ...], ...]
    mantissa: int
    bias: int
    least_moving: int
    whole: str
    value: str


_SINGLE = _Form(4, ((0, 1, 2, 3), (3, 2, 1, 0), (2, 3, 0, 1), (1, 0, 3, 2)), 23, 127, 17, ">u4", ">f4")
_DOUBLE = _Form(
    8,
    (
        (0, 1, 2, 3, 4, 5, 6, 7), (7, 6, 5, 4, 3, 2, 1, 0), (6, 7, 4, 5, 2, 3, 0, 1), (1, 0, 3, 2, 5, 4, 7, 6),
        (4, 5, 6, 7, 0, 1, 2, 3),
    ),
    52, 1023, 17, ">u8", ">f8",
)  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class _Float:
    form: _Form
    bits: tuple[int, ...]
    raw: NDArray[np.uint64]
    values: NDArray[np.float64]
    last: int
    roughness: float


def doubles(seen: Seen, free: NDArray[np.bool_], when: tuple[When, ...] = ()) -> list[Said]:
    """Return the floating-point numbers of 64 bits among free bits, bool (size * 8,)."""
    return _floats(seen, free, when, _DOUBLE)


def floats(seen: Seen, free: NDArray[np.bool_], when: tuple[When, ...] = ()) -> list[Said]:
    """Return those of 32 bits."""
    return _floats(seen, free, when, _SINGLE)


def _floats(seen: Seen, free: NDArray[np.bool_], when: tuple[When, ...], form: _Form) -> list[Said]:
    if len(seen) < 8:
        return []
    left = free.copy()
    found = []
    for first in range(seen.size - form.size + 1):
        window = slice(first * 8, (first + form.size) * 8)
        if not left[window].all() or seen.moves[window].sum() < form.least_moving:
            continue
        ways = [one for order in form.orders if (one := _read(seen, form, first, order)) is not None]
        best = min(ways, key=lambda one: one.roughness, default=None)
        if best is not None and not _counts_within(seen, window) and _is_shorter(seen, best):
            found.append(_said(seen, best, when))
            left[window] = False
    return found


def _counts_within(seen: Seen, window: slice) -> bool:
    """Return whether anything among some bits counts: the last bits of a number that is measured never do."""
    inside = np.zeros(seen.size * 8, np.bool_)
    inside[window] = True
    return bool(counters(seen, inside))


def _is_shorter(seen: Seen, one: _Float) -> bool:
    """Return whether it takes no more to say the steps of the float than to say whole numbers in the same bits."""
    # in the order of their values, next to each other: what lies between two floats is a step of one
    width = one.form.size * 8
    left_out = max(width - _COUNTED, 0)
    size = ((one.raw & np.uint64((1 << width - 1) - 1)) >> np.uint64(left_out)).astype(np.int64)
    is_negative = (one.raw >> np.uint64(width - 1)).astype(np.bool_)
    ordered = np.where(is_negative, -size, size) + (1 << width - left_out - 1)
    window = np.zeros(seen.size * 8, np.bool_)
    window[list(one.bits)] = True
    # the last bits of a double take a bit each to tell
    beneath = max(left_out - one.last, 0) * int((np.diff(ordered) != 0).sum())
    cost = number_cost(ordered, seen.follows, width - left_out) + beneath
    return cost <= _MOST_LONGER * cost_of(seen, window) + FIELD


def _read(seen: Seen, form: _Form, first: int, order: tuple[int, ...]) -> _Float | None:
    """Return bytes as a float in an order, None if they are not likely one."""
    ordered = np.ascontiguousarray(seen.matrix[:, [first + place for place in order]])
    raw = ordered.view(form.whole).reshape(-1).astype(np.uint64)
    exponent = (raw >> np.uint64(form.mantissa) & np.uint64(2 * form.bias + 1)).astype(np.int64) - form.bias
    is_zero = raw << np.uint64(64 - form.size * 8 + 1) == 0
    plausible = is_zero | ((exponent >= _LOWEST_POWER) & (exponent <= _HIGHEST_POWER))
    if not plausible.all() or is_zero.mean() > 0.5:
        return None
    last = _last_bit(raw)
    if last is None or len(np.unique(raw >> np.uint64(last) & np.uint64(0xFF))) < _LEAST_LOWEST:
        return None
    values = ordered.view(form.value).reshape(-1).astype(np.float64)
    spread = float(np.abs(values - np.median(values)).mean())
    steps = np.abs(np.diff(values))[seen.follows[1:]]
    if not spread or not steps.any():
        return None
    roughness = float(steps.mean()) / spread
    if roughness > _MOST_ROUGH:
        return None
    turned = (raw[1:] ^ raw[:-1])[seen.follows[1:]]
    turned = turned[turned != 0]
    if any((turned >> np.uint64(last + bit) & np.uint64(1)).mean() < _LEAST_AT_RANDOM for bit in range(_LAST_BITS)):
        return None
    bits = byte_bits(first + place for place in order)
    return _Float(form, bits, raw, values, last, roughness)


def _last_bit(raw: NDArray[np.uint64]) -> int | None:
    """Return the lowest bit that is ever set; a double that was made of a float has zeros below. None if none is."""
    ever = int(np.bitwise_or.reduce(raw))
    return (ever & -ever).bit_length() - 1 if ever else None


def _said(seen: Seen, one: _Float, when: tuple[When, ...]) -> Said:
    lowest = len(np.unique(seen.matrix[:, one.bits[-1] // 8]))
    reason = (
        f"As a floating-point number it runs smoothly from {figure_text(float(one.values.min()))} to "
        f"{figure_text(float(one.values.max()))} in all {count_of(len(seen), 'frame')}, and its lowest byte takes "
        f"{count_of(lowest, 'value')}."
    )
    return Said(
        kind="field", bits=one.bits, parameters={"reading": "float"}, frames=len(seen), confidence=0.95, reason=reason,
        when=when,
    )  # fmt: skip
