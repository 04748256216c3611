"""SPI drawn: select, clock and one or two data lines, in any of the four modes."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence

from ...lines.spi import SpiLine
from ...lines.spi_wide import WideSpiLine
from ..drawing import Drawing
from ..errors import DrawError
from ..parts import DrawnFrame, fitting_half_ns
from ..registry import Draws

RATE = 1_000_000.0
_DEFAULT_MODE = 0
_PAUSE_CLOCKS = 20.0


def draw(settings: SpiLine, frames: Sequence[DrawnFrame]) -> Drawing:
    """Return ``clock``, ``to_device``, ``from_device`` and ``select``; frames of one moment are one transfer."""
    pause = 8.0 if settings.select else _PAUSE_CLOCKS + 4
    half_ns = fitting_half_ns(frames, lambda one: len(_bits(settings, one.payload)) * 2 + pause, 5e8 / RATE)

    def clocks(out: bytes, back: bytes) -> Iterator[dict[str, int]]:
        # a line that says nothing stays low
        size = max(len(out), len(back))
        pairs = zip(_bits(settings, out.ljust(size, b"\0")), _bits(settings, back.ljust(size, b"\0")), strict=True)
        return ({"to_device": bit_out, "from_device": bit_back} for bit_out, bit_back in pairs)

    return draw_transfers(settings, frames, half_ns, ("to_device", "from_device"), clocks)


def draw_transfers(
    settings: SpiLine | WideSpiLine, frames: Sequence[DrawnFrame], half_ns: float, names: Sequence[str],
    clocks: Callable[[bytes, bytes], Iterable[dict[str, int]]],
) -> Drawing:  # fmt: skip
    """Return clock, select and the named data lines.

    Parameters
    ----------
    clocks
        Gives the levels of the data lines clock by clock, of what goes out and what comes back in a transfer.
    """
    mode = _DEFAULT_MODE if settings.mode is None else settings.mode
    rest, second = mode >> 1, mode & 1
    idle = 1 if settings.select_low else 0
    wires = Drawing(clock=rest, select=idle, **dict.fromkeys(names, 0))
    for one, out, back in _transfers(frames):
        if settings.select:
            wires.begin_at(one.time_ns, one.words, rest_ns=2 * half_ns)
            wires.set(select=1 - idle)
            wires.wait(2 * half_ns)
        else:
            # only the pause tells where a transfer begins, and its first clock is its time
            before = 0.0 if second else half_ns
            wires.begin_at(one.time_ns - before, one.words, rest_ns=_PAUSE_CLOCKS * half_ns)
        for levels in clocks(out, back):
            wires.set(clock=1 - rest if second else rest, **levels)
            wires.wait(half_ns)
            wires.set(clock=rest if second else 1 - rest)
            wires.wait(half_ns)
            wires.set(clock=rest)
        wires.wait(2 * half_ns)
        wires.set(select=idle)
        wires.wait(2 * half_ns)
    wires.wait(4 * _PAUSE_CLOCKS * half_ns)
    return wires


def _transfers(frames: Sequence[DrawnFrame]) -> list[tuple[DrawnFrame, bytes, bytes]]:
    """Return transfers with what goes out and what comes back."""
    found: dict[float, dict[int, DrawnFrame]] = {}
    for frame in frames:
        ways = found.setdefault(frame.time_ns, {})
        if frame.address in ways:
            raise DrawError("two frames of one line begin at one moment.", where=frame.words)
        ways[frame.address] = frame
    made = []
    for ways in found.values():
        out, back = (ways[n].payload if n in ways else b"" for n in (0, 1))
        made.append((next(iter(ways.values())), out, back))
    return made


def _bits(settings: SpiLine, data: bytes) -> list[int]:
    """Return the bits of words as they go over the line; the bytes of a word stand highest first, padded at the top."""
    size = -(-settings.word_bits // 8)
    bits: list[int] = []
    for at in range(0, len(data), size):
        word = int.from_bytes(data[at : at + size], "big")
        places = range(settings.word_bits)
        bits += [word >> place & 1 for place in (places if settings.low_bit_first else reversed(places))]
    return bits


DRAWS = Draws(SpiLine, draw)
