"""I2C drawn (NXP UM10204): start, address, bytes with their acknowledge, stop."""

from __future__ import annotations

from collections.abc import Sequence

from ...frames import flags as F
from ...lines.i2c import I2cLine
from ..drawing import Drawing
from ..parts import DrawnFrame, fitting_half_ns
from ..registry import Draws

RATE = 100_000.0
_LONG = 0b11110


def draw(settings: I2cLine, frames: Sequence[DrawnFrame]) -> Drawing:
    """Return clock and data."""
    half_ns = fitting_half_ns(frames, _halves, 5e8 / RATE)
    wires = Drawing(clock=1, data=1)
    for frame in frames:
        wires.begin_at(frame.time_ns, frame.words, rest_ns=half_ns)
        read = frame.has(F.READ)
        refused = frame.has(F.REFUSED)
        wires.set(data=0)
        wires.wait(half_ns)
        wires.set(clock=0)
        head = _head(frame, read)
        for place, byte in enumerate(head):
            put_byte(wires, half_ns, byte, not (refused and not frame.payload and place == len(head) - 1))
        for place, byte in enumerate(frame.payload):
            last = place == len(frame.payload) - 1
            # a reader refuses the last byte it wants; a device that is written to refuses what it does not take
            put_byte(wires, half_ns, byte, not (last and (read or refused)))
        put_stop(wires, half_ns)
    wires.wait(20 * half_ns)
    return wires


def _halves(frame: DrawnFrame) -> float:
    """Return how many half clocks a transfer takes, from its start to the rest behind its stop."""
    head = 2 if frame.has(F.EXTENDED) else 1
    return 2.0 + (head + len(frame.payload)) * 9 * 2 + 6


def _head(frame: DrawnFrame, read: bool) -> list[int]:
    if not frame.has(F.EXTENDED):
        return [frame.address << 1 & 0xFE | read]
    first = _LONG << 3 | frame.address >> 8 << 1
    return [first | read] if read else [first, frame.address & 0xFF]


def put_byte(wires: Drawing, half_ns: float, byte: int, taken: bool) -> None:
    """Draw eight bits, and a ninth that takes them or does not; the clock is low before and after."""
    for bit in (*(byte >> (7 - n) & 1 for n in range(8)), 0 if taken else 1):
        wires.wait(half_ns / 2)
        wires.set(data=bit)
        wires.wait(half_ns / 2)
        wires.set(clock=1)
        wires.wait(half_ns)
        wires.set(clock=0)


def put_stop(wires: Drawing, half_ns: float) -> None:
    """Draw a stop, from a low clock on."""
    wires.wait(half_ns / 2)
    wires.set(data=0)
    wires.wait(half_ns)
    wires.set(clock=1)
    wires.wait(half_ns)
    wires.set(data=1)
    wires.wait(half_ns)


DRAWS = Draws(I2cLine, draw)
