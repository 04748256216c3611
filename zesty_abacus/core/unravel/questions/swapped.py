"""Numbers of several words whose low word stands first, as devices with registers of sixteen bits send them."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ...layouts.places import byte_bits
from ..finding import Said, When
from ..seen import Seen
from ..words import count_of, share_words

_LEAST_CARRIES = 3
_LEAST_SHARE = 0.95
_HALF = 1 << 15
_WORDS = (4, 2)
_MOST_STEP = 1 << 13
"""How far the low word goes in a frame at most: beyond an eighth of its range nothing tells a carry from a step."""


def swapped(seen: Seen, free: NDArray[np.bool_], when: tuple[When, ...] = ()) -> list[Said]:
    """Return the whole numbers of two or four words among free bits, bool (size * 8,), whose lowest word is first."""
    left, found = free.copy(), []
    for count in _WORDS:
        for first in range(0, seen.size - 2 * count + 1, 2):
            bits = _bits(first, count)
            moving = all(seen.moves[at * 8 : at * 8 + 16].any() for at in range(first, first + 2 * count, 2))
            if moving and left[list(bits)].all() and (one := _number(seen, first, count, bits, when)) is not None:
                found.append(one)
                left[list(bits)] = False
    return found


def _bits(first: int, count: int) -> tuple[int, ...]:
    """Return the bits of words of two bytes each, high byte first, the last word first."""
    return byte_bits(byte for word in reversed(range(count)) for byte in (first + 2 * word, first + 2 * word + 1))


def _words(seen: Seen, first: int, count: int) -> Iterator[NDArray[np.int64]]:
    for word in range(count):
        yield seen.raw(byte_bits((first + 2 * word, first + 2 * word + 1)))


def _number(seen: Seen, first: int, count: int, bits: tuple[int, ...], when: tuple[When, ...]) -> Said | None:
    """Return words as one number, None unless the next word goes on exactly where the one before it runs over."""
    words = list(_words(seen, first, count))
    follows = seen.follows[1:]
    carries = kept = 0
    for low, high in pairwise(words):
        step = np.diff(low)[follows]
        # a step of more than half of all values is one the other way round, over the end
        over = np.where(step <= -_HALF, 1, np.where(step > _HALF, -1, 0))
        if low is words[0] and np.abs(step + over * 2 * _HALF).max(initial=0) > _MOST_STEP:
            return None
        went = (np.diff(high)[follows] + _HALF) % (2 * _HALF) - _HALF
        # in between a word does not move
        if (went[over == 0] != 0).any():
            return None
        carries += int((over != 0).sum())
        kept += int((went == over)[over != 0].sum())
    if carries < _LEAST_CARRIES or kept < _LEAST_SHARE * carries:
        return None
    # words that only ever are 0 and 0xFFFF above the lowest are a sign
    is_signed = bool(np.isin(words[-1], (0, 2 * _HALF - 1)).all() and len(np.unique(words[-1])) == 2)
    if is_signed:
        happens = "that the first word runs over its end the next one turns all its bits, as the sign of a number does"
    else:
        happens = "that a word runs over its end the next one goes on by one"
    reason = f"In {share_words(kept, carries, 'time')} {happens}, and else it stays, in {count_of(len(seen), 'frame')}."
    return Said(
        kind="field", bits=bits, parameters={"reading": "signed" if is_signed else "unsigned"}, frames=len(seen),
        against=carries - kept, confidence=min(0.7 + 0.05 * carries, 0.96) * kept / carries, reason=reason, when=when,
    )  # fmt: skip
