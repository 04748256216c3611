"""SPI drawn whose data lines work together: a command on the first one, then all of them, a wait, and the answer."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ...lines.spi_wide import WideSpiLine
from ..drawing import Drawing
from ..parts import DrawnFrame, fitting_half_ns
from ..registry import Draws
from .spi import RATE, draw_transfers


def draw(settings: WideSpiLine, frames: Sequence[DrawnFrame]) -> Drawing:
    """Return ``clock``, ``select`` and the data lines; frames of one moment are one transfer."""
    names = tuple(f"data_{line}" for line in range(4 if settings.data_2 and settings.data_3 else 2))
    half_ns = fitting_half_ns(frames, lambda one: 16.0 * len(one.payload) + settings.wait_clocks + 12, 5e8 / RATE)

    def clocks(out: bytes, back: bytes) -> Iterator[dict[str, int]]:
        return (dict(zip(names, levels, strict=True)) for levels in _clocks(settings, len(names), out, back))

    return draw_transfers(settings, frames, half_ns, names, clocks)


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
