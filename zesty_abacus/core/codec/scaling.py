"""Whole raw numbers to the nearest physical values, also where the product does not fit a float.

``raw * ratio + offset`` in floats is rounded three times. Where the exact sum of integers ``raw * times + plus`` stays
below 2**53 one division rounds once, which the kernel does by itself; here is the rest. Sums and products are carried
as unevaluated pairs of floats (T. J. Dekker, *A floating-point technique for extending the available precision*,
Numerische Mathematik 18, 1971), whose error is bounded; the few rows that lie too near to the middle between two floats
for that are worked out in whole numbers.
"""

from __future__ import annotations

from fractions import Fraction
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..layouts.model import Field

EXACT_FLOAT_BITS = 53
_LARGEST_BITS = 900
"""Beyond, a pair of floats could run over on the way."""
_SPLITTER = float((1 << 27) + 1)
_PAIR_ERROR = 2.0**-98
"""Relative error of a few operations on pairs, with room to spare: one has at most some units of 2**-104."""


class CommonScale(NamedTuple):
    """``value = (raw * times + plus) / over`` in whole numbers."""

    times: int
    plus: int
    over: int

    @classmethod
    def of(cls, ratio: Fraction, offset: Fraction) -> CommonScale:
        """Return ratio and offset over a common denominator."""
        both = Fraction(ratio.denominator, offset.denominator)
        over = ratio.denominator * both.denominator
        return cls(ratio.numerator * both.denominator, offset.numerator * both.numerator, over)

    def exact_below(self, largest: int) -> bool:
        """Return whether raw numbers up to a size are rounded once if floats are used."""
        sums = largest * abs(self.times) + abs(self.plus)
        return max(sums, self.over) <= 1 << EXACT_FLOAT_BITS

    def exactly(self, raw: int) -> float:
        """Return the nearest value of one raw number."""
        try:
            return (raw * self.times + self.plus) / self.over
        except OverflowError:
            return float("inf") if raw * self.times + self.plus > 0 else float("-inf")


def rounds_once(field: Field) -> bool:
    """Return whether every raw number of a field becomes its nearest value by one rounding in floats."""
    low, high = field.raw_range()
    return CommonScale.of(field.ratio, field.offset).exact_below(max(-low, high))


def nearest(raw: NDArray[np.int64] | NDArray[np.uint64], ratio: Fraction, offset: Fraction) -> NDArray[np.float64]:
    """Return the floats nearest to ``raw * ratio + offset``, (n,); halfway goes to the even one, as IEEE 754 rounds."""
    scale = CommonScale.of(ratio, offset)
    if not len(raw):
        return np.zeros(0)
    if scale.exact_below(max(int(raw.max()), -int(raw.min()))):
        # a tenth of the time of pairs, and what nearly all raw numbers need
        return (raw.astype(np.float64) * float(scale.times) + float(scale.plus)) / float(scale.over)
    if max(scale.times.bit_length(), scale.plus.bit_length(), scale.over.bit_length()) > _LARGEST_BITS:
        return _one_by_one(raw, scale)
    with np.errstate(over="ignore", invalid="ignore", under="ignore"):
        product = _multiplied(_pair_of(raw), _constant(scale.times))
        total = _added(product, _constant(scale.plus))
        lost = _PAIR_ERROR * (np.abs(product[0]) + abs(float(scale.plus)))
        high, low = _divided(total, _constant(scale.over))
        lost = lost / scale.over + _PAIR_ERROR * np.abs(high)
        # a pair rounds to its first float unless its second comes too near to half of the step to the next one
        up, down = (np.nextafter(high, np.inf) - high) / 2, (high - np.nextafter(high, -np.inf)) / 2
        doubtful = ~((low < up - lost) & (-low < down - lost))
    if doubtful.any():
        high[doubtful] = _one_by_one(raw[doubtful], scale)
    return high


def _one_by_one(raw: NDArray, scale: CommonScale) -> NDArray[np.float64]:
    different, back = np.unique(raw, return_inverse=True)
    return np.array([scale.exactly(one) for one in different.tolist()], np.float64)[back.reshape(-1)]


Pair = tuple[NDArray[np.float64], NDArray[np.float64]]


def _pair_of(raw: NDArray) -> Pair:
    # both halves have at most 32 bits, so that neither is rounded
    upper = (raw >> raw.dtype.type(32)).astype(np.float64) * 2.0**32
    return _quick_sum(upper, (raw & raw.dtype.type(0xFFFFFFFF)).astype(np.float64))


def _constant(number: int) -> Pair:
    high = float(number)
    return np.float64(high), np.float64(number - int(high))  # type: ignore[return-value]


def _quick_sum(large: NDArray, small: NDArray) -> Pair:
    total = large + small
    return total, small - (total - large)


def _sum(a: NDArray, b: NDArray) -> Pair:
    total = a + b
    of_b = total - a
    return total, (a - (total - of_b)) + (b - of_b)


def _split(a: NDArray) -> Pair:
    wide = a * _SPLITTER
    high = wide - (wide - a)
    return high, a - high


def _product(a: NDArray, b: NDArray) -> Pair:
    total = a * b
    (a1, a2), (b1, b2) = _split(a), _split(b)
    return total, ((a1 * b1 - total) + a1 * b2 + a2 * b1) + a2 * b2


def _multiplied(a: Pair, b: Pair) -> Pair:
    total, rest = _product(a[0], b[0])
    return _quick_sum(total, rest + (a[0] * b[1] + a[1] * b[0]))


def _added(a: Pair, b: Pair) -> Pair:
    total, rest = _sum(a[0], b[0])
    low, lowest = _sum(a[1], b[1])
    total, rest = _quick_sum(total, rest + low)
    return _quick_sum(total, rest + lowest)


def _divided(a: Pair, b: Pair) -> Pair:
    first = a[0] / b[0]
    rest = _added(a, _negative(_multiplied(b, (first, np.zeros_like(first)))))
    second = rest[0] / b[0]
    rest = _added(rest, _negative(_multiplied(b, (second, np.zeros_like(second)))))
    high, low = _quick_sum(first, second)
    return _quick_sum(high, low + rest[0] / b[0])


def _negative(a: Pair) -> Pair:
    return -a[0], -a[1]
