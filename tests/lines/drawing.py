"""Draws waves bit by bit in plain Python: what a line should look like, told without the program's own code."""

from __future__ import annotations

import numpy as np

from zesty_abacus.core.waves.edges import Edges


def drawn(picture: str, tick_ns: int = 1000) -> Edges:
    """Return a line drawn with ``-`` high, ``_`` low, ``.`` below zero; a character is a tick."""
    levels = {"-": 1, "_": 0, ".": -1}
    values = [levels[character] for character in picture.replace(" ", "")]
    return from_levels([(value, tick_ns) for value in values])


def from_levels(parts: list[tuple[int, float]], begin_ns: int = 0) -> Edges:
    """Return a line made of (level, nanoseconds) one after another."""
    times, levels = [], []
    now = float(begin_ns)
    first = before = parts[0][0] if parts else 0
    for level, length in parts:
        if level != before:
            times.append(round(now))
            levels.append(level)
            before = level
        now += length
    return Edges(np.array(times, np.int64), np.array(levels, np.int8), first, begin_ns, round(now))


class Wires:
    """Several lines drawn side by side: set levels, let time pass."""

    def __init__(self, **levels: int) -> None:
        self.now = 0.0
        self.levels = dict(levels)
        self.parts: dict[str, list[tuple[int, float]]] = {name: [] for name in levels}

    def wait(self, ns: float, **levels: int) -> None:
        self.levels.update(levels)
        for name, level in self.levels.items():
            self.parts[name].append((level, ns))
        self.now += ns

    def edges(self) -> dict[str, Edges]:
        return {name: from_levels(parts) for name, parts in self.parts.items()}


def i2c_wires(transfers, half_ns: float = 5000, repeated=()) -> Wires:
    """Draw I2C: each transfer is a list of (byte, acknowledged); those named in ``repeated`` have no stop before."""
    wires = Wires(clock=1, data=1)
    wires.wait(half_ns * 4)
    for number, transfer in enumerate(transfers):
        if number in repeated:
            wires.wait(half_ns, data=1)
            wires.wait(half_ns, clock=1)
        wires.wait(half_ns, data=0)
        wires.wait(half_ns / 2, clock=0)
        for byte, taken in transfer:
            bits = [byte >> (7 - n) & 1 for n in range(8)] + [0 if taken else 1]
            for bit in bits:
                wires.wait(half_ns / 2, data=bit)
                wires.wait(half_ns, clock=1)
                wires.wait(half_ns / 2, clock=0)
        if number + 1 not in repeated:
            wires.wait(half_ns / 2, data=0)
            wires.wait(half_ns, clock=1)
            wires.wait(half_ns * 6, data=1)
    return wires


def spi_wires(transfers, mode: int, bits: int = 8, low_first: bool = False, half_ns: float = 500, select: bool = True):
    """Draw SPI: each transfer is a list of (word out, word in)."""
    rest, second = mode >> 1, mode & 1
    wires = Wires(clock=rest, out=0, back=0, select=1)
    wires.wait(half_ns * 10)
    for words in transfers:
        if select:
            wires.wait(half_ns, select=0)
        for out, back in words:
            for n in range(bits):
                place = n if low_first else bits - 1 - n
                levels = {"out": out >> place & 1, "back": back >> place & 1}
                if second:
                    wires.wait(half_ns, clock=1 - rest, **levels)
                    wires.wait(half_ns, clock=rest)
                else:
                    wires.wait(half_ns, clock=rest, **levels)
                    wires.wait(half_ns, clock=1 - rest)
        wires.wait(half_ns, clock=rest)
        if select:
            wires.wait(half_ns, select=1)
        wires.wait(half_ns * 40)
    return wires


def uart_parts(
    values, bit_ns: float, data_bits: int = 8, parity: str = "none", stop: float = 1.0, gap_bits: float = 0.0
):
    """Draw characters on a UART line."""
    parts = [(1, bit_ns * 12)]
    for value in values:
        bits = [value >> n & 1 for n in range(data_bits)]
        if parity in ("even", "odd"):
            bits.append((sum(bits) + (parity == "odd")) % 2)
        elif parity in ("mark", "space"):
            bits.append(1 if parity == "mark" else 0)
        parts += [(0, bit_ns), *((bit, bit_ns) for bit in bits), (1, bit_ns * (stop + gap_bits))]
    parts.append((1, bit_ns * 12))
    return parts


def can_bits(identifier: int, data: bytes, extended: bool = False, remote: bool = False, taken: bool = True,
             wrong_crc: int = 0) -> list[int]:  # fmt: skip
    """Return the bits of a CAN frame with stuffing, from the start bit to the third bit of rest."""

    def number(value: int, bits: int) -> list[int]:
        return [value >> (bits - 1 - n) & 1 for n in range(bits)]

    bits = [0]
    if extended:
        bits += [*number(identifier >> 18, 11), 1, 1, *number(identifier & 0x3FFFF, 18), int(remote), 0, 0]
    else:
        bits += [*number(identifier, 11), int(remote), 0, 0]
    bits += number(len(data), 4)
    for byte in b"" if remote else data:
        bits += number(byte, 8)
    crc = 0
    for bit in bits:
        # the polynomial of ISO 11898-1 as a long division
        crc <<= 1
        if bit ^ (crc >> 15 & 1):
            crc ^= 0x4599
        crc &= 0x7FFF
    bits += number(crc ^ wrong_crc, 15)
    stuffed: list[int] = []
    run = 0
    for bit in bits:
        run = run + 1 if stuffed and bit == stuffed[-1] else 1
        stuffed.append(bit)
        if run == 5:
            stuffed.append(1 - bit)
            run = 1
    return [*stuffed, 1, 0 if taken else 1, 1, *[1] * 7, 1, 1, 1]


