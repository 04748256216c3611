"""How papers and tables number bits: a start bit and a width mean nothing until five questions are answered.

1. Is bit 0 of a byte its lowest or its highest bit?
2. Is the start bit the lowest or the highest bit of the field?
3. Do bits count from 0 or from 1?
4. Do bytes count from 0 or from 1, where a byte has a column of its own?
5. Which byte comes first in significance?

Nobody has to know the answers: a row of which the meaning is known leaves only the ways that give it.
"""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Iterator

import msgspec

from ..errors import MisuseError
from ..layouts.places import Places

MAX_WIDTH = 4096
"""Bits of the longest field a table may name."""


class BitNumbering(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """One set of answers.

    Attributes
    ----------
    bit_0_is_lowest
        Bit 0 is the lowest bit of its byte; else the highest.
    start_is
        ``lowest`` or ``highest`` bit of the field, or ``first``: the lowest where the low byte comes first,
        else the highest.
    first_bit, first_byte
        0 or 1.
    """

    bit_0_is_lowest: bool = True
    start_is: str = "lowest"
    first_bit: int = 0
    first_byte: int = 0

    def words(self) -> str:
        """Say the answers in one line."""
        return (
            f"bit {self.first_bit} is the {'lowest' if self.bit_0_is_lowest else 'highest'} of byte {self.first_byte}, "
            f"a field is named by its {_START_WORDS[self.start_is]}"
        )

    def places(self, start: int, width: int, *, low_byte_first: bool, byte: int | None = None) -> Places:
        """Return where a field lies.

        Parameters
        ----------
        start
            Its start bit: of the message, or of ``byte`` where that is given.
        width
            In bits.

        Raises
        ------
        MisuseError
            If the numbers name a bit before the first one, or are larger than any message.
        """
        number = start - self.first_bit + (0 if byte is None else (byte - self.first_byte) * 8)
        if not 0 < width <= MAX_WIDTH or not 0 <= number <= 1 << 20:
            raise MisuseError(f"start bit {start} and {width} bits name no place in a message.")
        anchor = number if self.bit_0_is_lowest else number // 8 * 8 + 7 - number % 8
        from_lowest = self.start_is == "lowest" or (self.start_is == "first" and low_byte_first)
        bits = list(itertools.islice(_walk(anchor, low_byte_first, upwards=from_lowest), width))
        if len(bits) < width:
            raise MisuseError(f"start bit {start} and {width} bits run out of the front of the message.")
        return Places(reversed(bits) if from_lowest else bits)

    def start_of(self, places: Places) -> int:
        """Return the start bit of a field in this numbering, counted through the message."""
        low_first = places.order_words() != "high byte first"
        from_lowest = self.start_is == "lowest" or (self.start_is == "first" and low_first)
        bit = places.bits[-1] if from_lowest else places.bits[0]
        return self.first_bit + (bit if self.bit_0_is_lowest else bit // 8 * 8 + 7 - bit % 8)


_START_WORDS = {
    "lowest": "lowest bit", "highest": "highest bit",
    "first": "lowest bit if its low byte comes first, else by its highest",
}  # fmt: skip


def _walk(bit: int, low_byte_first: bool, *, upwards: bool) -> Iterator[int]:
    """Yield bits from one on, towards higher significance (``upwards``) or lower, as far as bytes go."""
    while bit >= 0:
        yield bit
        byte, inner = divmod(bit, 8)
        if upwards and inner < 7:
            bit += 1
        elif not upwards and inner > 0:
            bit -= 1
        else:
            # the next byte upwards is behind where the low byte comes first
            byte += 1 if upwards == low_byte_first else -1
            bit = byte * 8 + (0 if upwards else 7)


def all_numberings(*, with_byte: bool) -> list[BitNumbering]:
    """Return every way of numbering, the most customary first."""
    return [
        BitNumbering(bit_0_is_lowest=lowest, start_is=start, first_bit=bit, first_byte=byte)
        for byte in ((0, 1) if with_byte else (0,))
        for bit in (0, 1)
        for start in ("lowest", "first", "highest")
        for lowest in (True, False)
    ]


class Example(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """A row of a table, and where its bits are known to lie.

    Attributes
    ----------
    low_byte_first
        None if the table does not say.
    """

    start: int
    width: int
    places: Places
    byte: int | None = None
    low_byte_first: bool | None = None


def numberings_that_give(examples: Iterable[Example]) -> list[tuple[BitNumbering, bool | None]]:
    """Return the ways under which every example means what it is known to mean.

    Returns
    -------
    list of (numbering, low_byte_first)
        ``low_byte_first`` is what the examples show where the table has no column for it; None if all the
        examples lie within one byte, so that either will do.
    """
    known = list(examples)
    with_byte = any(example.byte is not None for example in known)
    found: list[tuple[BitNumbering, bool | None]] = []
    for numbering in all_numberings(with_byte=with_byte):
        orders = [low for low in (True, False) if all(_gives(numbering, example, low) for example in known)]
        if orders:
            found.append((numbering, orders[0] if len(orders) == 1 else None))
    return found


def _gives(numbering: BitNumbering, example: Example, low_byte_first: bool) -> bool:
    order = low_byte_first if example.low_byte_first is None else example.low_byte_first
    try:
        places = numbering.places(example.start, example.width, low_byte_first=order, byte=example.byte)
    except MisuseError:
        return False
    return places == example.places
