"""Bits that count for every sender by itself: a byte says who sends, and each of those has a counter of its own."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from ...layouts.places import Places, format_places
from ..finding import Said
from ..seen import Seen
from ..words import count_of, share_words
from .counters import counters

_MOST_SENDERS = 16
_LEAST_FRAMES = 12
_LEAST_TURNS = 0.1
"""In how many of the frames another one sends, or there is no one sender after the other."""
_LEAST_VALUES = 4


@dataclass(frozen=True, slots=True)
class _Senders:
    """What may say who sends."""

    bits: tuple[int, ...]
    raw: NDArray[np.int64]
    count: int


def counters_per(seen: Seen, free: NDArray[np.bool_]) -> list[Said]:
    """Return what counts by sender among free bits, bool (size * 8,), where it does not count from frame to frame."""
    pairs = int(seen.follows.sum())
    if pairs < _LEAST_FRAMES * 2:
        return []
    best: list[Said] = []
    for senders in _candidates(seen, free, pairs):
        left = free.copy()
        left[list(senders.bits)] = False
        found = [_said(one, senders) for one in counters(_in_turn(seen, senders.raw), left)
                 if one.parameters["wraps_at"] >= _LEAST_VALUES]  # fmt: skip
        if sum(one.frames - one.against for one in found) > sum(one.frames - one.against for one in best):
            best = found
    return best


def _candidates(seen: Seen, free: NDArray[np.bool_], pairs: int) -> Iterator[_Senders]:
    """Yield bytes and halves of bytes with few values that come in turns, each often enough."""
    for first in range(0, seen.size * 8, 4):
        for width in (8, 4) if first % 8 == 0 else (4,):
            bits = tuple(range(first + width - 1, first - 1, -1))
            own = list(bits)
            if not free[own].all() or seen.flips[own].max() < _LEAST_TURNS * pairs:
                continue
            raw = seen.raw(bits)
            counts = np.bincount(raw)
            counts = counts[counts > 0]
            if 2 <= len(counts) <= _MOST_SENDERS and counts.min() >= _LEAST_FRAMES:
                yield _Senders(bits, raw, len(counts))


def _in_turn(seen: Seen, raw: NDArray[np.int64]) -> Seen:
    """Return the frames of one sender behind those of the other."""
    order = np.argsort(raw, kind="stable")
    stretch = np.cumsum(~seen.follows)[order]
    follows = np.zeros(len(order), np.bool_)
    follows[1:] = (np.diff(raw[order]) == 0) & (np.diff(stretch) == 0)
    return Seen(seen.time_ns[order], np.ascontiguousarray(seen.matrix[order]), follows, seen.total)


def _said(one: Said, senders: _Senders) -> Said:
    per = format_places(Places(senders.bits))
    step = int(one.parameters["step"])
    way = "up" if step > 0 else "down"
    reason = (
        f"Of each of the {count_of(senders.count, 'value')} of {per} by itself it goes {way} by {abs(step)} in "
        f"{share_words(one.frames, one.frames + one.against)}, and from frame to frame it does not."
    )
    return replace(one, parameters={**one.parameters, "per": per}, reason=reason)
