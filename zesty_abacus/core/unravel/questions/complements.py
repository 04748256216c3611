"""Bits that are the others turned round, as a safeguard."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ...layouts.places import Places, byte_bits, format_places
from ..finding import Said
from ..seen import Seen
from ..words import share_words

_LEAST_VALUES = 3
_FIRST = 50


def complements(seen: Seen, free: NDArray[np.bool_]) -> list[Said]:
    """Return bytes and half bytes that are always those of another place, every bit turned round."""
    found: list[Said] = []
    left = free.copy()
    for width in (16, 8, 4):
        runs = [run for run in _runs(seen.size, width) if left[list(run)].all() and seen.moves[list(run)].any()]
        raws = [seen.raw(run) for run in runs]
        for later in range(len(runs)):
            for earlier in range(later):
                if not (left[list(runs[later])].all() and left[list(runs[earlier])].all()):
                    continue
                said = _turned(runs[earlier], runs[later], raws[earlier], raws[later], width)
                if said is not None:
                    found.append(said)
                    left[list(runs[later])] = False
    return found


def _runs(size: int, width: int) -> list[tuple[int, ...]]:
    if width == 4:
        return [tuple(range(first + 3, first - 1, -1)) for first in range(0, size * 8, 4)]
    count = width // 8
    return [byte_bits(range(first, first + count)) for first in range(size - count + 1)]


def _turned(
    earlier: tuple[int, ...], later: tuple[int, ...], one: NDArray[np.int64], other: NDArray[np.int64], width: int
) -> Said | None:
    turned = (1 << width) - 1
    # nearly all pairs are told apart by a few frames
    if set(earlier) & set(later) or (one[:_FIRST] ^ other[:_FIRST] == turned).mean() < 0.8:
        return None
    agrees = int((one ^ other == turned).sum())
    if agrees < 0.98 * len(one) or len(np.unique(one)) < _LEAST_VALUES:
        return None
    of = format_places(Places(earlier))
    return Said(
        kind="complement", bits=later, parameters={"of": of}, frames=agrees, against=len(one) - agrees,
        confidence=0.97 * agrees / len(one),
        reason=f"Every bit is that of {of} turned round in {share_words(agrees, len(one), 'frame')}.",
    )  # fmt: skip


def copied(seen: Seen) -> NDArray[np.bool_]:
    """Return the bits of moving bytes that are another byte, plain or turned round, in all frames; bool (size * 8,)."""
    found = np.zeros(seen.size * 8, np.bool_)
    moving = [n for n in range(seen.size) if len(np.unique(seen.matrix[:, n])) >= _LEAST_VALUES]
    for place, earlier in enumerate(moving):
        for later in moving[place + 1 :]:
            apart = seen.matrix[:, earlier] ^ seen.matrix[:, later]
            if max((apart == 0).mean(), (apart == 0xFF).mean()) >= 0.98:
                for byte in (earlier, later):
                    found[byte * 8 : byte * 8 + 8] = True
    return found
