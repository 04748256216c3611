"""Places: where the bits of a field lie, written so that order cannot be misread.

A place is written as runs from the most to the least significant bit:

=================  =====================================================
``B3[3..0] B2``    twelve bits, low byte first: B3's low half is on top
``B0 B1[7..4]``    twelve bits, high byte first
``B3..B0``         32 bits, low byte first
``R1 R0``          two 16-bit registers, low word first
``B4[2] B0[7]``    two scattered bits
``B0[0..7]``       one byte with its bits reversed
=================  =====================================================

``B``\\ n counts bytes from 0 and ``[7]`` is a byte's highest bit. ``R``\\ n is the register in bytes 2n
(its high byte) and 2n+1; ``R0[15]`` is its highest bit. There is no start bit and no byte-order flag.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence

from ..errors import MisuseError

MAX_BYTE = 131_071
"""The highest byte number a place may name: that of register 65535."""

_TOKEN = re.compile(
    r"(?P<unit>[BRbr])(?P<number>\d{1,6})"
    r"(?:\.\.(?P<unit2>[BRbr])(?P<number2>\d{1,6})|\[(?P<high>\d{1,2})(?:\.\.(?P<low>\d{1,2}))?\])?"
)


class PlacesError(MisuseError):
    """A text that is no place, or bits that cannot be one."""


class Places:
    """Bits in order from most to least significant; an immutable value.

    A plain class rather than a dataclass, so that its JSON form is its notation and not its attributes.

    Attributes
    ----------
    bits
        Bit numbers ``byte * 8 + bit``; bit 7 is the highest of its byte. No bit occurs twice.
    """

    __slots__ = ("_bits", "_needed")

    def __init__(self, bits: Iterable[int]) -> None:
        self._bits = tuple(bits)
        # decoding asks for it with every field of every few frames
        self._needed = max(self._bits) // 8 + 1 if self._bits else 0
        if len(set(self._bits)) != len(self._bits):
            twice = next(bit for bit in self._bits if self._bits.count(bit) > 1)
            raise PlacesError(f"{bit_name(twice)} is named twice.")
        if self._bits and not 0 <= min(self._bits) <= max(self._bits) <= MAX_BYTE * 8 + 7:
            raise PlacesError(f"a byte number is outside 0 to {MAX_BYTE}.")

    @property
    def bits(self) -> tuple[int, ...]:
        """Bit numbers from most to least significant."""
        return self._bits

    def raw_in(self, payload: bytes) -> int | None:
        """Return the bits of a payload as a number without sign, None if the payload is too short."""
        if self._bits and max(self._bits) >= len(payload) * 8:
            return None
        raw = 0
        for bit in self._bits:
            raw = raw << 1 | payload[bit // 8] >> bit % 8 & 1
        return raw

    def __eq__(self, other: object) -> bool:
        return self._bits == other._bits if isinstance(other, Places) else NotImplemented

    def __hash__(self) -> int:
        return hash(self._bits)

    def __repr__(self) -> str:
        return f"parse_places({str(self)!r})"

    def __len__(self) -> int:
        return len(self.bits)

    def __iter__(self) -> Iterator[int]:
        return iter(self.bits)

    def __str__(self) -> str:
        return format_places(self)

    @property
    def size_needed(self) -> int:
        """How many payload bytes a frame must have to hold all bits."""
        return self._needed

    @property
    def is_whole_bytes(self) -> bool:
        """Whether the bits are whole bytes, each from its highest to its lowest bit."""
        return len(self.bits) % 8 == 0 and all(
            self.bits[i : i + 8] == tuple(range(self.bits[i] | 7, (self.bits[i] | 7) - 8, -1))
            for i in range(0, len(self.bits), 8)
        )

    def byte_numbers(self) -> tuple[int, ...]:
        """Return the bytes touched, in order of significance, each once."""
        return tuple(dict.fromkeys(bit // 8 for bit in self.bits))

    def order_words(self) -> str:
        """Say the byte order in words: ``low byte first``, ``high byte first``, ``bits in own order`` or nothing."""
        numbers = self.byte_numbers()
        if not _falls_within_bytes(self.bits):
            return "bits in own order"
        if len(numbers) < 2:
            return ""
        if list(numbers) == sorted(numbers):
            return "high byte first"
        if list(numbers) == sorted(numbers, reverse=True):
            return "low byte first"
        return "bytes in own order"

    def other_order(self) -> Places:
        """Return the same bits with the bytes in the opposite order of significance."""
        groups: dict[int, list[int]] = {}
        for bit in self.bits:
            groups.setdefault(bit // 8, []).append(bit)
        return Places(bit for number in reversed(list(groups)) for bit in groups[number])


def bit_name(bit: int) -> str:
    """Return ``B2[7]`` for bit number 23."""
    return f"B{bit // 8}[{bit % 8}]"


def places_of(bits: Iterable[int], *, low_byte_first: bool) -> Places:
    """Put a set of bits in one of the two customary orders, highest bit of each byte first."""
    wanted = set(bits)
    numbers = sorted({bit // 8 for bit in wanted}, reverse=low_byte_first)
    return Places(n * 8 + b for n in numbers for b in range(7, -1, -1) if n * 8 + b in wanted)


def byte_bits(numbers: Iterable[int]) -> tuple[int, ...]:
    """Return the bits of whole bytes in their order, the highest bit of each first."""
    return tuple(number * 8 + bit for number in numbers for bit in range(7, -1, -1))


def parse_places(text: str) -> Places:
    """Read a place from its notation.

    Raises
    ------
    PlacesError
        With the column at which the text stops making sense.
    """
    bits: list[int] = []
    position = 0
    while position < len(text):
        if text[position] in " \t,":
            position += 1
            continue
        match = _TOKEN.match(text, position)
        if match is None:
            raise PlacesError(
                f"{text[position : position + 24]!r} is not a run of bits.",
                hint="Write runs like B3[3..0] B2, B3..B0, R1 R0 or B4[2].",
            )
        bits.extend(_run_bits(match, text))
        position = match.end()
    if not bits:
        raise PlacesError("no bits are named.", hint="Write runs like B0 or B3[3..0] B2.")
    return Places(bits)


def format_places(places: Places, *, registers: bool = False) -> str:
    """Write a place in its notation, in as few runs as it takes.

    Parameters
    ----------
    registers
        Write whole registers as ``R``\\ n; single bits and odd bytes stay ``B``\\ n.
    """
    runs = _runs(places.bits)
    items = _whole_registers(runs) if registers else [(run, "B") for run in runs]
    return " ".join(_join_units(items))


def _run_bits(match: re.Match[str], text: str) -> list[int]:
    unit = match["unit"].upper()
    width = 8 if unit == "B" else 16
    number = int(match["number"])
    column = match.start() + 1
    if match["number2"] is not None:
        if match["unit2"].upper() != unit:
            raise PlacesError(f"column {column} of {text!r} mixes bytes and registers in one run.")
        last = int(match["number2"])
        if max(number, last) * width // 8 > MAX_BYTE:
            raise PlacesError(f"column {column} of {text!r}: a byte number is outside 0 to {MAX_BYTE}.")
        step = 1 if last >= number else -1
        return [bit for n in range(number, last + step, step) for bit in _unit_bits(n, width)]
    unit_bits = _unit_bits(number, width)
    if match["high"] is None:
        return unit_bits
    high = int(match["high"])
    low = high if match["low"] is None else int(match["low"])
    if max(high, low) >= width:
        raise PlacesError(
            f"column {column} of {text!r}: bit {max(high, low)} is outside {unit}{number}[{width - 1}..0]."
        )
    step = -1 if high >= low else 1
    return [unit_bits[width - 1 - bit] for bit in range(high, low + step, step)]


def _unit_bits(number: int, width: int) -> list[int]:
    """Return the bits of one byte or register from highest to lowest."""
    first = number * width // 8
    return list(byte_bits(range(first, first + width // 8)))


def _runs(bits: Sequence[int]) -> list[tuple[int, int, int]]:
    """Split into (byte, from bit, to bit) runs that stay in a byte and step by one."""
    runs: list[tuple[int, int, int]] = []
    for bit in bits:
        byte, inner = divmod(bit, 8)
        if runs and runs[-1][0] == byte:
            _, start, end = runs[-1]
            step = (end > start) - (end < start)
            if abs(inner - end) == 1 and step in (0, inner - end):
                runs[-1] = (byte, start, inner)
                continue
        runs.append((byte, inner, inner))
    return runs


def _whole_registers(runs: list[tuple[int, int, int]]) -> list[tuple[tuple[int, int, int], str]]:
    items: list[tuple[tuple[int, int, int], str]] = []
    i = 0
    while i < len(runs):
        byte = runs[i][0]
        if byte % 2 == 0 and runs[i : i + 2] == [(byte, 7, 0), (byte + 1, 7, 0)]:
            items.append(((byte // 2, 7, 0), "R"))
            i += 2
        else:
            items.append((runs[i], "B"))
            i += 1
    return items


def _join_units(items: list[tuple[tuple[int, int, int], str]]) -> Iterator[str]:
    """Yield tokens, three or more whole neighbours joined as ``B3..B0``."""
    i = 0
    while i < len(items):
        (number, start, end), unit = items[i]
        if (start, end) != (7, 0):
            yield f"{unit}{number}[{start}]" if start == end else f"{unit}{number}[{start}..{end}]"
            i += 1
            continue
        length = _neighbours(items, i)
        if length >= 3:
            yield f"{unit}{number}..{unit}{items[i + length - 1][0][0]}"
            i += length
        else:
            yield f"{unit}{number}"
            i += 1


def _neighbours(items: list[tuple[tuple[int, int, int], str]], i: int) -> int:
    """Count whole units from ``i`` on that follow one another up or down."""
    _, unit = items[i]
    length = 1
    step = 0
    while i + length < len(items):
        (number, start, end), next_unit = items[i + length]
        move = number - items[i + length - 1][0][0]
        if (start, end) != (7, 0) or next_unit != unit or abs(move) != 1 or (step and move != step):
            break
        step = move
        length += 1
    return length


def _falls_within_bytes(bits: Sequence[int]) -> bool:
    """Whether each byte's bits stand together and fall from high to low."""
    seen: set[int] = set()
    for before, after in zip((None, *bits), bits, strict=False):
        if before is not None and before // 8 == after // 8:
            if after >= before:
                return False
        elif after // 8 in seen:
            return False
        seen.add(after // 8)
    return True
