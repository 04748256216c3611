"""Messages of one kind of which a type in front says what they hold, and so how long they are."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..frames.segment_frames import KindFrames
from .finding import Said, When
from .judge import judged_page
from .questions.constants import constants
from .questions.counters import counters
from .questions.selectors import MOST_PAGES
from .seen import Seen, raw_of
from .words import count_of, share_words

_LEAST_FRAMES, _LEAST_A_PAGE = 24, 4
_LEAST_SHARE = 0.99
"""In how many frames the type says the length; in others something was lost on the way."""
_MOST_HEAD = 8


@dataclass(frozen=True, slots=True, eq=False)
class Typed:
    """Bits that say what a message is.

    Attributes
    ----------
    bits
    raw : int64 (n,)
        Of each frame.
    sizes
        By raw value, how long the payload is.
    agrees
        In how many frames it is.
    """

    bits: tuple[int, ...]
    raw: NDArray[np.int64]
    sizes: dict[int, int]
    agrees: int


def typed(frames: KindFrames, free: NDArray[np.bool_]) -> Typed | None:
    """Return the bits that decide how long payloads are, None if none do.

    Parameters
    ----------
    free : bool (size * 8,)
        Of the bytes that all payloads have, bits that belong to nothing else.
    """
    if len(frames) < _LEAST_FRAMES or len(np.unique(frames.sizes)) < 2:
        return None
    found = [one for bits in _candidates(free) if (one := _typed_by(frames, bits)) is not None]
    # what has fewer values says no more than is needed; of runs that say the same the whole byte is meant
    return min(found, key=lambda one: (len(one.sizes), -len(one.bits), one.bits[-1]), default=None)


def _candidates(free: NDArray[np.bool_]) -> Iterator[tuple[int, ...]]:
    for byte in range(min(len(free) // 8, _MOST_HEAD)):
        for high, low in ((7, 0), (7, 4), (3, 0)):
            bits = tuple(range(byte * 8 + high, byte * 8 + low - 1, -1))
            if free[list(bits)].all():
                yield bits


def _typed_by(frames: KindFrames, bits: tuple[int, ...]) -> Typed | None:
    raw = raw_of(frames.matrix, bits).view(np.int64)
    values, counts = np.unique(raw, return_counts=True)
    often = values[counts >= _LEAST_A_PAGE]
    if not 2 <= len(often) <= MOST_PAGES:
        return None
    sizes, agrees = {}, 0
    for value in often.tolist():
        here, times = np.unique(frames.sizes[raw == value], return_counts=True)
        sizes[value] = int(here[times.argmax()])
        agrees += int(times.max())
    if agrees < _LEAST_SHARE * len(raw) or len(set(sizes.values())) < 2:
        return None
    return Typed(bits, raw, sizes, agrees)


def judged_by_type(
    frames: KindFrames, by: Typed, head: int, said: Sequence[Said], end_bytes: int, most: int
) -> list[Said]:
    """Return what is said of each type by itself, and of what stands in front of all.

    Parameters
    ----------
    head
        Bytes that all payloads have, without those at their end.
    said
        What was seen in payloads of all lengths; its bits are taken.
    end_bytes
        Bytes at the end that are taken.
    """
    heads = Seen.beginnings(frames, head, most)
    free = np.ones(head * 8, np.bool_)
    free[list(by.bits)] = False
    for one in said:
        free[[bit for bit in one.bits if bit < head * 8 and not one.places_text]] = False
    selector = _selector(by)
    found = [*said, selector]
    for one in counters(heads, free):
        free[list(one.bits)] = False
        found.append(one)
    # what never moves in front of the type is of the frame, behind it of what the type says
    in_front = free & ~heads.moves & (np.arange(head * 8) < (by.bits[0] // 8 + 1) * 8)
    found += constants(heads, in_front)
    under = free & ~in_front
    for value, size in by.sizes.items():
        page = Seen.of(frames.take(np.flatnonzero((by.raw == value) & (frames.sizes == size))), size, most)
        own = np.ones(size * 8, np.bool_)
        own[: head * 8] = under
        own[(size - end_bytes) * 8 :] = False
        found += judged_page(page, own, (When(selector.places, str(value)),))
    return found


def _selector(by: Typed) -> Said:
    lengths = ", ".join(f"{value} has {count_of(size, 'byte')}" for value, size in list(by.sizes.items())[:4])
    return Said(
        kind="selector", bits=by.bits, parameters={"values": sorted(by.sizes)}, frames=by.agrees,
        against=len(by.raw) - by.agrees, confidence=0.95 * by.agrees / len(by.raw),
        reason=f"Each of its {len(by.sizes)} values has one length in {share_words(by.agrees, len(by.raw), 'frame')}: "
        f"{lengths}{', …' if len(by.sizes) > 4 else ''}.",
    )  # fmt: skip
