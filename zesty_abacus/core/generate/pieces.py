"""The bits of a place as pieces of bytes, or of registers of two bytes, which any language can shift and mask."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from ..layouts.places import Places


class Piece(NamedTuple):
    """Bits that lie together in one byte or register.

    ``number |= (data[byte] >> right & mask) << left``.
    """

    byte: int
    right: int
    mask: int
    left: int


def pieces_of(places: Places, unit_bytes: int = 1) -> list[Piece]:
    """Return the pieces of a place, the most significant first.

    Parameters
    ----------
    unit_bytes
        Bytes of what is shifted and masked, of which the first one is the most significant.
    """
    return pieces_of_bits(places.bits, unit_bytes)


def pieces_of_bits(bits: Sequence[int | None], unit_bytes: int = 1) -> list[Piece]:
    """Return the pieces of bits named one by one, None for one that counts as zero."""
    where = [None if bit is None else _in_units(bit, unit_bytes) for bit in bits]
    pieces = []
    start = 0
    for place in range(1, len(where) + 1):
        before, here = where[place - 1], where[place] if place < len(where) else None
        if before is not None and here is not None and before == (here[0], here[1] + 1):
            continue
        first = where[start]
        if first is not None and before is not None:
            pieces.append(Piece(first[0], before[1], (1 << place - start) - 1, len(where) - place))
        start = place
    return pieces


def _in_units(bit: int, unit_bytes: int) -> tuple[int, int]:
    """Return the unit that a bit lies in, and its place there from the least significant one."""
    byte, within = divmod(bit, 8)
    unit, place = divmod(byte, unit_bytes)
    return unit, 8 * (unit_bytes - 1 - place) + within
