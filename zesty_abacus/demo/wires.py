"""Draws the wires of the simulated devices: levels and how long each lasts, sample by sample where they are analog."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

import numpy as np
import scipy  # its parts load on first use, which spares every start a second
from numpy.typing import NDArray

from ..core.draw.codes.i2c import put_byte
from ..core.draw.drawing import Drawing


def analog(
    drawing: Drawing, name: str, count: int, rate_hz: float, rise_ns: float, low: float, high: float, noise: float,
    random: np.random.Generator,
) -> NDArray[np.float64]:  # fmt: skip
    """Sample a line as a probe sees it: rounded flanks, noise; levels -1, 0, 1 lie evenly between low and high."""
    over = 4
    times = np.arange(count * over) * (1e9 / rate_hz / over)
    level = drawing.levels_at(name, times).astype(np.float64)
    bipolar = bool((level < 0).any())
    target = low + (level + 1) / 2 * (high - low) if bipolar else low + level * (high - low)
    # a time constant that takes rise_ns from one tenth to nine tenths
    pull = 1 - np.exp(-(1e9 / rate_hz / over) / max(rise_ns / 2.197, 1e-9))
    rounded, _ = scipy.signal.lfilter([pull], [1, pull - 1], target, zi=[target[0] * (1 - pull)])
    return rounded[::over] + random.normal(0, noise, count)


def send_i2c(wires: Drawing, half_ns: float, address: int, read: bool, data: Iterable[tuple[int, bool]], *,
             taken: bool = True, again: bool = False) -> None:  # fmt: skip
    """Draw an I2C transfer up to its last acknowledge; ``again`` begins without a stop before it."""
    if again:
        wires.set(data=1)
        wires.wait(half_ns)
        wires.set(clock=1)
        wires.wait(half_ns)
    wires.set(data=0)
    wires.wait(half_ns)
    wires.set(clock=0)
    for byte, acknowledged in [(address << 1 | read, taken), *data]:
        put_byte(wires, half_ns, byte, acknowledged)


def send_spi(wires: Drawing, half_ns: float, out: Sequence[int], back: Sequence[int], bits: int | None = None) -> None:
    """Draw an SPI transfer in mode 1: the clock rests low, data change on its rise and are taken on its fall."""
    wires.set(select=0)
    wires.wait(half_ns * 2)
    pairs = [(o >> (7 - n) & 1, b >> (7 - n) & 1) for o, b in zip(out, back, strict=True) for n in range(8)]
    for one, other in pairs[:bits]:
        wires.set(clock=1, to_cell=one, from_cell=other)
        wires.wait(half_ns)
        wires.set(clock=0)
        wires.wait(half_ns)
    wires.wait(half_ns)
    wires.set(select=1)


def send_characters(wires: Drawing, bit_ns: float, data: bytes, line: str) -> None:
    """Draw characters of eight bits with even parity and one stop bit."""
    for value in data:
        bits = [value >> n & 1 for n in range(8)]
        for bit in [0, *bits, sum(bits) % 2, 1]:
            wires.set(**{line: bit})
            wires.wait(bit_ns)


def send_manchester(wires: Drawing, half_ns: float, sync: str, value: int, line: str) -> None:
    """Draw a word of 16 bits with odd parity; a 1 falls in its middle."""
    for half in sync:
        wires.set(**{line: 1 if half == "1" else -1})
        wires.wait(half_ns)
    bits = [value >> (15 - n) & 1 for n in range(16)]
    for bit in [*bits, (sum(bits) + 1) % 2]:
        for level in (1, -1) if bit else (-1, 1):
            wires.set(**{line: level})
            wires.wait(half_ns)


def hdlc_bits(payload: bytes, flags_before: int, check: int | None = None) -> list[int]:
    """Return the bits of an HDLC frame between flags, stuffed, before they are turned into changes."""
    crc = 0xFFFF
    for byte in payload:
        crc ^= byte
        for _ in range(8):
            crc = crc >> 1 ^ 0x8408 if crc & 1 else crc >> 1
    crc = crc ^ 0xFFFF if check is None else check
    flag = [0, 1, 1, 1, 1, 1, 1, 0]
    bits = flag * flags_before
    ones = 0
    for byte in [*payload, crc & 0xFF, crc >> 8]:
        for n in range(8):
            bit = byte >> n & 1
            bits.append(bit)
            ones = ones + 1 if bit else 0
            if ones == 5:
                bits.append(0)
                ones = 0
    return [*bits, *flag, *flag]


def changes_of(bits: Sequence[int]) -> list[int]:
    """Return levels of bits sent as changes: a 0 changes the level, a 1 leaves it."""
    level, levels = 1, []
    for bit in bits:
        level = level if bit else 1 - level
        levels.append(level)
    return levels


__all__ = [
    "Drawing", "analog", "changes_of", "hdlc_bits", "send_characters", "send_i2c", "send_manchester", "send_spi",
]  # fmt: skip
