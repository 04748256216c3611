"""Which order of bytes, words and bits gives a value that is known: every one that does, the plainest first."""

from __future__ import annotations

import re
import struct
from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

from ..errors import MisuseError
from ..layouts.fields import FieldKind
from ..layouts.places import Places, byte_bits

MAX_BYTES = 64
_POWERS = (0, -1, -2, -3, 1, 2, 3)
"""Decimal scales that are tried: the value is the raw value times ten to this."""
_FLOATS = {2: ">e", 4: ">f", 8: ">d"}


@dataclass(frozen=True, slots=True)
class Order:
    """One way to read the bytes that gives the value.

    Attributes
    ----------
    places
        Counted from the first byte given.
    kind
    ratio
        What the raw value is multiplied with.
    inverted
        Every bit is turned round first.
    words
        How the bytes are put together.
    """

    places: Places
    kind: FieldKind
    ratio: Fraction
    inverted: bool
    words: str


def parse_received(text: str) -> bytes:
    """Read bytes or words as people paste them.

    Pairs of hex digits are bytes (``12 34 AB``, ``1234ab``); groups of four, and numbers with ``0x`` of more than
    two digits, are 16-bit words; numbers with a sign or with a comma between are decimal words, as register
    tools show them.

    Raises
    ------
    MisuseError
        If the text is none of these.
    """
    text = text.strip()
    if not text:
        raise MisuseError("there are no bytes.", hint="Paste bytes such as 12 34 AB or words such as 0x1234, 4660.")
    if re.fullmatch(r"[0-9A-Fa-f\s:]+", text) and not re.search(r"(?<![0-9A-Fa-f])[0-9A-Fa-f](?![0-9A-Fa-f])", text):
        digits = re.sub(r"[\s:]", "", text)
        if len(digits) % 2 == 0:
            return _not_too_many(bytes.fromhex(digits))
    data = b""
    for part in re.split(r"[,;\s]+", text):
        try:
            number = int(part, 0)
        except ValueError as error:
            raise MisuseError(f"{part[:20]!r} is neither a byte nor a word.") from error
        if not -0x8000 <= number <= 0xFFFF:
            raise MisuseError(f"{part[:20]!r} does not fit a 16-bit word.")
        short = part.lower().startswith("0x") and len(part) <= 4
        data += bytes([number]) if short else (number & 0xFFFF).to_bytes(2, "big")
    return _not_too_many(data)


def _not_too_many(data: bytes) -> bytes:
    if len(data) > MAX_BYTES:
        raise MisuseError(f"{len(data)} bytes are more than the {MAX_BYTES} that are searched.")
    return data