def remainder(bits: str, polynomial: int, start: int = 0) -> int:
    """Return the remainder of a division without carries; the polynomial has its highest term."""
    width = polynomial.bit_length() - 1
    number = int(bits, 2) << width ^ start << len(bits)
    while number.bit_length() > width:
        number ^= polynomial << number.bit_length() - polynomial.bit_length()
    return number


CRC_17 = sum(1 << power for power in (17, 16, 14, 13, 11, 6, 4, 3, 1, 0))
CRC_21 = sum(1 << power for power in (21, 20, 13, 11, 7, 4, 3, 0))
_LENGTHS = (*range(9), 12, 16, 20, 24, 32, 48, 64)
_COUNTS = ("0000", "0011", "0110", "0101", "1100", "1111", "1010", "1001")
"""Stuff bits modulo 8 with their parity, from the table of ISO 11898-1:2015."""


def long_can_parts(identifier: int, data: bytes, bit_ns: float, data_ns: float | None = None, switch_point: float = 0.8,
                   extended: bool = False, passive: bool = False, taken: bool = True, wrong: int = 0,
                   wrong_count: bool = False) -> list[tuple[int, float]]:  # fmt: skip
    """Return levels and times of a frame with flexible data rate (ISO 11898-1:2015), up to the third bit of rest.

    Parameters
    ----------
    data_ns
        Of a bit of the faster part; None for frames that do not change their rate.
    wrong
        What is wrong in the CRC.
    """
    named = f"{identifier >> 18:011b}11{identifier & 0x3FFFF:018b}0" if extended else f"{identifier:011b}00"
    start = f"0{named}10{0 if data_ns is None else 1}"
    rest = f"{int(passive)}{_LENGTHS.index(len(data)):04b}" + "".join(f"{byte:08b}" for byte in data)
    stuffed, where = "", []
    for place, bit in enumerate(start + rest):
        if len(stuffed) > 4 and len(set(stuffed[-5:])) == 1:
            stuffed += "10"[int(stuffed[-1])]
            where.append(place)
        stuffed += bit
    counted = _COUNTS[len(where) % 8]
    polynomial = CRC_17 if len(data) <= 16 else CRC_21
    width = polynomial.bit_length() - 1
    crc = remainder(stuffed + counted, polynomial, 1 << width - 1) ^ wrong
    check = counted if not wrong_count else _COUNTS[(len(where) + 1) % 8]
    check += f"{crc:0{width}b}"
    for place in range(0, len(check), 4):
        stuffed += "10"[int(stuffed[-1])] + check[place : place + 4]
    slow = len(start) + sum(place < len(start) for place in where) - 1
    fast_ns = data_ns or bit_ns
    first_ns = switch_point * bit_ns + (1 - switch_point) * fast_ns
    parts = [(int(bit), bit_ns) for bit in stuffed[:slow]] + [(int(stuffed[slow]), first_ns)]
    parts += [(int(bit), fast_ns) for bit in stuffed[slow + 1 :]] + [(1, bit_ns + fast_ns - first_ns)]
    return parts + [(bit, bit_ns) for bit in (0 if taken else 1, 1, *[1] * 10)]


def manchester_parts(words, half_ns: float, sync=("111000", "000111"), one: str = "fall", parity: str = "odd",
                     bits: int = 16, rest: int = 0, gap_halves: float = 20.0):  # fmt: skip
    """Draw Manchester words on a bipolar line: groups of (sync number, value), silence between groups."""
    parts = [(rest, half_ns * gap_halves)]
    for group in words:
        for kind, value in group:
            parts += [(1 if half == "1" else -1, half_ns) for half in sync[kind]]
            listed = [value >> (bits - 1 - n) & 1 for n in range(bits)]
            if parity != "none":
                listed.append((sum(listed) + (parity == "odd")) % 2)
            for bit in listed:
                high_first = bit == (1 if one == "fall" else 0)
                parts += [(1, half_ns), (-1, half_ns)] if high_first else [(-1, half_ns), (1, half_ns)]
        parts.append((rest, half_ns * gap_halves))
    return parts


def jittered(edges: Edges, sigma_ns: float, seed: int = 1) -> Edges:
    """Move every edge a little, keeping their order; by no more than three times the usual, which nobody could read."""
    moved = edges.time_ns + np.clip(np.random.default_rng(seed).normal(0, 1, len(edges)), -3, 3) * sigma_ns
    moved = np.maximum.accumulate(np.rint(moved).astype(np.int64))
    return Edges(moved, edges.level, edges.first, edges.begin_ns, edges.end_ns)


def spiked(edges: Edges, times_ns: list[int], width_ns: int) -> Edges:
    """Put short pulses the other way into a line of two levels, at times where it does not change meanwhile."""
    time, level = edges.time_ns.tolist(), edges.level.tolist()
    for begin in times_ns:
        before = edges.level_at(begin)
        time += [begin, begin + width_ns]
        level += [1 - before, before]
    order = sorted(range(len(time)), key=time.__getitem__)
    return Edges(
        np.array([time[n] for n in order], np.int64), np.array([level[n] for n in order], np.int8), edges.first,
        edges.begin_ns, edges.end_ns,
    )  # fmt: skip
