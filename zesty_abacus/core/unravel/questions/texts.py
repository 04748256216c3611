"""Bytes that are characters: letters, digits and what stands between them, in all frames."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...layouts.places import byte_bits
from ..finding import Said, When
from ..seen import Seen
from ..words import count_of

_LEAST_BYTES = 4
_LEAST_STILL = 5
"""Characters that text has at least where it never changes: so many bytes are seldom all characters by chance."""
_LEAST_VALUES = 8
_LEAST_WORDLIKE = 0.8


def texts(seen: Seen, free: NDArray[np.bool_], when: tuple[When, ...] = ()) -> list[Said]:
    """Return the texts among free bits, bool (size * 8,)."""
    if not len(seen):
        return []
    is_character = _IS_CHARACTER[seen.matrix]
    is_padding = _IS_PADDING[seen.matrix]
    # padding stands behind what is said, never before it
    behind = np.minimum.accumulate(is_padding[:, ::-1], axis=1)[:, ::-1]
    fits = (is_character | behind).all(axis=0) & is_character.any(axis=0) & free.reshape(-1, 8).all(axis=1)
    return [one for first, end in _runs(np.asarray(fits)) if (one := _text(seen, first, end, when)) is not None]


def _text(seen: Seen, first: int, end: int, when: tuple[When, ...]) -> Said | None:
    own = seen.matrix[:, first:end]
    if end - first < _LEAST_BYTES:
        return None
    said = own[_IS_CHARACTER[own]]
    wordlike = float(_IS_WORDLIKE[said].mean()) if len(said) else 0.0
    moving = int((own != own[:1]).any(axis=0).sum())
    values = sum(len(np.unique(own[:, byte])) for byte in range(own.shape[1]))
    if wordlike < _LEAST_WORDLIKE:
        return None
    if moving < 2 and end - first < _LEAST_STILL:
        return None
    if moving and values < _LEAST_VALUES + own.shape[1]:
        # a few values in a byte that happens to lie among the letters
        return None
    shown = bytes(own[0]).rstrip(b"\x00\xff").decode("ascii", "replace")
    bits = byte_bits(range(first, end))
    return Said(
        kind="text", bits=bits, parameters={"encoding": "ascii"}, frames=len(seen), when=when,
        confidence=float(np.clip(0.55 + 0.05 * (end - first) + 0.05 * min(moving, 4), 0, 0.97)),
        reason=f"All bytes are characters in all {count_of(len(seen), 'frame')}, as in “{shown}”.",
    )  # fmt: skip


def _runs(fits: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Return first and end of the runs of true."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], fits, [False]]).astype(np.int8)))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))


_IS_PADDING = np.array([byte in (0x00, 0xFF) for byte in range(256)])
_IS_CHARACTER = np.array([0x20 <= byte <= 0x7E or byte in (0x0D, 0x0A, 0x09) for byte in range(256)])
_IS_WORDLIKE = np.array([byte < 0x7F and (chr(byte).isalnum() or chr(byte) in " .,:;-+_/") for byte in range(256)])
