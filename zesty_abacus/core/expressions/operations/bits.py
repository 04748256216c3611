"""Operations on the bits of whole numbers."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from ..operation import HIGHEST, LOWEST, Bounds, Operation, Result, and_known, known_in_all

_FULL = LOWEST, HIGHEST


def _whole(*parts: Fraction) -> list[int]:
    if any(part.denominator != 1 for part in parts):
        raise ValueError("bit operations take whole numbers")
    return [int(part) for part in parts]


def _places(number: Fraction, by: Fraction) -> list[int]:
    whole, places = _whole(number, by)
    if not 0 <= places < 64:
        raise ValueError("shifts go by 0 to 63 places")
    return [whole, places]


def _shift_left(number: Fraction, by: Fraction) -> int:
    whole, places = _places(number, by)
    return whole << places


def _shift_right(number: Fraction, by: Fraction) -> int:
    whole, places = _places(number, by)
    return whole >> places


def _whole_columns(
    parts: Sequence[Result],
) -> tuple[list[NDArray[np.int64]], list[Bounds], NDArray[np.bool_] | None]:
    """Return arguments as whole numbers, what they lie between, and which rows have them; a fraction has no bits."""
    known = known_in_all(parts)
    for part in parts:
        if part.bounds is None:
            known = and_known(known, (part.values == np.rint(part.values)) & (np.abs(part.values) < 2.0**63))
    return [part.whole(0) for part in parts], [part.bounds or _FULL for part in parts], known


def _bitwise(function: Callable[..., NDArray], *, turns_signs: bool = False) -> Callable[[Sequence[Result]], Result]:
    def over(parts: Sequence[Result]) -> Result:
        whole, between, known = _whole_columns(parts)
        lowest, highest = min(low for low, _ in between), max(high for _, high in between)
        width = max(lowest.bit_length(), highest.bit_length())
        low = 0 if lowest >= 0 and not turns_signs else -(1 << width)
        return Result(function(*whole), known, (max(low, LOWEST), min((1 << width) - 1, HIGHEST)))

    return over


def _right(parts: Sequence[Result]) -> Result:
    (number, by), ((low, high), _), known = _whole_columns(parts)
    places = np.clip(by, 0, 63)
    return Result(number >> places, and_known(known, places == by), (min(low, 0), max(high, 0)))


def _left(parts: Sequence[Result]) -> Result:
    (number, by), ((low, high), (_, most)), known = _whole_columns(parts)
    places = np.clip(by, 0, 63)
    known = and_known(known, places == by)
    most = min(max(most, 0), 63)
    if low << most < LOWEST or high << most > HIGHEST:
        return Result(number * np.exp2(places.astype(np.float64)), known, None)
    return Result(number << places, known, (min(low << most, low), max(high << most, high)))


OPERATIONS = (
    Operation("bit_or", 2, lambda a, b: _whole(a)[0] | _whole(b)[0], columns=_bitwise(np.bitwise_or), symbol="|"),
    Operation("bit_xor", 2, lambda a, b: _whole(a)[0] ^ _whole(b)[0], columns=_bitwise(np.bitwise_xor), symbol="^"),
    Operation("bit_and", 2, lambda a, b: _whole(a)[0] & _whole(b)[0], columns=_bitwise(np.bitwise_and), symbol="&"),
    Operation("bit_not", 1, lambda a: ~_whole(a)[0], columns=_bitwise(np.bitwise_not, turns_signs=True), symbol="~"),
    Operation("left", 2, _shift_left, columns=_left, symbol="<<"),
    Operation("right", 2, _shift_right, columns=_right, symbol=">>"),
)
