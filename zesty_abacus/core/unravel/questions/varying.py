"""What payloads that vary in length say of themselves: how long they are, a check at their end, items of one shape."""

from __future__ import annotations

from dataclasses import dataclass

from ...frames.segment_frames import KindFrames
from ..finding import Said
from .arrays import arrays
from .ends import end_checks
from .lengths import lengths


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
    """

    said: tuple[Said, ...]
    head: int | None


def varying(frames: KindFrames) -> Varying:
    """Look at frames of one kind of all lengths."""
    told = lengths(frames)
    ends = end_checks(frames)
    items = arrays(frames, told, sum(len(one.bits) for one in ends) // 8)
    if items is None:
        return Varying((*told, *ends), None)
    return Varying((*items.said, *ends), items.head)
