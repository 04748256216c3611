"""Chooses runs of bits that fill a payload without overlap and say its changes in the fewest bits."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...compiled import njit
from ..seen import Seen
from .costs import MOST_BITS, run_costs, words_of

IMPOSSIBLE = 1e7
"""What a run costs that is not to be taken."""
_LOW, _HIGH, _BYTE = range(3)


@dataclass(frozen=True, slots=True)
class Tile:
    """A run of bits that is a value of its own.

    Attributes
    ----------
    bits
        From the most to the least significant.
    shape
        :data:`~.costs.NUMBER`, :data:`~.costs.SIGNED` or :data:`~.costs.STATE`.
    cost
        Bits that say how it moved.
    margin
        By how many bits the best tiling without this run is longer.
    """

    bits: tuple[int, ...]
    shape: int
    cost: float
    margin: float


@dataclass(frozen=True, slots=True, eq=False)
class RunCosts:
    """What every run costs, in both orders; by first bit in that order, and width."""

    low: NDArray[np.float64]
    low_shapes: NDArray[np.int8]
    high: NDArray[np.float64]
    high_shapes: NDArray[np.int8]


def costs_of(seen: Seen, free: NDArray[np.bool_]) -> RunCosts:
    """Weigh every run of free bits, bool (size * 8,) by bit number."""
    bits = seen.size * 8
    turned = np.arange(bits) ^ 7
    moves = seen.moves & free
    tables = []
    for high_first in (False, True):
        order = turned if high_first else np.arange(bits)
        costs = np.full((bits, MOST_BITS + 1), np.inf)
        shapes = np.zeros((bits, MOST_BITS + 1), np.int8)
        # runs within a byte are the same in both orders, and are weighed in the first
        least = 9 - np.arange(bits) % 8 if high_first else np.zeros(bits, np.int64)
        words = words_of(seen.matrix, high_first)
        run_costs(words, high_first, seen.flips[order], moves[order], free[order], seen.follows, costs, shapes, least)
        tables += [costs, shapes]
    return RunCosts(*tables)


def tiles_of(seen: Seen, free: NDArray[np.bool_]) -> list[Tile]:
    """Return the runs that the free bits of a payload are best divided into, in order of place.

    Parameters
    ----------
    free : bool (size * 8,)
        Bits that belong to nothing else yet.
    """
    if not (seen.moves & free).any():
        return []
    costs = costs_of(seen, free)
    moves = seen.moves & free
    best, tiles = _tiled(costs, moves, seen.size)
    found = []
    for bits, shape, cost in tiles:
        margin = _tiled(_without(costs, bits), moves, seen.size)[0] - best
        found.append(Tile(bits, shape, cost, margin))
    return found


def cost_of(seen: Seen, free: NDArray[np.bool_]) -> float:
    """Return the bits that say how free bits moved, divided in the best way."""
    return costs_without(seen, free, [()])[0]


def costs_without(seen: Seen, free: NDArray[np.bool_], some: Sequence[tuple[int, ...]]) -> list[float]:
    """Return what it takes to say how free bits moved without some of them, for several choices of these."""
    costs = costs_of(seen, free) if (seen.moves & free).any() else None
    made = []
    for left_out in some:
        rest = free.copy()
        rest[list(left_out)] = False
        moves = seen.moves & rest
        # a run costs what it costs, whatever lies beside it
        whole = costs if not left_out or costs is None else _within(costs, rest)
        made.append(_tiled(whole, moves, seen.size)[0] if whole is not None and moves.any() else 0.0)
    return made


def _within(costs: RunCosts, free: NDArray[np.bool_]) -> RunCosts:
    """Return the costs of the runs of which all bits are free."""
    turned = free[np.arange(len(free)) ^ 7]
    return RunCosts(
        np.where(_fits(free), costs.low, np.inf), costs.low_shapes, np.where(_fits(turned), costs.high, np.inf),
        costs.high_shapes,
    )  # fmt: skip


def _fits(free: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return whether a run of each width from each bit on has only free ones; bool (bits, MOST_BITS + 1)."""
    bits = len(free)
    taken = np.flatnonzero(~free)
    place = np.searchsorted(taken, np.arange(bits))
    room = np.append(taken, bits)[place] - np.arange(bits)
    return np.arange(MOST_BITS + 1) <= room[:, None]


def _without(costs: RunCosts, bits: tuple[int, ...]) -> RunCosts:
    """Return the costs with one run forbidden, a single bit excepted, which can always stand alone."""
    low, high = costs.low.copy(), costs.high.copy()
    if bits[-1] // 8 == bits[0] // 8 or bits[-1] < bits[0]:
        low[bits[-1], len(bits)] += IMPOSSIBLE
    else:
        high[bits[0] ^ 7, len(bits)] += IMPOSSIBLE
    return RunCosts(low, costs.low_shapes, high, costs.high_shapes)


_Run = tuple[tuple[int, ...], int, float]
"""Bits, shape, cost."""


