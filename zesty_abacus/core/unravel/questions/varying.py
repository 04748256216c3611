"""What payloads that vary in length say of themselves: how long they are, a check at their end, items of one shape."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from ...frames.segment_frames import KindFrames
from ..finding import Said
from .arrays import arrays
from .ends import end_checks
from .lengths import lengths

_STRAY, _MOST_STRAYS = 0.002, 0.01
"""Share of the frames that are of one length, and of all that are of such lengths, for these to be strays."""


@dataclass(frozen=True, slots=True)
class Varying:
    """What is seen only in payloads of several lengths at once.

    Attributes
    ----------
    said
        Bits are those of a payload of the usual size.
    head
        Bytes at the beginning that are alike in payloads of all lengths, where items follow that differ in number; None
        where nothing is known of that.
    end_bytes
        Bytes of a check at the end.
    """

    said: tuple[Said, ...]
    head: int | None
    end_bytes: int

    def without(self, known: Sequence[Said]) -> Varying:
        """Return the same without what is known already."""
        return replace(self, said=tuple(one for one in self.said if one not in known))


def without_strays(frames: KindFrames) -> KindFrames:
    """Return the frames without the few of lengths that hardly any have, as of what was cut short on its way."""
    sizes, counts = np.unique(frames.sizes, return_counts=True)
    rare = sizes[counts < _STRAY * len(frames)]
    is_rare = np.isin(frames.sizes, rare)
    # where many lengths are rare they are no strays
    return frames if is_rare.mean() > _MOST_STRAYS else frames.take(np.flatnonzero(~is_rare))


def varying(frames: KindFrames) -> Varying:
    """Look at frames of one kind of all lengths."""
    told = lengths(frames)
    if not (frames.sizes != frames.sizes[0]).any():
        # most messages are of one length: nothing else is looked for
        return Varying(tuple(told), None, 0)
    ends = end_checks(frames)
    end_bytes = sum(len(one.bits) for one in ends) // 8
    items = arrays(frames, told, end_bytes)
    if items is None:
        return Varying((*told, *ends), None, end_bytes)
    return Varying((*items.said, *ends), items.head, end_bytes)
