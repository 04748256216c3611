"""Four bytes, in any of the customary orders, that are a floating-point number (IEEE 754, binary32)."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...layouts.places import byte_bits
from ...words import number_text
from ..finding import Said, When
from ..seen import Seen
from ..tiling.costs import FIELD, number_cost
from ..tiling.tile import cost_of
from ..words import count_of
from .counters import counters

_ORDERS = ((0, 1, 2, 3), (3, 2, 1, 0), (2, 3, 0, 1), (1, 0, 3, 2))
_LOWEST_EXPONENT, _HIGHEST_EXPONENT = 0x67, 0x9E
"""2**-24 to 2**31: what physical quantities are given in."""
_LEAST_MOVING = 17
"""Where only the lower half moves, it is as likely a whole number behind two bytes that never change."""
_LEAST_LOWEST = 6
"""Values that the lowest byte takes: of a measured value its last bits are as good as random."""
_MOST_ROUGH = 0.6
_MOST_LONGER = 1.1
_LAST_BITS = 4
_LEAST_AT_RANDOM = 0.25
"""In how many of the steps of a number each of its last bits turns; of what is measured half of them."""


@dataclass(frozen=True, slots=True, eq=False)
class _Float:
    bits: tuple[int, ...]
    values: NDArray[np.float32]
    roughness: float


def floats(seen: Seen, free: NDArray[np.bool_], when: tuple[When, ...] = ()) -> list[Said]:
    """Return the floating-point numbers among free bits, bool (size * 8,)."""
    if len(seen) < 8:
        return []
    left = free.copy()
    found = []
    for first in range(seen.size - 3):
        window = slice(first * 8, first * 8 + 32)
        if not left[window].all() or seen.moves[window].sum() < _LEAST_MOVING:
            continue
        ways = [one for order in _ORDERS if (one := _read(seen, first, order)) is not None]
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
    raw = one.values.view(np.uint32).astype(np.int64)
    # in the order of their values, next to each other: what lies between two floats is a step of one
    ordered = np.where(raw >> 31, 0x7FFF_FFFF - (raw & 0x7FFF_FFFF), raw + 0x8000_0000)
    window = np.zeros(seen.size * 8, np.bool_)
    window[list(one.bits)] = True
    return number_cost(ordered, seen.follows, 32) <= _MOST_LONGER * cost_of(seen, window) + FIELD


def _read(seen: Seen, first: int, order: tuple[int, ...]) -> _Float | None:
    """Return four bytes as a float in an order, None if they are not likely one."""
    ordered = np.ascontiguousarray(seen.matrix[:, [first + place for place in order]])
    if len(np.unique(ordered[:, 3])) < _LEAST_LOWEST:
        return None
    raw = ordered.view(">u4").reshape(-1)
    exponent = raw >> 23 & 0xFF
    is_zero = raw << 1 == 0
    plausible = is_zero | ((exponent >= _LOWEST_EXPONENT) & (exponent <= _HIGHEST_EXPONENT))
    if not plausible.all() or is_zero.mean() > 0.5:
        return None
    values = ordered.view(">f4").reshape(-1).astype(np.float32)
    spread = float(np.abs(values - np.median(values)).mean())
    steps = np.abs(np.diff(values))[seen.follows[1:]]
    if not spread or not steps.any():
        return None
    roughness = float(steps.mean()) / spread
    if roughness > _MOST_ROUGH:
        return None
    turned = (raw[1:] ^ raw[:-1])[seen.follows[1:]]
    turned = turned[turned != 0]
    if any((turned >> bit & 1).mean() < _LEAST_AT_RANDOM for bit in range(_LAST_BITS)):
        return None
    bits = byte_bits(first + place for place in order)
    return _Float(bits, values, roughness)


def _said(seen: Seen, one: _Float, when: tuple[When, ...]) -> Said:
    reason = (
        f"As a floating-point number it runs smoothly from {number_text(float(one.values.min()))} to "
        f"{number_text(float(one.values.max()))} in all {count_of(len(seen), 'frame')}, and its lowest byte takes "
        f"{len(np.unique(seen.matrix[:, one.bits[-1] // 8]))} values."
    )
    return Said(
        kind="field", bits=one.bits, parameters={"reading": "float"}, frames=len(seen), confidence=0.95, reason=reason,
        when=when,
    )  # fmt: skip
