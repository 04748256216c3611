"""The bits of a place as pieces of bytes, which any language can shift and mask."""

from __future__ import annotations

from typing import NamedTuple

from ..layouts.places import Places


class Piece(NamedTuple):
    """Bits that lie together in one byte.

    ``number |= (data[byte] >> right & mask) << left``.
    """

    byte: int
    right: int
    mask: int
    left: int


def pieces_of(places: Places) -> list[Piece]:
    """Return the pieces of a place, the most significant first."""
    bits = places.bits
    pieces = []
    start = 0
    for place in range(1, len(bits) + 1):
        goes_on = place < len(bits) and bits[place] // 8 == bits[start] // 8 and bits[place] == bits[place - 1] - 1
        if not goes_on:
            length = place - start
            pieces.append(Piece(bits[start] // 8, bits[place - 1] % 8, (1 << length) - 1, len(bits) - place))
            start = place
    return pieces
