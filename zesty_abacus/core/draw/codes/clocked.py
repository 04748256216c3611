"""Clocked bursts drawn: data bits, an acknowledge, and a pause between bursts and a longer one between frames."""

from __future__ import annotations

from collections.abc import Sequence

from ...frames import flags as F
from ...lines.clocked import ClockedLine
from ..drawing import Drawing
from ..parts import DrawnFrame
from ..registry import Draws

RATE = 10_000.0
_BURST_GAP_CLOCKS = 4
_MORE_CLOCKS = 4


def draw(settings: ClockedLine, frames: Sequence[DrawnFrame]) -> Drawing:
    """Return ``clock``, ``data`` and ``request``."""
    half_ns = 5e8 / RATE
    rest = 0 if settings.on_rise else 1
    gap_ns = (settings.burst_gap_us or 0) * 1500 or _BURST_GAP_CLOCKS * 2 * half_ns
    frame_gap_ns = (settings.frame_gap_us or 0) * 1200 or 10 * gap_ns
    wires = Drawing(clock=rest, data=1, request=1)
    size = -(-settings.bits // 8)
    for number, frame in enumerate(frames):
        # the time of a frame is that of its first clock
        wires.begin_at(frame.time_ns - half_ns, frame.words, rest_ns=frame_gap_ns if number else 0)
        wires.set(request=0 if frame.address == 1 else 1)
        for at in range(0, len(frame.payload), size):
            if at:
                wires.wait(gap_ns)
            value = int.from_bytes(frame.payload[at : at + size], "big")
            places = range(settings.bits) if settings.low_bit_first else reversed(range(settings.bits))
            bits = [value >> place & 1 for place in places]
            if settings.acknowledge:
                last = at + size >= len(frame.payload)
                # further clocks finish the work of the receiver, which holds its line until the last one
                bits += [0] * (_MORE_CLOCKS if settings.at_last_clock else 0)
                bits.append(1 if last and frame.has(F.REFUSED) else 0)
            for bit in bits:
                wires.set(data=bit)
                wires.wait(half_ns)
                wires.set(clock=1 - rest)
                wires.wait(half_ns)
                wires.set(clock=rest)
        wires.set(request=1, data=1)
    wires.wait(frame_gap_ns + 10 * gap_ns)
    return wires


DRAWS = Draws(ClockedLine, draw)