def _tiled(costs: RunCosts, moves: NDArray[np.bool_], size: int) -> tuple[float, list[_Run]]:
    inner, cut = _inner(costs.low, moves, size)
    total, came = _shortest(inner, costs.low, costs.high, size)
    end = size * 17
    tiles = []
    node = end
    while node > 0:
        before, order, first, width = (int(number) for number in came[node])
        byte, (low, high) = before // 17, _free_in(before % 17)
        if order == _LOW:
            tiles.append(_run_low(costs, first, width))
            tiles += _byte_tiles(costs, cut, byte, low, first % 8 - 1)
        elif order == _HIGH:
            bits = tuple(n ^ 7 for n in range(first, first + width))
            tiles.append((bits, int(costs.high_shapes[first, width]), float(costs.high[first, width])))
            tiles += _byte_tiles(costs, cut, byte, (first ^ 7) % 8 + 1, high)
        else:
            tiles += _byte_tiles(costs, cut, byte, low, high)
        node = before
    return float(total[end]), sorted(tiles, key=lambda tile: min(tile[0]))


def _run_low(costs: RunCosts, first: int, width: int) -> _Run:
    bits = tuple(range(first + width - 1, first - 1, -1))
    return bits, int(costs.low_shapes[first, width]), float(costs.low[first, width])


def _byte_tiles(costs: RunCosts, cut: NDArray[np.int8], byte: int, low: int, high: int) -> list[_Run]:
    """Return the runs that bits ``low`` to ``high`` of a byte are divided into."""
    tiles = []
    while low <= high:
        width = int(cut[byte, low, high])
        if width:
            tiles.append(_run_low(costs, byte * 8 + low, width))
        low += max(width, 1)
    return tiles


def _free_in(state: int) -> tuple[int, int]:
    """Return the lowest and highest bit of a byte that a run which ends in it leaves."""
    if state == 0:
        return 0, 7
    return (state, 7) if state <= 8 else (0, 7 - (state - 8))


@njit(cache=True, nogil=True)
def _inner(low, moves, size):  # type: ignore[no-untyped-def]
    """Return what bits a to b of each byte cost, best divided, and how wide the first run is, 0 of a still bit."""
    inner = np.zeros((size, 9, 8))
    cut = np.zeros((size, 8, 8), np.int8)
    for byte in range(size):
        for high in range(8):
            # tail[a] is the cost of bits a to high
            for a in range(high, -1, -1):
                tail = 0.0 if a == high else inner[byte, a + 1, high]
                best = tail
                width = 0
                if moves[byte * 8 + a]:
                    best = np.inf
                    for b in range(a, high + 1):
                        rest = 0.0 if b == high else inner[byte, b + 1, high]
                        cost = low[byte * 8 + a, b - a + 1] + rest
                        if cost < best:
                            best, width = cost, b - a + 1
                inner[byte, a, high] = best
                cut[byte, a, high] = width
    return inner, cut


@njit(cache=True, nogil=True)
def _shortest(inner, low, high, size):  # type: ignore[no-untyped-def]
    """Walk the bytes; a node is a byte and how much of it a run that began before takes, from below or from above."""
    nodes = size * 17 + 1
    total = np.full(nodes, np.inf)
    came = np.zeros((nodes, 4), np.int64)
    total[0] = 0.0
    for byte in range(size):
        for state in range(17):
            here = byte * 17 + state
            if total[here] == np.inf or state == 8 or state == 16:
                continue
            begin = state if 0 < state < 8 else 0
            end = 7 - (state - 8) if state > 8 else 7
            cost = total[here] + inner[byte, begin, end]
            if cost < total[(byte + 1) * 17]:
                total[(byte + 1) * 17] = cost
                came[(byte + 1) * 17] = (here, _BYTE, 0, 0)
            if end == 7:
                for start in range(begin, 8):
                    head = 0.0 if start == begin else inner[byte, begin, start - 1]
                    _extend(total, came, here, total[here] + head, low, byte * 8 + start, 8 - start, byte, size, 0)
            if begin == 0:
                for start in range(end + 1):
                    head = 0.0 if start == end else inner[byte, start + 1, end]
                    first = byte * 8 + 7 - start
                    _extend(total, came, here, total[here] + head, high, first, start + 1, byte, size, 1)
    return total, came


@njit(cache=True, nogil=True)
def _extend(total, came, here, base, costs, first, inside, byte, size, order):  # type: ignore[no-untyped-def]
    for width in range(inside + 1, MOST_BITS + 1):
        last = first + width - 1
        if last >= size * 8:
            break
        cost = base + costs[first, width]
        taken = last % 8 + 1
        at = last // 8
        if taken == 8:
            node = (at + 1) * 17
        else:
            node = at * 17 + (taken if order == 0 else 8 + taken)
        if cost < total[node]:
            total[node] = cost
            came[node] = (here, order, first, width)
