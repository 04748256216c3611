"""Bits that say what the others mean: within each of their values the rest moves much less than from frame to frame."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ...compiled import njit
from ..seen import Seen
from ..tiling.costs import state_cost
from ..tiling.tile import cost_of
from .counters import counters

MOST_PAGES = 24
_LEAST_FRAMES_A_PAGE = 4
_LEAST_UNDER = 4
"""Bits that a selector has at least under it."""
_LEAST_FEWER = 4
"""By how many flips a bit moves less on its pages than from frame to frame."""
_LEAST_SAVED = 40
"""Bits that it takes less to say all values page by page."""
_MOST_PAGED, _MOST_PAGED_BY_ONE = 0.7, 0.4
_MOST_TOLD, _MOST_TOLD_FRAMES = 0.85, 2_000
"""Which part of what it takes plainly pages take at most, weighed on so many frames."""
_MOST_RAW = 1 << 16
_LEAST_OF_PAIRS = 4
"""So many frames in so many follow one of their page at least, or nothing is said of pages."""
_MOST_WEIGHED = 3
_MOST_STATES = 32
"""Of what a check is worked out from, that changes seldom."""
_LEAST_TOGETHER, _BY_CHANCE = 4, 1e-4
"""Changes on pages that all come with others beside them, and how likely they may do so by chance."""


@dataclass(frozen=True, slots=True, eq=False)
class Paged:
    """A run of bits that selects, and what it selects.

    Attributes
    ----------
    bits
    values
        Raw values that come, each a page.
    under : bool (size * 8,)
        Bits that mean something else from page to page.
    flips, within
        How often those bits differ from the frame before, and from the frame before of the same page.
    """

    bits: tuple[int, ...]
    values: tuple[int, ...]
    under: NDArray[np.bool_]
    flips: int
    within: int


def find_selector(seen: Seen, free: NDArray[np.bool_], counting: NDArray[np.bool_]) -> Paged | None:
    """Return what selects among free bits, bool (size * 8,); None if nothing does.

    Parameters
    ----------
    counting : bool (size * 8,)
        Bits that count, which are not free.
    """
    if len(seen) < 12:
        return None
    found = _found(seen, free)
    if found is None or _is_worked_out(seen, found, free, counting):
        return None
    return _whole(seen, free, found)


def under_selector(seen: Seen, free: NDArray[np.bool_], bits: tuple[int, ...]) -> NDArray[np.bool_]:
    """Return the free bits that bits which are known to select have under them; bool (size * 8,).

    Parameters
    ----------
    bits
        Of the selector, from the most significant.
    """
    others = free & seen.moves
    others[list(bits)] = False
    within = _within(seen, seen.raw(bits))[0]
    under = others & (within * 2 < seen.flips) & (seen.flips - within > _LEAST_FEWER)
    return _all_under(others, under, within > 1.3 * seen.flips + 3) if under.any() else under


def _within(seen: Seen, raw: NDArray[np.int64]) -> tuple[NDArray[np.int64], int]:
    """Return how often each bit flips from one frame of a page to the next one of that page, in how many pairs.

    Where frames are left out, or of another size, few of a page follow one another; the flips are as many as there
    would be if all did.
    """
    if len(raw) and raw.max() > _MOST_RAW:
        raw = np.unique(raw, return_inverse=True)[1]
    within, pairs = _flips_within(seen.matrix, raw, np.cumsum(~seen.follows))
    all_pairs = int(seen.follows.sum())
    if pairs < all_pairs // _LEAST_OF_PAIRS:
        return seen.flips, pairs
    return np.maximum(within, within * all_pairs // max(pairs, 1)), pairs


@njit(nogil=True, cache=True)
def _flips_within(
    matrix: NDArray[np.uint8], raw: NDArray[np.int64], stretch: NDArray[np.int64]
) -> tuple[NDArray[np.int64], int]:
    """Count in one pass how often bits differ from the frame before with the same raw value in the same stretch."""
    count, size = matrix.shape
    flips = np.zeros(size * 8, np.int64)
    last = np.full(raw.max() + 1 if count else 1, -1, np.int64)
    pairs = 0
    for row in range(count):
        before = last[raw[row]]
        last[raw[row]] = row
        if before < 0 or stretch[before] != stretch[row]:
            continue
        pairs += 1
        for byte in range(size):
            changed = matrix[row, byte] ^ matrix[before, byte]
            bit = byte * 8
            while changed:
                flips[bit] += changed & 1
                changed >>= 1
                bit += 1
    return flips, pairs


def _is_worked_out(seen: Seen, paged: Paged, free: NDArray[np.bool_], counting: NDArray[np.bool_]) -> bool:
    """Return whether what would lie on the pages changes only when something beside it does, which is seldom.

    A check over a counter and a state, of which too few values were seen to solve it, looks as if the counter selected
    pages: on each the check is the same until the state changes.
    """
    # a check that is solved already changes with everything, and says nothing of what lies on pages
    outside = seen.moves & free & ~paged.under
    outside[list(paged.bits)] = False
    states = np.unique(seen.matrix & np.packbits(outside, bitorder="little"), axis=0)
    if len(states) > _MOST_STATES:
        return False
    outside |= seen.moves & counting
    raw = np.unique(seen.raw(paged.bits), return_inverse=True)[1].reshape(-1)
    masks = (np.packbits(bits, bitorder="little") for bits in (paged.under, outside))
    pairs, under, beside, alone = _changes_within(seen.matrix, raw, np.cumsum(~seen.follows), *masks)
    if not pairs or alone or under < _LEAST_TOGETHER:
        return False
    return bool((beside / pairs) ** under < _BY_CHANCE)


@njit(nogil=True, cache=True)
def _changes_within(matrix, raw, stretch, under, outside):  # type: ignore[no-untyped-def]
    """Count pairs of frames of a page one after the other in a stretch, and in how many of them bits changed.

    Returns
    -------
    pairs, under, outside, alone : int
        All of them; those in which bits of either mask, uint8 (size,), changed; those of the first mask alone.
    """
    last = np.full(raw.max() + 1 if len(raw) else 1, -1, np.int64)
    counts = np.zeros(4, np.int64)
    for row in range(len(matrix)):
        before = last[raw[row]]
        last[raw[row]] = row
        if before < 0 or stretch[before] != stretch[row]:
            continue
        here = beside = False
        for byte in range(matrix.shape[1]):
            changed = matrix[row, byte] ^ matrix[before, byte]
            here |= changed & under[byte] != 0
            beside |= changed & outside[byte] != 0
        counts[0] += 1
        counts[1] += here
        counts[2] += beside
        counts[3] += here and not beside
    return counts[0], counts[1], counts[2], counts[3]


def _whole(seen: Seen, free: NDArray[np.bool_], paged: Paged) -> Paged:
    """Return a selector with the bits beside it, in its byte, that are the same on each of its pages."""
    bits = list(paged.bits)
    byte = bits[0] // 8
    for step in (1, -1):
        while (beside := (bits[0] if step > 0 else bits[-1]) + step) // 8 == byte and free[beside]:
            wider = (beside, *bits) if step > 0 else (*bits, beside)
            if not seen.moves[beside] or len(np.unique(seen.raw(wider))) != len(paged.values):
                break
            bits = list(wider)
    values = tuple(np.unique(seen.raw(tuple(bits))).tolist())
    under = paged.under.copy()
    under[bits] = False
    return Paged(tuple(bits), values, under, paged.flips, paged.within)


def _found(seen: Seen, free: NDArray[np.bool_]) -> Paged | None:
    candidates, told = _candidates(seen, free), _Told(seen, free)
    judged = [one for bits in candidates if (one := _judged(seen, free, bits)) is not None]
    judged += _doubtful(seen, free, [bits for bits in candidates if len(bits) == 1], judged, told)
    if not judged:
        return _weighed(seen, free, candidates)
    least = min(cost for cost, _ in judged)
    # what lies under a selector may tell the pages apart as well, and each letter of a text in pieces does: that takes
    # fewer bits only as the widest have less under them. Of those that do, the first is what decides
    named = [cost + _rates(seen, len(one.values), len(one.bits)) for cost, one in judged]
    alike = [one for whole, (cost, one) in zip(named, judged, strict=True)
             if cost <= least * 1.02 + 30 or whole <= min(named) * 1.02 + 30]  # fmt: skip
    first = min(min(one.bits) // 8 for one in alike)
    here = [one for one in alike if min(one.bits) // 8 == first]
    here += _single_bits_within(seen, free, here, least)
    # fewer values do with fewer pages; of runs that do with as many the whole one is meant
    return _best_told(min(here, key=lambda one: (len(one.values), -len(one.bits))), judged, told)


class _Told:
    """What it takes to say free bits in some of the frames, plainly or page by page; each is weighed once.

    Attributes
    ----------
    seen
        Those frames.
    """

    def __init__(self, seen: Seen, free: NDArray[np.bool_]) -> None:
        self.seen, self._free = seen.some(_MOST_TOLD_FRAMES), free
        self._by_bits: dict[tuple[int, ...], float] = {}

    @cached_property
    def plain(self) -> float:
        """What it takes without pages."""
        return cost_of(self.seen, self._free)

    def by(self, bits: tuple[int, ...]) -> float:
        """Return what it takes to say what selects, and all values beside it page by page."""
        if bits not in self._by_bits:
            raw, others = self.seen.raw(bits), self._free.copy()
            others[list(bits)] = False
            pages = (self.seen.where(raw == value) for value in np.unique(raw).tolist())
            own = float(state_cost(raw, self.seen.follows))
            self._by_bits[bits] = own + sum(cost_of(page, others) for page in pages)
        return self._by_bits[bits]


def _best_told(best: Paged, judged: list[tuple[float, Paged]], told: _Told) -> Paged | None:
    """Return which of a selector and those of no more values is told shortest; None if all is without pages.

    Flips alone take the lowest bit of a number that lies beside a selector on one page for a part of it, a counter that
    goes round with the pages for what selects them, and the lowest bit of a number for a selector of its upper ones.
    """
    rivals = [one for _, one in sorted(judged, key=lambda pair: pair[0])
              if one.bits != best.bits and len(one.values) <= len(best.values)]  # fmt: skip
    within = [one for one in rivals if set(one.bits) < set(best.bits) and len(one.values) < len(best.values)]
    elsewhere = {one.bits[0] // 8: one for one in reversed(rivals) if not set(one.bits) & set(best.bits)}
    tried = sorted([*within[:2], *elsewhere.values()], key=lambda one: one.bits[0] // 8)
    least = min(told.by(one.bits) for one in (best, *tried))
    if least >= told.plain:
        return None
    # what is told as shortly stays what it was
    return next(one for one in (best, *tried) if told.by(one.bits) <= least * 1.01 + 10)


def _doubtful(
    seen: Seen, free: NDArray[np.bool_], candidates: list[tuple[int, ...]], judged: list[tuple[float, Paged]],
    told: _Told,
) -> list[tuple[float, Paged]]:  # fmt: skip
    """Return the single bits that divide the others, not sharply, if the values on their pages bear it out."""
    known = {one.bits for _, one in judged}
    tried = (_judged(seen, free, bits, most=_MOST_PAGED) for bits in candidates if bits not in known)
    return [one for one in tried if one is not None and told.by(one[1].bits) < _MOST_TOLD * told.plain]


def _single_bits_within(seen: Seen, free: NDArray[np.bool_], wider: list[Paged], least: float) -> list[Paged]:
    """Return the single bits of what selects that say all values as shortly by themselves.

    By itself a bit has to divide the others sharply, to be more than the lowest of a number; within a run that selects
    it may be what does, beside a flag.
    """
    bits = dict.fromkeys(bit for one in wider if len(one.values) > 2 for bit in one.bits if seen.moves[bit])
    judged = [_judged(seen, free, (bit,), most=_MOST_PAGED) for bit in bits]
    return [one[1] for one in judged if one is not None and one[0] <= least * 1.02 + 30]


def _values(raw: NDArray[np.int64] | NDArray[np.uint8]) -> NDArray[np.int64]:
    """Return the raw values that come, of at most a byte; quicker than to sort them."""
    return np.flatnonzero(np.bincount(raw))


def _candidates(seen: Seen, free: NDArray[np.bool_]) -> list[tuple[int, ...]]:
    """Return runs within a byte that have few values and change often enough to turn pages."""
    pairs = max(int(seen.follows.sum()), 1)
    found = []
    for byte in range(seen.size):
        own = [bit for bit in range(byte * 8, byte * 8 + 8) if free[bit] and seen.moves[bit]]
        column = seen.matrix[:, byte]
        for low in own:
            for high in own:
                if high < low or not free[low : high + 1].all():
                    continue
                bits = tuple(range(high, low - 1, -1))
                # a run within a byte is read by one shift, not bit by bit: there are dozens in each
                raw = column >> np.uint8(low % 8) & np.uint8((1 << len(bits)) - 1)
                values = _values(raw)
                if not 2 <= len(values) <= MOST_PAGES or len(seen) < _LEAST_FRAMES_A_PAGE * len(values):
                    continue
                changes = int(((raw[1:] != raw[:-1]) & seen.follows[1:]).sum())
                if changes >= 0.3 * pairs:
                    found.append(bits)
    return found


def _judged(
    seen: Seen, free: NDArray[np.bool_], bits: tuple[int, ...], most: float | None = None
) -> tuple[float, Paged] | None:
    """Return what it takes to say all other bits page by page, and the pages; None if they are no pages.

    Parameters
    ----------
    most
        Which part of saying them plainly that is at most; None is what fits the number of bits and pages.
    """
    others = free.copy()
    others[list(bits)] = False
    return _judged_by(seen, others, seen.raw(bits), bits, most)


def paged_by(seen: Seen, free: NDArray[np.bool_], raw: NDArray[np.int64], bits: tuple[int, ...]) -> Paged | None:
    """Return the pages of free bits by what another message says of each frame; None if they are no pages.

    Parameters
    ----------
    raw : int64 (n,)
        What it said last before each frame, -1 for nothing.
    bits
        Where it says that.
    """
    found = _judged_by(seen, free, raw + 1, bits)
    return found[1] if found is not None else None


def _judged_by(
    seen: Seen, others: NDArray[np.bool_], raw: NDArray[np.int64], bits: tuple[int, ...], most: float | None = None
) -> tuple[float, Paged] | None:
    values = _values(raw)
    others = others & seen.moves
    if not others.any():
        return None
    within, pairs = _within(seen, raw)
    all_pairs = int(seen.follows.sum())
    # bits that flip much less often within a page than from frame to frame are under it
    under = others & (within * 2 < seen.flips) & (seen.flips - within > _LEAST_FEWER)
    if not under.any():
        return None
    plain = float(_said_in(seen.flips[others], all_pairs).sum())
    # a bit that is taken in without need is one less to be said, and must not be had for nothing
    own = float(state_cost(raw, seen.follows))
    paged = float(np.where(under, _said_in(within, pairs), _said_in(seen.flips, all_pairs))[others].sum())
    # each bit of each page has a rate of its own
    paged += _rates(seen, len(values), int(under.sum())) + 20
    # a single bit, as the lowest of a number, divides anything a little
    most = most or (_MOST_PAGED if len(values) > 2 or len(bits) > 1 else _MOST_PAGED_BY_ONE)
    if paged > most * plain or plain - paged < _LEAST_SAVED or paged + own > 0.85 * plain or under.sum() < _LEAST_UNDER:
        return None
    flips_under, within_under = int(seen.flips[under].sum()), int(within[under].sum())
    under = _all_under(others, under, within > 1.3 * seen.flips + 3)
    found = Paged(bits, tuple(values.tolist()), under, flips_under, within_under)
    return paged + own, found


def _rates(seen: Seen, pages: int, bits: int) -> float:
    """Return the bits that say how often each of some bits flips on each page."""
    return pages * bits * 0.5 * float(np.log2(len(seen) + 1.0))


def _weighed(seen: Seen, free: NDArray[np.bool_], candidates: list[tuple[int, ...]]) -> Paged | None:
    """Return what turns its pages in a fixed order, if all values are told much shorter page by page.

    Where pages come seldom their bits flip as often within as from frame to frame, but numbers still go on in them.
    """
    regular = []
    counting = [set(one.bits) for one in counters(seen, free.copy())]
    rest = free.copy()
    for one in counting:
        rest[list(one)] = False
    for bits in candidates:
        # the lower bits of a counter come round just as regularly
        if any(set(bits) < one for one in counting):
            continue
        raw = seen.raw(bits)
        count, cost = len(np.unique(raw)), state_cost(raw, seen.follows)
        # of few frames any values are told shortly; what turns in an order is told much shorter than what does not
        if cost < min(0.2 * len(seen) + 60, 0.5 * len(seen) * np.log2(count)):
            regular.append((count, len(bits), bits))
    best: tuple[float, Paged] | None = None
    # of what turns through as many pages the first in the payload decides; the others follow from it
    regular.sort(key=lambda one: (-one[0], min(one[2]) // 8, -one[1]))
    told = _Told(seen, rest)
    for _, _, bits in regular[:_MOST_WEIGHED]:
        others = rest.copy()
        others[list(bits)] = False
        if (others & seen.moves).sum() < _LEAST_UNDER:
            continue
        # with the bits themselves: the lowest of a number, left out, makes what is left of it look paged
        paged, plain = told.by(bits), told.plain
        if paged > _MOST_TOLD * plain or plain - paged < _LEAST_SAVED or (best is not None and paged >= best[0] * 0.98):
            continue
        raw = seen.raw(bits)
        values = np.unique(raw).tolist()
        pages = [seen.where(raw == value) for value in values]
        within = sum(int(page.flips[others].sum()) for page in pages)
        best = paged, Paged(bits, tuple(values), others & seen.moves, int(seen.flips[others].sum()), within)
    return best[1] if best is not None else None


def _all_under(others: NDArray[np.bool_], under: NDArray[np.bool_], beside: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return the bits that lie under a selector, of some that surely do, and some that surely do not.

    The lowest bits of a number flip at random with pages and without, and go with their neighbours.
    """
    sure = np.flatnonzero(others & (under | beside))
    if not beside[others].any():
        return others
    places = np.arange(len(others))
    after = np.clip(np.searchsorted(sure, places), 0, len(sure) - 1)
    before = np.clip(after - 1, 0, len(sure) - 1)
    nearer = np.where(np.abs(sure[after] - places) <= np.abs(sure[before] - places), sure[after], sure[before])
    return others & under[nearer]


def _said_in(flips: NDArray[np.int64], pairs: int) -> NDArray[np.float64]:
    """Return the bits that say when each of some bits flipped."""
    share = np.clip(flips / max(pairs, 1), 1e-9, 1 - 1e-9)
    return -pairs * (share * np.log2(share) + (1 - share) * np.log2(1 - share))
