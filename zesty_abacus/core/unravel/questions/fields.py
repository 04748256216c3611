"""Bits that are values: numbers that move smoothly, states, flags; which bits belong together is weighed as a whole."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...words import grouped
from ..finding import Said, When
from ..seen import Seen
from ..tiling.costs import SIGNED, STATE
from ..tiling.tile import IMPOSSIBLE, Tile, tiles_of
from ..words import count_of
from .constants import runs_of

_MOST_NAMES = 16
_LEAST_NOISE, _LEAST_NOISY_BITS = 40, 3
_RESTLESS, _LEAST_NUMBER_BITS = 0.35, 8
_NOISE_CONFIDENCE = 0.4
_LEAST_SIZE_BITS, _LEAST_TURNS, _LEAST_FAR = 4, 3, 4


def fields(seen: Seen, free: NDArray[np.bool_], when: tuple[When, ...] = ()) -> list[Said]:
    """Return what free bits, bool (size * 8,), are best divided into."""
    tiles = tiles_of(seen, free)
    noise = _noise(seen, tiles)
    within = {bit for run in noise for bit in run}
    values = [tile for tile in tiles if not within & set(tile.bits)]
    signed = [one for tile in values if (one := _with_sign(seen, tile, values, when)) is not None]
    taken = {bit for one in signed for bit in one.bits}
    plain = [_said(seen, tile, when) for tile in values if not taken & set(tile.bits)]
    return plain + signed + [_said_noise(seen, run, when) for run in noise]


def _with_sign(seen: Seen, tile: Tile, beside: Sequence[Tile], when: tuple[When, ...]) -> Said | None:
    """Return a number with the next bit above it as its sign, None if that turns elsewhere than near zero."""
    if len(tile.bits) < _LEAST_SIZE_BITS or tile.shape in (SIGNED, STATE):
        return None
    top = tile.bits[0]
    above = range(top + 1, top // 8 * 8 + 8)
    # bits between that never move are high digits that were not needed
    sign = next((bit for bit in above if seen.moves[bit] or seen.raw((bit,))[0]), None)
    if sign is None or not any(one.bits == (sign,) for one in beside):
        return None
    size, is_negative = seen.raw(tile.bits), seen.raw((sign,))
    follows = seen.follows[1:]
    turns = np.flatnonzero((np.diff(is_negative) != 0) & follows)
    if len(turns) < _LEAST_TURNS:
        return None
    steps = np.abs(np.diff(size))[(np.diff(is_negative) == 0) & follows]
    near_zero = np.maximum(size[turns], size[turns + 1])
    # at most the largest step to either side of zero, and the number goes far beyond that
    most = 2 * int(steps.max(initial=0)) + 1
    if (near_zero > most).any() or size.max() < _LEAST_FAR * max(int(near_zero.max()), 1):
        return None
    reason = (
        f"The highest bit turns {count_of(len(turns), 'time')}, only where the number is at most "
        f"{grouped(int(near_zero.max()))}, while it goes up to {grouped(int(size.max()))}: its sign."
    )
    return Said(
        kind="field", bits=(*range(sign, top, -1), *tile.bits), parameters={"reading": "sign-magnitude"},
        frames=len(seen), when=when, confidence=min(0.5 + 0.08 * len(turns), 0.93), reason=reason,
    )  # fmt: skip


def _noise(seen: Seen, tiles: Sequence[Tile]) -> list[tuple[int, ...]]:
    """Return runs of bits of which each turns as if a coin was tossed, from the most significant.

    Bits of a check that was not solved, or of what is enciphered, have nothing to do with one another; as so many flags
    they would be told just as shortly, and as a number more shortly yet where frames are few. But nobody has flags like
    that, and of a number of some bits the highest rest.
    """
    pairs = int(seen.follows.sum())
    noisy = np.zeros(seen.size * 8, np.bool_)
    for tile in tiles if pairs >= _LEAST_NOISE else ():
        noisy[list(tile.bits)] = _is_noise(seen, tile, pairs)
    return [run for run in runs_of(noisy) if len(run) >= _LEAST_NOISY_BITS]


def _is_noise(seen: Seen, tile: Tile, pairs: int) -> bool:
    bits = list(tile.bits)
    if (seen.flips[bits] < _RESTLESS * pairs).any():
        return False
    if len(bits) == 1:
        return True
    own = np.zeros(seen.size * 8, np.bool_)
    own[bits] = True
    # what lies in several runs of which one is too short stays what it was
    is_told = all(len(run) >= _LEAST_NOISY_BITS for run in runs_of(own))
    return tile.shape != STATE and len(bits) >= _LEAST_NUMBER_BITS and is_told


def _said_noise(seen: Seen, bits: tuple[int, ...], when: tuple[When, ...]) -> Said:
    share = float(seen.flips[list(bits)].mean()) / max(int(seen.follows.sum()), 1)
    is_whole = len(bits) % 8 == 0 and bits[0] % 8 == 7
    return Said(
        kind="field", bits=bits, parameters={"reading": "bytes" if is_whole else "unsigned"}, frames=len(seen),
        when=when, confidence=_NOISE_CONFIDENCE,
        reason=f"Noise-like: each of its {len(bits)} bits turns in {share:.0%} of frames, whatever the others do.",
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Moved:
    """How a run of bits moved, in figures."""

    low: int
    high: int
    values: int
    changes: int
    single: int
    largest: int

    @classmethod
    def of(cls, seen: Seen, tile: Tile) -> _Moved:
        raw = seen.numbers(tile.bits, signed=tile.shape == SIGNED)
        steps = np.abs(np.diff(raw)[seen.follows[1:]])
        return cls(
            int(raw.min()), int(raw.max()), len(np.unique(raw)), int((steps > 0).sum()), int((steps == 1).sum()),
            int(steps.max(initial=0)),
        )  # fmt: skip


def _reading(tile: Tile, moved: _Moved, pairs: int) -> str:
    if len(tile.bits) == 1:
        return "flag"
    if tile.shape == STATE and moved.values <= _MOST_NAMES:
        return "names"
    rests = moved.changes <= 0.2 * max(pairs, 1)
    goes_by_ones = moved.single >= 0.9 * moved.changes and moved.values > 5
    is_few = moved.values <= 8 if len(tile.bits) <= 4 else moved.values <= 6 and moved.values < moved.high - moved.low
    if rests and is_few and not goes_by_ones:
        return "names"
    return "signed" if tile.shape == SIGNED else "unsigned"


def _said(seen: Seen, tile: Tile, when: tuple[When, ...]) -> Said:
    moved = _Moved.of(seen, tile)
    pairs = int(seen.follows.sum())
    reading = _reading(tile, moved, pairs)
    return Said(
        kind="field", bits=tile.bits, parameters={"reading": reading}, frames=len(seen), when=when,
        confidence=_confidence(tile, moved, len(seen)), reason=_reason(tile, moved, reading),
    )  # fmt: skip


def _confidence(tile: Tile, moved: _Moved, frames: int) -> float:
    """Return how sure it is that just these bits are a value: by how much every other division says more."""
    if moved.changes < 2:
        return 0.35
    sure = 1 - 0.5 ** (tile.margin / 6 + 0.2)
    return float(np.clip(0.2 + 0.78 * sure, 0, 0.98)) * (1 if frames >= 40 else 0.9)


def _reason(tile: Tile, moved: _Moved, reading: str) -> str:
    changes = count_of(moved.changes, "time")
    if reading == "flag":
        return f"The bit changes {changes}; {_otherwise(tile.margin)}."
    if reading == "names":
        return f"It takes {grouped(moved.values)} values and changes {changes}; {_otherwise(tile.margin)}."
    return (
        f"As one number it runs from {grouped(moved.low)} to {grouped(moved.high)} with steps of at most "
        f"{grouped(moved.largest)}; {_otherwise(tile.margin)}."
    )


def _otherwise(margin: float) -> str:
    if margin >= IMPOSSIBLE / 2:
        return "nothing beside it moves"
    number = max(round(margin), 0)
    if not number:
        return "other divisions of these bits are told as shortly"
    return (
        f"any other division of these bits takes {'1 bit' if number == 1 else f'{grouped(number)} bits'} more to tell"
    )
