"""Floating-point numbers that never move: what they say is round in one order of their registers, and odd in others."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from ...layouts.places import byte_bits
from ...words import figure_text
from ..finding import Said
from ..seen import Seen
from ..words import count_of

_ORDERS = {(0, 1, 2, 3): "high word first", (2, 3, 0, 1): "low word first"}
_MOST_DIGITS = 5
"""Decimal digits of a number that somebody chose; any four bytes have seven to nine."""
_LOWEST, _HIGHEST = 1e-4, 1e7
_PERHAPS, _LIKELY = 0.5, 0.75


def still_floats(seen: Seen, found: Sequence[Said], own: NDArray[np.int64]) -> Iterator[Said]:
    """Yield round floats among registers that never move, as another reading of them.

    Where numbers of the device that move are floats, the order of those is the only one that is tried.

    Parameters
    ----------
    own : int64 (m,)
        The bytes of the payload that are looked at.
    """
    moving = {_order(one) for one in found if one.parameters.get("reading") == "float" and len(one.bits) == 32}
    said = {bit for one in found if one.kind != "constant" for bit in one.bits}
    left = set(own.tolist()) - {bit // 8 for bit in said} - {bit // 8 for bit in np.flatnonzero(seen.moves).tolist()}
    for first in range(0, seen.size - 3, 2):
        window = range(first, first + 4)
        one = _round(seen, first, moving) if left.issuperset(window) else None
        if one is not None:
            left.difference_update(window)
            yield one


def _order(one: Said) -> tuple[int, ...]:
    numbers = list(dict.fromkeys(bit // 8 for bit in one.bits))
    return tuple(number - min(numbers) for number in numbers)


def _round(seen: Seen, first: int, moving: set[tuple[int, ...]]) -> Said | None:
    for order, words in _ORDERS.items():
        if moving and order not in moving:
            continue
        value = np.frombuffer(bytes(seen.matrix[0, [first + place for place in order]]), ">f4")[0]
        # the shortest digits that give it back
        digits = np.format_float_scientific(value, trim="-").partition("e")[0].replace(".", "").lstrip("-")
        if not np.isfinite(value) or not _LOWEST <= abs(value) <= _HIGHEST or len(digits) > _MOST_DIGITS:
            continue
        agrees = ", as in the floats of this device that move" if moving else ""
        return Said(
            kind="field", bits=byte_bits(first + place for place in order), parameters={"reading": "float"},
            frames=len(seen), confidence=_LIKELY if moving else _PERHAPS, instead_of=True,
            reason=f"It never moves in {count_of(len(seen), 'frame')}; as a floating-point number, {words}, it is "
                   f"{figure_text(float(value))}, which is round{agrees}.",
        )  # fmt: skip
    return None
