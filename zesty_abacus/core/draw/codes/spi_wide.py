"""SPI drawn whose data lines work together: a command on the first one, then all of them, a wait, and the answer."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ...lines.spi_wide import WideSpiLine
from ..drawing import Drawing
from ..parts import DrawnFrame, fitting_half_ns
from ..registry import Draws
from .spi import PAUSE_CLOCKS, RATE, transfers_of

_DEFAULT_MODE = 0


def draw(settings: WideSpiLine, frames: Sequence[DrawnFrame]) -> Drawing:
    """Return ``clock``, ``select`` and the data lines; frames of one moment are one transfer."""
    lines = 4 if settings.data_2 and settings.data_3 else 2
    half_ns = fitting_half_ns(frames, lambda one: 16.0 * len(one.payload) + settings.wait_clocks + 12, 5e8 / RATE)
    mode = _DEFAULT_MODE if settings.mode is None else settings.mode
    rest, second = mode >> 1, mode & 1
    idle = 1 if settings.select_low else 0
    wires = Drawing(clock=rest, select=idle, **{f"data_{line}": 0 for line in range(lines)})
    for one, out, back in transfers_of(frames):
        begin_ns = one.time_ns if settings.select else one.time_ns - (0 if second else half_ns)
        wires.begin_at(begin_ns, one.words, rest_ns=2 * half_ns if settings.select else PAUSE_CLOCKS * half_ns)
        wires.set(select=1 - idle)
        if settings.select:
            wires.wait(2 * half_ns)
        for levels in _clocks(settings, lines, out, back):
            put = {f"data_{line}": level for line, level in enumerate(levels)}
            wires.set(clock=1 - rest if second else rest, **put)
            wires.wait(half_ns)
            wires.set(clock=rest if second else 1 - rest)
            wires.wait(half_ns)
            wires.set(clock=rest)
        wires.wait(2 * half_ns)
        wires.set(select=idle)
        wires.wait(2 * half_ns)
    wires.wait(4 * PAUSE_CLOCKS * half_ns)
    return wires


def _clocks(settings: WideSpiLine, lines: int, out: bytes, back: bytes) -> Iterator[tuple[int, ...]]:
    """Yield the levels of all data lines, a clock after another."""
    goes_wide = bytes.fromhex(settings.wide_commands)
    if settings.single_bytes and goes_wide and out[:1] not in [bytes([one]) for one in goes_wide]:
        size = max(len(out), len(back))
        for first, second in zip(out.ljust(size, b"\0"), back.ljust(size, b"\0"), strict=True):
            for place in range(7, -1, -1):
                yield first >> place & 1, second >> place & 1, *[0] * (lines - 2)
        return
    for byte in out[: settings.single_bytes]:
        yield from ((byte >> place & 1, *[0] * (lines - 1)) for place in range(7, -1, -1))
    yield from _wide(out[settings.single_bytes :], lines)
    if back:
        yield from ((0,) * lines for _ in range(settings.wait_clocks))
        yield from _wide(back, lines)


def _wide(data: bytes, lines: int) -> Iterator[tuple[int, ...]]:
    """Yield bytes on all lines, of which the last one has the highest bit."""
    for byte in data:
        for low in range(8 - lines, -1, -lines):
            yield tuple(byte >> low + line & 1 for line in range(lines))


DRAWS = Draws(WideSpiLine, draw)
