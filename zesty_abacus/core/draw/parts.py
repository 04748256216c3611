"""What is drawn: frames, or what a framing takes apart to become bytes or bits of a line."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise

from ..frames.table import FrameTable

_SHORTEST_HALF_NS = 10.0
"""Times are whole nanoseconds; a clock of 50 MHz still has ten of them a half."""


@dataclass(frozen=True, slots=True)
class DrawnFrame:
    """A frame on its way to a line.

    Attributes
    ----------
    time_ns
        From the first moment of the drawing.
    address, flags, payload
        As frames have them.
    """

    time_ns: float
    address: int
    flags: int
    payload: bytes

    @property
    def words(self) -> str:
        """Return which frame it is, for a sentence."""
        return f"the frame {self.time_ns / 1e9:.6f} s from the first one, {self.payload[:8].hex(' ').upper()}"

    def has(self, flag: int) -> bool:
        """Whether it has a flag."""
        return bool(self.flags & flag)


@dataclass(frozen=True, slots=True)
class Telegram:
    """Bytes that follow each other on a line.

    Attributes
    ----------
    time_ns, words
        When they begin, and what they are.
    data
        Numbers of up to nine bits.
    flags
        ``PARITY`` and ``FRAMING`` turn that of the last character round.
    has_break
        Whether the first one is a break: the line held low.
    """

    time_ns: float
    data: tuple[int, ...]
    flags: int
    words: str
    has_break: bool = False


@dataclass(frozen=True, slots=True)
class Burst:
    """Bits that follow each other, with silence around them; ``repeats`` is how often they come."""

    time_ns: float
    bits: tuple[int, ...]
    words: str
    repeats: int = 1


Drawn = list[DrawnFrame] | list[Telegram] | list[Burst]


def frames_of(table: FrameTable, lead_ns: float) -> list[DrawnFrame]:
    """Return the frames of a table in order of time, the first one after a lead of silence."""
    if not len(table):
        return []
    order = table.time_ns.argsort(kind="stable")
    zero = int(table.time_ns[order[0]])
    return [
        DrawnFrame(
            float(int(table.time_ns[row]) - zero) + lead_ns, int(table.address[row]), int(table.flags[row]),
            table.payload_of(int(row)),
        )
        for row in order
    ]  # fmt: skip


def telegram_of(frame: DrawnFrame, data: bytes | None = None) -> Telegram:
    """Return a frame as bytes, its own if no others are given."""
    return Telegram(frame.time_ns, tuple(frame.payload if data is None else data), frame.flags, frame.words)


def bits_of(data: bytes, count: int) -> tuple[int, ...]:
    """Return the first bits of bytes, highest first."""
    return tuple(data[place // 8] >> (7 - place % 8) & 1 if place // 8 < len(data) else 0 for place in range(count))


def fitting_half_ns(frames: Sequence[DrawnFrame], halves: Callable[[DrawnFrame], float], usual_ns: float) -> float:
    """Return half a clock for which every frame is over when the next one begins: the usual one, or a shorter one.

    Parameters
    ----------
    halves
        Half clocks that a frame takes, with the rest behind it.
    """
    found = usual_ns
    for one, later in pairwise(frames):
        if later.time_ns > one.time_ns:
            found = min(found, (later.time_ns - one.time_ns) / halves(one))
    return max(found, _SHORTEST_HALF_NS)
