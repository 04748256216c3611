"""CAN drawn (ISO 11898-1): classic frames with stuffing, CRC and acknowledge; the line rests at 1."""

from __future__ import annotations

from collections.abc import Sequence

from ...frames import flags as F
from ...lines.can_wave import CanLine
from ..drawing import Drawing
from ..errors import DrawError
from ..parts import DrawnFrame
from ..registry import Draws

RATE = 500_000.0
_POLYNOMIAL = 0x4599
_END_BITS, _PAUSE_BITS = 7, 3


def draw(settings: CanLine, frames: Sequence[DrawnFrame]) -> Drawing:
    """Return the line; error frames and frames with flexible data rate are refused."""
    bit_ns = 1e9 / (settings.rate or RATE)
    turned = 1 if settings.inverted else 0
    line = Drawing(line=1 ^ turned)
    for frame in frames:
        if frame.flags & (F.ERROR | F.LONG):
            raise DrawError("only classic data and remote frames are drawn.", where=frame.words)
        line.begin_at(frame.time_ns, frame.words)
        for bit in frame_bits(frame):
            line.set(line=bit ^ turned)
            line.wait(bit_ns)
    line.wait(30 * bit_ns)
    return line


def frame_bits(frame: DrawnFrame) -> list[int]:
    """Return the bits of a frame from its start bit to the pause behind it."""
    remote = int(frame.has(F.REMOTE))
    if frame.has(F.EXTENDED):
        bits = [0, *_number(frame.address >> 18, 11), 1, 1, *_number(frame.address & 0x3FFFF, 18), remote, 0, 0]
    else:
        bits = [0, *_number(frame.address, 11), remote, 0, 0]
    bits += _number(len(frame.payload), 4)
    for byte in frame.payload:
        bits += _number(byte, 8)
    crc = 0
    for bit in bits:
        crc = (crc << 1 ^ (_POLYNOMIAL if bit ^ (crc >> 14 & 1) else 0)) & 0x7FFF
    bits += _number(crc ^ (1 if frame.has(F.BAD_CHECK) else 0), 15)
    acknowledge = 1 if frame.has(F.REFUSED) else 0
    return [*_stuffed(bits), 1, acknowledge, 1, *[1] * (_END_BITS + _PAUSE_BITS)]


def _number(value: int, bits: int) -> list[int]:
    return [value >> (bits - 1 - n) & 1 for n in range(bits)]


def _stuffed(bits: Sequence[int]) -> list[int]:
    made: list[int] = []
    run, last = 0, -1
    for bit in bits:
        run = run + 1 if bit == last else 1
        made.append(bit)
        last = bit
        if run == 5:
            last, run = 1 - bit, 1
            made.append(last)
    return made


DRAWS = Draws(CanLine, draw)