def orders_that_give(value: Fraction, received: bytes, *, tolerance: Fraction = Fraction(1, 1000)) -> list[Order]:
    """Return every way to read the bytes that gives a known value.

    Parameters
    ----------
    value
        What is known, in whatever scale it was read.
    tolerance
        Of floating point, as a share of the value.

    Returns
    -------
    list of Order
        Exact readings of whole bytes first, then scaled, then stranger ones; shorter ones before longer ones
        where both are as plain.
    """
    found: dict[tuple, tuple[int, Order]] = {}
    wanted = _raw_numbers(value)
    for bits, words, oddness in _arrangements(len(received)):
        raw = 0
        for bit in bits:
            raw = raw << 1 | received[bit // 8] >> bit % 8 & 1
        for order, odd in _readings(bits, raw, value, wanted, words, tolerance):
            key = order.places, order.kind, order.ratio, order.inverted
            if key not in found or found[key][0] > oddness + odd:
                found[key] = oddness + odd, order
    ranked = sorted(found.values(), key=lambda one: (one[0], len(one[1].places), one[1].places.bits))
    return [order for _, order in ranked]


def _raw_numbers(value: Fraction) -> dict[int, list[int]]:
    """Return the whole numbers that are a value in a decimal scale, each with the powers of ten."""
    numbers: dict[int, list[int]] = {}
    for power in _POWERS:
        number = value / Fraction(10) ** power
        if number.denominator == 1:
            numbers.setdefault(number.numerator, []).append(power)
    return numbers


def _arrangements(size: int) -> Iterator[tuple[list[int], str, int]]:
    """Yield bits from most to least significant, the words for it, and how odd it is."""
    for count in range(1, min(size, 8) + 1):
        for first in range(size - count + 1):
            numbers = list(range(first, first + count))
            for order, words, oddness in byte_orders(numbers):
                yield list(byte_bits(order)), words, oddness
                mirrored = [n * 8 + b for n in order for b in range(8)]
                yield mirrored, f"{words}, bits of each byte reversed".removeprefix(", "), oddness + 30
    yield from _bit_runs(size)


def byte_orders(numbers: list[int]) -> Iterator[tuple[list[int], str, int]]:
    """Yield bytes from the most to the least significant in each order in use, the words for it, and how odd it is."""
    if len(numbers) == 1:
        yield numbers, "one byte", 0
        return
    yield numbers, "high byte first", 0
    yield numbers[::-1], "low byte first", 0
    if len(numbers) % 2 == 0 and len(numbers) > 2:
        pairs = [numbers[at : at + 2] for at in range(0, len(numbers), 2)]
        yield [n for pair in reversed(pairs) for n in pair], "low word first, high byte first in each", 1
        yield [n for pair in pairs for n in reversed(pair)], "high word first, low byte first in each", 2
    if len(numbers) == 8:
        halves = numbers[:4], numbers[4:]
        yield [*halves[1], *halves[0]], "low half first, high byte first in each", 5


def _bit_runs(size: int) -> Iterator[tuple[list[int], str, int]]:
    """Yield runs that begin or end within a byte, in both orders."""
    total = min(size, 8) * 8
    for first in range(total):
        for width in range(3, min(total - first, 32) + 1):
            if first % 8 == 0 and width % 8 == 0:
                continue
            low = list(range(first + width - 1, first - 1, -1))
            yield low, "a run of bits, low byte first", 12
            yield [b // 8 * 8 + 7 - b % 8 for b in range(first, first + width)], "a run of bits, high byte first", 12


def _readings(
    bits: list[int], raw: int, value: Fraction, wanted: dict[int, list[int]], words: str, tolerance: Fraction
) -> Iterator[tuple[Order, int]]:
    width = len(bits)
    places = Places(bits)
    whole = width % 8 == 0
    for inverted in (False, True) if whole else (False,):
        number = raw ^ ((1 << width) - 1) if inverted else raw
        odd = 20 if inverted else 0
        for kind, known, more in _numbers(number, width, whole):
            for power in wanted.get(known, ()):
                # a scale is only believed where enough bits agree that chance is unlikely
                if power == 0 or width >= 8:
                    ratio = Fraction(10) ** power
                    yield Order(places, kind, ratio, inverted, words), odd + more + (4 + abs(power) if power else 0)
        if whole and width // 8 in _FLOATS:
            read = struct.unpack(_FLOATS[width // 8], number.to_bytes(width // 8, "big"))[0]
            away = abs(Fraction(read) - value) if read == read and abs(read) < 1e300 else None
            if value and away is not None and away <= tolerance * abs(value):
                # what is near by chance stands behind what is as near as the width allows
                near = 0 if away <= abs(value) / (1 << width // 2 + 2) else 4
                yield Order(places, FieldKind.FLOAT, Fraction(1), inverted, words), odd + near


def _numbers(raw: int, width: int, whole: bool) -> Iterator[tuple[FieldKind, int, int]]:
    """Yield what the bits are as each kind of whole number, and how odd the kind is."""
    yield FieldKind.UNSIGNED, raw, 0
    top = raw >> (width - 1) & 1
    if top:
        yield FieldKind.SIGNED, raw - (1 << width), 0
        if width > 1 and whole:
            yield FieldKind.SIGN_MAGNITUDE, -(raw & ((1 << (width - 1)) - 1)), 8
            yield FieldKind.ONES_COMPLEMENT, -(~raw & ((1 << width) - 1)), 9
    if whole:
        digits = [raw >> at & 15 for at in range(width - 4, -1, -4)]
        if all(digit < 10 for digit in digits):
            yield FieldKind.BCD, int("".join(map(str, digits))), 3
        gray, shift = raw, raw >> 1
        while shift:
            gray ^= shift
            shift >>= 1
        if gray != raw:
            yield FieldKind.GRAY, gray, 25
