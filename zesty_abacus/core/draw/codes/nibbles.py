"""Half bytes drawn as distances of falling edges (SAE J2716)."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ...frames import flags as F
from ...lines.nibbles import CHECKS, LEAST_TICKS, MOST_NIBBLES, SYNC_TICKS, NibbleLine, crc_of
from ..drawing import Drawing
from ..errors import DrawError
from ..parts import DrawnFrame
from ..registry import Draws

TICK_US = 3.0
_LOW_TICKS = 5
"""How long the line is held low at the beginning of each distance; the standard asks for more than four ticks."""


def draw(settings: NibbleLine, frames: Sequence[DrawnFrame]) -> Drawing:
    """Return ``line``; frames have a status and as many half bytes as the recipe says, or as their bytes hold."""
    tick_ns = (settings.tick_us or TICK_US) * 1000
    wires = Drawing(line=1)
    for frame in frames:
        wires.begin_at(frame.time_ns, frame.words)
        for ticks in _distances(settings, frame):
            wires.set(line=0)
            wires.wait(_LOW_TICKS * tick_ns)
            wires.set(line=1)
            wires.wait((ticks - _LOW_TICKS) * tick_ns)
        # the last distance ends with a fall, which begins a pause
        wires.set(line=0)
        wires.wait(_LOW_TICKS * tick_ns)
        wires.set(line=1)
    wires.wait(2 * SYNC_TICKS * tick_ns)
    return wires


def _distances(settings: NibbleLine, frame: DrawnFrame) -> list[int]:
    """Return the ticks from fall to fall."""
    nibbles = [half for octet in frame.payload for half in (octet >> 4, octet & 15)]
    if settings.nibbles:
        nibbles = nibbles[: settings.nibbles + 1]
    if not 2 <= len(nibbles) <= MOST_NIBBLES + 1:
        raise DrawError(f"a frame holds a status and 1 to {MOST_NIBBLES} half bytes.", where=frame.words)
    check = int(crc_of(np.array([nibbles[1:]], np.int64), settings.check or CHECKS[0])[0])
    check ^= 1 if frame.has(F.BAD_CHECK) else 0
    return [SYNC_TICKS, *(LEAST_TICKS + value for value in (*nibbles, check))]


DRAWS = Draws(NibbleLine, draw)
