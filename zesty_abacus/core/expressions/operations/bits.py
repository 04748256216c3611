"""Operations on the bits of whole numbers."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from ..operation import HIGHEST, LOWEST, Bounds, Operation, Result, and_known, known_in_all, whole_result
from . import arithmetic

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


def _whole_columns(parts: Sequence[Result]) -> tuple[list[NDArray], list[Bounds], NDArray[np.bool_] | None]:
    """Return arguments as whole numbers, what they lie between, and which rows have them; a fraction has no bits."""
    known = known_in_all(parts)
    for part in parts:
        if part.bounds is None:
            known = and_known(known, (part.values == np.rint(part.values)) & (np.abs(part.values) < 2.0**63))
    whole = [part.whole(0) if part.bounds is None else part.values for part in parts]
    return whole, [part.bounds or _FULL for part in parts], known


def _bitwise(function: Callable[..., NDArray], *, keeps_common: bool = False) -> Callable[[Sequence[Result]], Result]:
    """Return an operation bit by bit; ``keeps_common`` says that a result has no bit that one argument has not."""

    def over(parts: Sequence[Result]) -> Result:
        whole, between, known = _whole_columns(parts)
        lowest, highest = min(low for low, _ in between), max(high for _, high in between)
        positive = [high for low, high in between if low >= 0]
        width = max(lowest.bit_length(), highest.bit_length())
        most = min(positive) if keeps_common and positive else (1 << width) - 1
        unsigned = function(*[part.astype(np.uint64) for part in whole])
        if (keeps_common and positive) or lowest >= 0:
            return whole_result(unsigned, known, (0, most))
        signed = unsigned.view(np.int64)
        if highest > HIGHEST:
            # of a negative number and one above the highest: there where 64 bits with a sign hold the result
            below = [part < 0 for part in whole]
            is_negative = function(*below)
            known = and_known(known, is_negative == (signed < 0))
        return Result(signed, known, (max(-(1 << width), LOWEST), min(most, HIGHEST)))

    return over


def _turned(parts: Sequence[Result]) -> Result:
    (number,), ((low, high),), known = _whole_columns(parts)
    if high > HIGHEST:
        known = and_known(known, number <= HIGHEST)
    return Result(~number.astype(np.int64), known, (max(~high, LOWEST), ~low))


def _right(parts: Sequence[Result]) -> Result:
    (number, by), ((low, high), _), known = _whole_columns(parts)
    places = np.clip(by, 0, 63)
    values = number >> places.astype(number.dtype)
    return whole_result(values, and_known(known, places == by), (min(low, 0), max(high, 0)))


def _left(parts: Sequence[Result]) -> Result:
    (number, by), ((low, high), (_, most)), known = _whole_columns(parts)
    places = np.clip(by, 0, 63)
    known = and_known(known, places == by)
    # as a product, which stays exact wherever 64 bits hold it
    power = whole_result(np.uint64(1) << places.astype(np.uint64), None, (1, 1 << min(max(most, 0), 63)))
    return _times(Result(number, known, (low, high)), power)


def _times(number: Result, power: Result) -> Result:
    return next(one for one in arithmetic.OPERATIONS if one.name == "multiply").over_columns([number, power])


OPERATIONS = (
    Operation("bit_or", 2, lambda a, b: _whole(a)[0] | _whole(b)[0], columns=_bitwise(np.bitwise_or), symbol="|"),
    Operation("bit_xor", 2, lambda a, b: _whole(a)[0] ^ _whole(b)[0], columns=_bitwise(np.bitwise_xor), symbol="^"),
    Operation(
        "bit_and",
        2,
        lambda a, b: _whole(a)[0] & _whole(b)[0],
        columns=_bitwise(np.bitwise_and, keeps_common=True),
        symbol="&",
    ),
    Operation("bit_not", 1, lambda a: ~_whole(a)[0], columns=_turned, symbol="~"),
    Operation("left", 2, _shift_left, columns=_left, symbol="<<"),
    Operation("right", 2, _shift_right, columns=_right, symbol=">>"),
)  # fmt: skip
