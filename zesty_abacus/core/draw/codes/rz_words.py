"""Return-to-zero words drawn: a pulse up is a 1, a pulse down a 0, each half a bit long."""

from __future__ import annotations

from collections.abc import Sequence

from ...frames import flags as F
from ...lines.rz_words import RzLine
from ..drawing import Drawing
from ..parts import DrawnFrame, bits_of
from ..registry import Draws

BIT_US = 10.0
_PAUSE_BITS = 4


def draw(settings: RzLine, frames: Sequence[DrawnFrame]) -> Drawing:
    """Return ``line`` with three levels, or ``line`` and ``minus`` where the recipe has two wires."""
    bit_ns = (settings.bit_us or BIT_US) * 1000
    wires = Drawing(line=0, minus=0)
    for frame in frames:
        wires.begin_at(frame.time_ns, frame.words, rest_ns=2 * bit_ns if wires.now_ns else 0)
        count = settings.word_bits if not frame.has(F.FRAMING) else len(frame.payload) * 8
        for bit in bits_of(frame.payload, count):
            if settings.minus:
                wires.set(line=bit, minus=1 - bit)
            else:
                wires.set(line=1 if bit else -1)
            wires.wait(bit_ns / 2)
            wires.set(line=0, minus=0)
            wires.wait(bit_ns / 2)
    wires.wait(_PAUSE_BITS * 4 * bit_ns)
    return wires


DRAWS = Draws(RzLine, draw)
