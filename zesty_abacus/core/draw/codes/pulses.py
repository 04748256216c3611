"""Pulse trains drawn: bits in the width of pulses, in their distance, in Manchester halves, in changes, or plain."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ...lines.pulse_bits import CODINGS
from ...lines.pulses import PulseLine
from ...lines.unscramble import taps_of
from ..drawing import Drawing
from ..errors import DrawError
from ..parts import Burst
from ..registry import Draws

UNIT_US = 400.0
_LONG = 3
"""A long symbol lasts so many short ones; decoders tell them apart by what lies between."""
_GAP_UNITS = 30
_ENDLESS_US = 1e6
_CODING = "width"
_Stretch = tuple[int, float]


def draw(settings: PulseLine, bursts: Sequence[Burst]) -> Drawing:
    """Return the line; repeats of a burst follow each other after a pause."""
    unit_ns = (settings.unit_us or UNIT_US) * 1000
    gap_ns = _gap_ns(settings)
    coding = settings.coding or _CODING
    if coding not in CODINGS:
        raise DrawError(f"there is no coding {coding!r}.")
    rest = 1 if settings.inverted else 0
    line = Drawing(line=rest)
    for number, burst in enumerate(bursts):
        line.begin_at(burst.time_ns, burst.words, rest_ns=gap_ns if number else 0)
        bits = scrambled(burst.bits, taps_of(settings.scrambler))
        for time in range(burst.repeats):
            if time:
                line.wait(gap_ns)
            for level, units in _stretches(coding, settings, bits):
                line.set(line=level ^ rest)
                line.wait(units * unit_ns)
            line.set(line=rest)
    line.wait(3 * gap_ns)
    return line


def _gap_ns(settings: PulseLine) -> float:
    """Return the silence that ends a burst; a recipe whose bursts never end has its own gap of hours."""
    unit_ns = (settings.unit_us or UNIT_US) * 1000
    known = settings.burst_gap_us and settings.burst_gap_us < _ENDLESS_US
    return settings.burst_gap_us * 1500 if known and settings.burst_gap_us else _GAP_UNITS * unit_ns


def _stretches(coding: str, settings: PulseLine, bits: Sequence[int]) -> Iterator[_Stretch]:
    if coding == "width":
        for bit in bits:
            width = _LONG if bool(bit) == settings.one_is_long else 1
            yield 1, width
            yield 0, _LONG + 1 - width
    elif coding == "distance":
        for bit in bits:
            yield 1, 1
            yield 0, _LONG if bool(bit) == settings.one_is_long else 1
        # the last space ends with a pulse, else it could not be told from the pause
        yield 1, 1
    elif coding == "manchester":
        for bit in bits:
            rises = bool(bit) == settings.one_is_long
            yield (0 if rises else 1), 1
            yield (1 if rises else 0), 1
    elif coding == "biphase":
        level = 0
        for bit in bits:
            for units in (2,) if bool(bit) == settings.one_is_long else (1, 1):
                level = 1 - level
                yield level, units
    else:
        level = 0
        for bit in bits:
            if settings.transitions:
                level = level if bit else 1 - level
            else:
                level = 1 if bool(bit) == settings.one_is_long else 0
            yield level, 1


def scrambled(bits: Sequence[int], taps: tuple[int, ...]) -> tuple[int, ...]:
    """Return bits behind a scrambler that synchronises itself: each is added to those that its taps sent before."""
    if not taps:
        return tuple(bits)
    sent: list[int] = []
    for bit in bits:
        for tap in taps:
            bit ^= sent[-tap] if len(sent) >= tap else 0
        sent.append(bit)
    return tuple(sent)


DRAWS = Draws(PulseLine, draw, lambda settings: 2 * _gap_ns(settings))
