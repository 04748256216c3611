"""Manchester words drawn: a sync that breaks the rule, bits that change in their middle, a parity.

A frame without a standard is words that touch, the first with the sync that its address says, the others with the
last one. With MIL-STD-1553B (4.3.3) a request is a command with its data, an answer a status with its data.
"""

from __future__ import annotations

from collections.abc import Sequence

from ...frames import flags as F
from ...lines.manchester import ManchesterLine
from ..drawing import Drawing
from ..errors import DrawError
from ..parts import DrawnFrame
from ..registry import Draws

HALF_BIT_US = 10.0
_HALF_BIT_1553_US = 0.5
_PAUSE_HALVES = 8
_Word = tuple[int, int]


def draw(settings: ManchesterLine, frames: Sequence[DrawnFrame]) -> Drawing:
    """Return ``line`` with three levels, or ``line`` and ``minus`` where the recipe has two wires."""
    usual = _HALF_BIT_1553_US if settings.standard else HALF_BIT_US
    half_ns = (settings.half_bit_us or usual) * 1000
    wires = Drawing(line=0, minus=0)
    for frame in frames:
        wires.begin_at(frame.time_ns, frame.words, rest_ns=_PAUSE_HALVES * half_ns / 2 if wires.now_ns else 0)
        words = _words_1553(frame) if settings.standard else _words(settings, frame)
        for place, (sync, value) in enumerate(words):
            fault = frame.flags if place == len(words) - 1 else 0
            for level in _halves(settings, sync, value, fault):
                if settings.minus:
                    wires.set(line=int(level > 0), minus=int(level < 0))
                else:
                    wires.set(line=level)
                wires.wait(half_ns)
        wires.set(line=0, minus=0)
    wires.wait(40 * half_ns)
    return wires


def _words(settings: ManchesterLine, frame: DrawnFrame) -> list[_Word]:
    size = -(-settings.word_bits // 8)
    if len(frame.payload) % size:
        raise DrawError(f"its payload is no whole words of {settings.word_bits} bits.", where=frame.words)
    first, last = frame.address >> 10, len(settings.syncs) - 1
    if first > last:
        raise DrawError(f"there is no sync {first}.", where=frame.words)
    values = [int.from_bytes(frame.payload[at : at + size], "big") for at in range(0, len(frame.payload), size)]
    return [(first if not place else last, value) for place, value in enumerate(values)]


def _words_1553(frame: DrawnFrame) -> list[_Word]:
    data = [int.from_bytes(frame.payload[at : at + 2], "big") for at in range(0, len(frame.payload), 2)]
    terminal, sub = frame.address >> 5, frame.address & 31
    if frame.has(F.ANSWER):
        return [(0, data[0] if data else terminal << 11), *((1, word) for word in data[1:])]
    # a command says how many words follow it, or come back; 32 is written 0
    count = len(data) if not frame.has(F.READ) else 1
    return [(0, terminal << 11 | (0x400 if frame.has(F.READ) else 0) | sub << 5 | count & 31),
            *((1, word) for word in data)]  # fmt: skip


def _halves(settings: ManchesterLine, sync: int, value: int, fault: int) -> list[int]:
    levels = [1 if half == "1" else -1 for half in settings.syncs[sync]]
    bits = [value >> (settings.word_bits - 1 - n) & 1 for n in range(settings.word_bits)]
    if settings.parity != "none":
        bits.append((sum(bits) + (settings.parity == "odd") + (1 if fault & F.PARITY else 0)) % 2)
    for bit in bits:
        levels += (1, -1) if bit == (1 if settings.one == "fall" else 0) else (-1, 1)
    return levels


DRAWS = Draws(ManchesterLine, draw)
