"""UART drawn: start bit, data bits, parity, stop bits; a break is a character of zeros without a stop."""

from __future__ import annotations

from collections.abc import Sequence

from ...frames import flags as F
from ...lines.uart import UartLine
from ..drawing import Drawing
from ..parts import Telegram
from ..registry import Draws

RATE = 9600.0
"""Of a recipe that measures it."""
_BREAK_BITS = 13
_TAIL_BITS = 40


def draw(settings: UartLine, telegrams: Sequence[Telegram]) -> Drawing:
    """Return the line; it rests high, or low if the recipe turns it round."""
    bit_ns = 1e9 / (settings.rate or RATE)
    rest = 0 if settings.inverted else 1
    line = Drawing(line=rest)
    for one in telegrams:
        line.begin_at(one.time_ns, one.words)
        for place, value in enumerate(one.data):
            last = place == len(one.data) - 1
            if one.has_break and place == 0:
                _hold(line, 1 - rest, _BREAK_BITS * bit_ns)
                _hold(line, rest, 1.5 * bit_ns)
                continue
            for bit in _bits(settings, value, one.flags if last else 0):
                _hold(line, bit ^ (1 - rest), bit_ns)
            stop = rest if not (last and one.flags & F.FRAMING) else 1 - rest
            _hold(line, stop, settings.stop_bits * bit_ns)
            line.set(line=rest)
            if stop != rest:
                # the line has to rise before a start bit can be seen again
                line.wait(bit_ns)
    line.wait(_TAIL_BITS * bit_ns)
    return line


def _hold(line: Drawing, level: int, ns: float) -> None:
    line.set(line=level)
    line.wait(ns)


def _bits(settings: UartLine, value: int, flags: int) -> list[int]:
    bits = [value >> n & 1 for n in range(settings.data_bits)]
    if settings.high_bit_first:
        bits.reverse()
    parity = {"even": sum(bits) % 2, "odd": 1 - sum(bits) % 2, "mark": 1, "space": 0}.get(settings.parity)
    if parity is not None:
        bits.append(parity ^ (1 if flags & F.PARITY else 0))
    return [0, *bits]


DRAWS = Draws(UartLine, draw)
