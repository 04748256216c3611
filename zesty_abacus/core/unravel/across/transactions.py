"""Numbers of transactions: a request has a number that its answer has, too, whatever comes between them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...layouts.places import byte_bits
from ..seen import Seen
from .question import KindView

_LEAST_REQUESTS = 12
_LEAST_NEW = 0.9
"""In how many requests the number is another one than before."""
_LEAST_NUMBERS = 8
_LEAST_ANSWERED = 0.9
_LEAST_COUNTED = 0.8
_MOST_OF_TURN = 0.5
"""Part of the time until a number comes again within which its answer usually comes."""


@dataclass(frozen=True, slots=True)
class Numbered:
    """How requests and answers are tied by a number.

    Attributes
    ----------
    request, answer
        The bits of the number in each, from the most significant.
    frames, asked
        Requests with an answer, and all.
    median_ns
        How long one usually takes.
    out_of_turn
        Answers that came behind that of a later request.
    numbers
        How many there are.
    usual_step
        How far apart those of one request and the next are.
    """

    request: tuple[int, ...]
    answer: tuple[int, ...]
    frames: int
    asked: int
    median_ns: float
    out_of_turn: int
    numbers: int
    usual_step: float


def numbered(asks: KindView, other: KindView) -> Numbered | None:
    """Return how the frames of another message are tied to those of one, None if no number does it."""
    if len(asks.thin) < _LEAST_REQUESTS or not 0.5 * len(asks.thin) <= len(other.thin) <= 1.5 * len(asks.thin):
        return None
    best: Numbered | None = None
    for request in _places(asks.thin):
        for answer in _places(other.thin):
            if len(request) == len(answer) and (one := _tied(asks.thin, other.thin, request, answer)) is not None:
                if best is None or _rank(one) > _rank(best):
                    best = one
    return best


def _rank(one: Numbered) -> tuple[int, int, float]:
    # of two orders of bytes the one in which it counts
    return one.frames, len(one.request), -one.usual_step


def _places(seen: Seen) -> Iterator[tuple[int, ...]]:
    """Yield one or two bytes, in either order, that are hardly ever as in the frame before."""
    for width in (2, 1):
        for first in range(seen.size - width + 1):
            run = tuple(range(first, first + width))
            for order in (run, run[::-1])[:width]:
                bits = byte_bits(order)
                raw = seen.raw(bits)
                if len(raw) > 1 and (np.diff(raw) != 0).mean() >= _LEAST_NEW and len(np.unique(raw)) >= _LEAST_NUMBERS:
                    # both bytes of a wide one have a part in it
                    if all(seen.moves[byte * 8 : byte * 8 + 8].any() for byte in run):
                        yield bits


def _tied(asks: Seen, other: Seen, request: tuple[int, ...], answer: tuple[int, ...]) -> Numbered | None:
    asked, came = asks.raw(request), other.raw(answer)
    if len(np.intersect1d(asked, came)) < _LEAST_ANSWERED * len(np.unique(asked)):
        return None
    place, turn = _next_equal(asked, asks.time_ns, came, other.time_ns)
    there = place >= 0
    if there.mean() < _LEAST_ANSWERED:
        return None
    took = (other.time_ns[place] - asks.time_ns)[there]
    again = turn[there]
    # of a number that comes again soon nearly any frame has the same one before that
    if (took > _MOST_OF_TURN * again).mean() > 1 - _LEAST_ANSWERED:
        return None
    out_of_turn = int((np.diff(place[there]) < 0).sum())
    steps = np.diff(asked)
    # what is merely asked for comes back as well, in turn; a number of the transaction counts, or keeps them apart
    if not out_of_turn and (steps == np.median(steps)).mean() < _LEAST_COUNTED:
        return None
    return Numbered(
        request, answer, int(there.sum()), len(asked), float(np.median(took)), out_of_turn, len(np.unique(asked)),
        float(np.median(np.abs(steps))),
    )  # fmt: skip


def _next_equal(
    asked: NDArray[np.int64], asked_ns: NDArray[np.int64], came: NDArray[np.int64], came_ns: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return for each request the next answer of its number before that is asked again, else -1, and when that is."""
    place = np.full(len(asked), -1, np.int64)
    turn = np.full(len(asked), np.iinfo(np.int64).max // 2, np.int64)
    order = np.lexsort((came_ns, came))
    keys, times = came[order], came_ns[order]
    mine = np.lexsort((asked_ns, asked))
    same = np.flatnonzero(asked[mine][1:] == asked[mine][:-1])
    turn[mine[same]] = asked_ns[mine[same + 1]] - asked_ns[mine[same]]
    for row in range(len(asked)):
        low, high = np.searchsorted(keys, asked[row], "left"), np.searchsorted(keys, asked[row], "right")
        at = low + int(np.searchsorted(times[low:high], asked_ns[row], "right"))
        if at < high and times[at] - asked_ns[row] < turn[row]:
            place[row] = order[at]
    return place, turn
