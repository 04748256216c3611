"""Messages as different makers lay them out: orders, widths, counters, checks, pages, fillers."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .signals import Random, Signal
from .truth import TrueField, TrueMessage, raw_of

CRC8 = (0x2F, 0x1D, 0x07, 0x31, 0x9B, 0x39, 0xD5)
CRC16 = (0x1021, 0x8005, 0x3D65, 0xC867)


@dataclass(frozen=True, slots=True)
class Style:
    """What a maker always does alike."""

    low_first: bool
    filler: int
    counter: str
    counter_first: bool
    check: str
    odd_widths: bool
    key_each: bool

    @classmethod
    def of(cls, random: Random) -> Style:
        """Return a random one."""
        return cls(
            low_first=bool(random.random() < 0.6), filler=int(random.random() < 0.2),
            counter=str(random.choice(["nibble", "nibble", "byte", "none", "skip", "two bits"])),
            counter_first=bool(random.random() < 0.3),
            check=str(random.choice(["crc8", "crc8", "crc8", "xor", "sum", "nibble", "none", "crc16", "sum twos"])),
            odd_widths=bool(random.random() < 0.6), key_each=bool(random.random() < 0.3),
        )  # fmt: skip


class Room:
    """The bits of a payload that are still free."""

    def __init__(self, size: int, low_first: bool) -> None:
        self.size, self.low_first = size, low_first
        self._free = np.ones(size * 8, np.bool_)

    def take(self, bits: tuple[int, ...]) -> bool:
        """Take bits, if all are free."""
        if not bits or min(bits) < 0 or max(bits) >= len(self._free) or not all(self._free[bit] for bit in bits):
            return False
        self._free[list(bits)] = False
        return True

    def next_run(self, width: int, gap: int) -> tuple[int, ...] | None:
        """Take and return the first free run of a width, a gap behind the first bit that is free and stays unused."""
        order = self.run_order()
        for place in range(len(order) - width - gap + 1):
            bits = order[place : place + gap + width]
            if all(self._free[bit] for bit in bits):
                self._free[bits] = False
                return tuple(reversed(bits[gap:])) if self.low_first else tuple(bits[gap:])
        return None

    def copy(self) -> Room:
        """Return another of which as much is free."""
        made = Room(self.size, self.low_first)
        made._free = self._free.copy()
        return made

    def run_order(self) -> list[int]:
        """Return all bits in the order in which runs go on."""
        if self.low_first:
            return list(range(self.size * 8))
        return [n // 8 * 8 + 7 - n % 8 for n in range(self.size * 8)]


def number_width(signal: Signal, style: Style, random: Random) -> int:
    """Return how wide a quantity is laid out."""
    if style.odd_widths:
        return int(random.choice([7, 9, 10, 11, 12, 13, 14, 16, 8]))
    return int(random.choice([8, 8, 16, 16, 16, 12]))


def scaled(signal: Signal, width: int, random: Random) -> tuple[float, float, str]:
    """Return what a quantity is multiplied with, what is added, and what kind of number it is."""
    use = float(random.choice([1.0, 0.9, 0.5, 0.2])) if width > 8 else float(random.uniform(0.5, 1.0))
    top = (1 << width) - 1
    if signal.crosses_zero:
        below = random.uniform(0.3, 0.7)
        use = min(use, 0.49 / max(below, 1 - below))
        return top * use, -top * use * below, "signed"
    return top * use, 0.0 if random.random() < 0.7 else (top * (1 - use)) * random.uniform(0, 1), "number"


def put(matrix: NDArray[np.uint8], bits: tuple[int, ...], raw: NDArray[np.int64], rows: NDArray | None = None) -> None:
    """Write numbers into the payload, two's complement."""
    for place, bit in enumerate(reversed(bits)):
        value = (raw >> place & 1).astype(np.uint8)
        if rows is None:
            matrix[:, bit // 8] = matrix[:, bit // 8] & ~np.uint8(1 << bit % 8) | value << (bit % 8)
        else:
            matrix[rows, bit // 8] = matrix[rows, bit // 8] & ~np.uint8(1 << bit % 8) | value << (bit % 8)


def crc(data: bytes, width: int, polynomial: int, start: int, final: int, reflected: bool) -> int:
    """Return a CRC by long division, bit by bit."""
    register, top = start, 1 << (width - 1)
    for byte in data:
        for bit in range(8) if reflected else range(7, -1, -1):
            carry = bool(register & top) ^ bool(byte >> bit & 1)
            register = (register << 1) & ((1 << width) - 1) ^ (polynomial if carry else 0)
    if reflected:
        register = int(f"{register:0{width}b}"[::-1], 2)
    return register ^ final


def add_check(message: TrueMessage, style: Style, bits: tuple[int, ...], random: Random) -> None:
    """Work a check out over every frame and write it, and say what it is."""
    matrix = message.matrix
    matrix[:] = _cleared(matrix, bits)
    size = matrix.shape[1]
    own = {bit // 8 for bit in bits}
    whole = len(bits) % 8 == 0
    covered = [n for n in range(size) if not (whole and n in own)]
    polynomial = int(random.choice(CRC8 if len(bits) == 8 else CRC16))
    start, final = int(random.choice([0, (1 << len(bits)) - 1])), int(random.choice([0, (1 << len(bits)) - 1]))
    reflected = bool(random.random() < 0.25)
    key = bytes([int(random.integers(256))]) if style.key_each else b""
    parameters = {"kind": style.check, "covered": covered, "key": key.hex()}
    if style.check.startswith("crc"):
        parameters |= {"polynomial": polynomial, "start": start, "final": final, "reflected": reflected}
    sums = np.zeros(len(matrix), np.int64)
    known: dict[bytes, int] = {}
    for row, frame in enumerate(matrix):
        data = bytes(frame[covered])
        if data not in known:
            known[data] = _one_check(style.check, data + key, len(bits), polynomial, start, final, reflected)
        sums[row] = known[data]
    put(matrix, bits, sums)
    message.fields.append(TrueField(bits, "check", parameters=parameters))


def _one_check(kind: str, data: bytes, width: int, polynomial: int, start: int, final: int, reflected: bool) -> int:
    if kind.startswith("crc"):
        return crc(data, width, polynomial, start, final, reflected)
    if kind == "xor":
        found = 0
        for byte in data:
            found ^= byte
        return found
    if kind == "nibble":
        return sum((byte >> 4) + (byte & 15) for byte in data) & 15
    total = sum(data) & 0xFF
    return -total & 0xFF if kind == "sum twos" else total


def _cleared(matrix: NDArray[np.uint8], bits: tuple[int, ...]) -> NDArray[np.uint8]:
    made = matrix.copy()
    for bit in bits:
        made[:, bit // 8] &= ~np.uint8(1 << bit % 8)
    return made


__all__ = ["CRC8", "CRC16", "Room", "Style", "add_check", "crc", "number_width", "put", "raw_of", "scaled"]
