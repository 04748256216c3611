"""Bits that count: by any step, up to any wrap."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..finding import Said
from ..seen import Seen
from ..words import count_of, grouped, share_words

_LEAST_FRAMES = 8
_LEAST_SHARE = 0.93
_MOST_BITS = 32
_LEAST_FALLS = 2
_LEAST_VALUES = 4
"""That a counter runs through whose step leaves some out."""
_OFTEN, _SELDOM = 0.5, 0.3
"""How often lower bits turn where it does not count, and at all."""


@dataclass(frozen=True, slots=True)
class Counted:
    """A run of bits that counts.

    Attributes
    ----------
    bits
    step
    wraps_at
    agrees, against
        Pairs of frames.
    wraps
        How often it was seen to begin again.
    """

    bits: tuple[int, ...]
    step: int
    wraps_at: int
    agrees: int
    against: int
    wraps: int


def counters(seen: Seen, free: NDArray[np.bool_]) -> list[Said]:
    """Return the counters among free bits, bool (size * 8,)."""
    pairs = int(seen.follows.sum())
    if pairs < _LEAST_FRAMES:
        return []
    restless = seen.flips >= pairs * 0.85
    taken = ~free
    found: list[Counted] = []
    for bit in np.flatnonzero(restless & free).tolist():
        if taken[bit]:
            continue
        best = _widest(seen, bit, taken)
        if best is not None and best.against:
            best = _with_lower(seen, bit, taken, best)
        if best is not None and not _carries_from_below(seen, best, taken):
            found.append(best)
            taken[list(best.bits)] = True
    return [_said(one, seen) for one in found]


def _with_lower(seen: Seen, lowest: int, taken: NDArray[np.bool_], best: Counted) -> Counted:
    """Return a counter with lower bits, if it agrees more often with them: one that goes by two seldom flips those."""
    for below in range(lowest - 1, lowest // 8 * 8 - 1, -1):
        if taken[below] or not seen.moves[below]:
            break
        wider = _widest(seen, below, taken)
        if wider is not None and wider.agrees > best.agrees:
            best = wider
    return best


def _carries_from_below(seen: Seen, best: Counted, taken: NDArray[np.bool_]) -> bool:
    """Return whether it fails to go on just where lower bits turn: then it is the upper part of a number that rises."""
    lowest = best.bits[-1]
    below = [bit for bit in range(lowest // 8 * 8, lowest) if seen.moves[bit] and not taken[bit]]
    if not best.against or lowest - 1 not in below:
        return False
    follows = seen.follows[1:]
    misses = (np.diff(seen.raw(best.bits)) % best.wraps_at != best.step % best.wraps_at)[follows]
    turns = (np.diff(seen.raw(tuple(reversed(below)))) != 0)[follows]
    return bool(turns[misses].mean() >= _OFTEN and turns.mean() <= _SELDOM)


def _widest(seen: Seen, lowest: int, taken: NDArray[np.bool_]) -> Counted | None:
    """Return the run that counts best from a lowest bit on, in either order of bytes; of equals the widest."""
    found: list[Counted] = []
    for low_first in (True, False):
        bits: list[int] = []
        for bit in _upwards(lowest, seen.size, low_first):
            if taken[bit] or len(bits) == _MOST_BITS or not seen.moves[bit]:
                break
            bits.append(bit)
            if len(bits) > 1 and (counted := counts(seen, tuple(reversed(bits)))) is not None:
                found.append(counted)
            elif len(bits) > 5 and not found:
                break
    if not found:
        return None
    # lost frames are lost in all of them alike, so a run that agrees less often has taken in a stranger
    most = max(one.agrees for one in found)
    return max((one for one in found if one.agrees >= most - 1), key=lambda one: len(one.bits))


def _upwards(lowest: int, size: int, low_first: bool):  # type: ignore[no-untyped-def]
    byte, bit = divmod(lowest, 8)
    while 0 <= byte < size:
        yield byte * 8 + bit
        bit += 1
        if bit == 8:
            byte, bit = byte + (1 if low_first else -1), 0


def counts(seen: Seen, bits: tuple[int, ...]) -> Counted | None:
    """Return how a run of bits counts, None if it does not."""
    raw = seen.raw(bits)
    steps = np.diff(raw)[seen.follows[1:]]
    whole, jump = 1 << len(bits), _jump(steps)
    best: Counted | None = None
    for wrap in dict.fromkeys((whole, int(raw.max()) + 1, jump)):
        if not int(raw.max()) < wrap <= whole:
            continue
        values, times = np.unique(steps % wrap, return_counts=True)
        step = int(values[np.argmax(times)])
        agrees, apart = int(times.max()), int(np.gcd(step, wrap))
        signed = step if step * 2 <= wrap else step - wrap
        wraps = int((steps == signed - np.sign(signed) * wrap).sum())
        # of a wrap that was never seen only that of all bits is likely
        if not step or (not wraps and wrap != whole):
            continue
        if agrees < _LEAST_SHARE * len(steps):
            continue
        # what goes to and fro between two or three values falls back by the same each time as well
        if apart != 1 and (wrap != jump or wrap // apart < _LEAST_VALUES):
            continue
        if _uses_all(raw, wrap // apart) and (best is None or agrees > best.agrees):
            best = Counted(bits, signed, wrap, agrees, len(steps) - agrees, wraps)
    return best


def _jump(steps: NDArray[np.int64]) -> int:
    """Return where what goes on in even steps begins again, by how far it falls back then; 0 if it does not.

    What is reset once falls back as well: only what falls back as far a second time shows where it does.
    """
    values, times = np.unique(steps, return_counts=True)
    step = int(values[np.argmax(times)]) if len(values) else 0
    is_back = np.sign(values) == -np.sign(step)
    if not is_back.any() or int(times[is_back].max()) < _LEAST_FALLS:
        return 0
    return abs(step - int(values[is_back][np.argmax(times[is_back])]))


def _uses_all(raw: NDArray[np.int64], count: int) -> bool:
    """Return whether nearly all of so many values come, as far as there are frames for it."""
    return len(np.unique(raw)) >= 0.8 * min(count, len(raw) * 0.8)


def _said(one: Counted, seen: Seen) -> Said:
    total = one.agrees + one.against
    by = f"goes {'up' if one.step > 0 else 'down'} by {abs(one.step)}"
    values = grouped(one.wraps_at // int(np.gcd(one.step, one.wraps_at)))
    again = (
        f" and begins again after {values} values" if one.wraps
        else f"; they end before it begins again, at the latest after {values} values"
    )  # fmt: skip
    reason = f"It {by} from frame to frame in {share_words(one.agrees, total)}{again}."
    # each pair that agrees by chance would do so once in as many cases as there are values
    sure = min(one.agrees * np.log2(one.wraps_at) / 60, 1.0)
    return Said(
        kind="counter", bits=one.bits, parameters={"step": one.step, "wraps_at": one.wraps_at}, frames=one.agrees,
        against=one.against, confidence=0.6 + 0.39 * sure * one.agrees / total, reason=reason,
    )  # fmt: skip


__all__ = ["Counted", "count_of", "counters", "counts"]
