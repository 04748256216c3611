"""Which code table makes known texts out of the bits that were sent for them."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from ..codec.columns import Decoded, Validity, bits_of
from ..errors import DataError
from ..layouts.fields import Field
from ..layouts.symbols import Symbol

_MOST_BITS = 24
"""Of a symbol: a longer one than any code of a few hundred characters has."""
_MOST_STEPS = 150_000
_MOST_FILLING = 7
_MOST_END = 6
"""Bits like the filling that an end symbol may end in."""


class NoCodeTableError(DataError):
    """Texts and bits that no code table brings together, or more of them than can be tried."""


@dataclass(frozen=True, slots=True)
class KnownText:
    """Bits, ``0`` and ``1`` in the order in which they were sent, and what they say."""

    bits: str
    text: str


@dataclass(frozen=True, slots=True)
class DerivedCode:
    """A code table that says all known texts.

    Attributes
    ----------
    symbols
        In order of their bits.
    unsure
        Characters that another table, which says all texts as well, gives other bits.
    """

    symbols: tuple[Symbol, ...]
    unsure: str = ""


def derived_code(known: Sequence[KnownText]) -> DerivedCode:
    """Return the code table in which no symbol begins another, and every text takes its bits but for some filling.

    Up to seven bits behind a text are taken for filling to a whole byte. Where there are more, a symbol is looked for
    that ends each text, with one bit again and again behind it.

    Raises
    ------
    NoCodeTableError
        If there is none, or too much would have to be tried.
    """
    if not any(one.text for one in known):
        raise NoCodeTableError("there is no text to work it out from.", hint="Say what a frame says.")
    tables: list[dict[str, str]] = []
    is_all_tried = True
    for tried in _ways_to_end(known):
        # much text in few bits leaves the least to be tried
        search = _Search(sorted(tried, key=lambda one: len(one.bits) / len(one.parts)))
        tables += itertools.islice(search.tables(), 2 - len(tables))
        is_all_tried &= not search.is_given_up
        if len(tables) == 2:
            break
    if not tables and not is_all_tried:
        raise NoCodeTableError("too much would have to be tried.", hint="Begin with short texts.")
    if not tables:
        raise NoCodeTableError(
            "no code table says these texts with these bits.", hint="Check where the symbols begin, and the texts."
        )
    first = tables[0]
    unsure = "".join(sorted(one for other in tables[1:] for one in first if first[one] != other.get(one)))
    symbols = sorted((Symbol(bits, text) for text, bits in first.items()), key=lambda symbol: symbol.bits)
    return DerivedCode(tuple(symbols), unsure)


@dataclass(frozen=True, slots=True)
class _Tried:
    """Bits and the texts of the symbols they are taken for; ``filling`` is how many may be left."""

    bits: str
    parts: tuple[str, ...]
    filling: int


def _ways_to_end(known: Sequence[KnownText]) -> Iterator[list[_Tried]]:
    """Yield what the texts may be: filled up to a whole byte, or ended by a symbol with filling behind it."""
    texts = [one for one in known if one.text]
    behind = [len(one.bits) - len(one.bits.rstrip(one.bits[-1:] or "0")) for one in texts]
    plain = [_Tried(one.bits, tuple(one.text), _MOST_FILLING) for one in texts]
    is_filled = max(behind) > _MOST_FILLING + 1
    if not is_filled:
        yield plain
    # the end symbol ends in the filling's bits as often in each text
    for more in range(_MOST_END):
        cut = [one.bits[: len(one.bits) - run + more] for one, run in zip(texts, behind, strict=True)]
        if all(run >= more for run in behind):
            yield [_Tried(bits, (*one.text, ""), 0) for one, bits in zip(texts, cut, strict=True)]
    if is_filled:
        yield plain


def bits_of_text(field: Field, payload: bytes, decoded: Decoded | None) -> str:
    """Return the bits of a field, in the order in which they are read; empty where the frame does not have it.

    Parameters
    ----------
    decoded
        The frame as its layout reads it; needed for a string, which has no fixed places.
    """
    if len(field.places):
        if field.places.size_needed > len(payload):
            return ""
        return "".join(str((payload[bit // 8] >> bit % 8 & 1) ^ field.inverted) for bit in field.places.bits)
    column = decoded.columns.get(field.id) if decoded is not None else None
    if column is None or column.content is None or not Validity(int(column.validity[0])).is_present:
        return ""
    size = column.content.shape[1] if column.lengths is None else int(column.lengths[0])
    return bits_of(column.content[0, :size].tobytes(), field)


class _Search:
    """Tries bits for one character after another, and goes back where they do not fit."""

    def __init__(self, known: Sequence[_Tried]) -> None:
        self._known = known
        self._steps = 0

    @property
    def is_given_up(self) -> bool:
        """Whether more would have had to be tried."""
        return self._steps > _MOST_STEPS

    def tables(self) -> Iterator[dict[str, str]]:
        """Yield tables from a character to its bits."""
        yield from self._go_on({}, 0, 0, 0)

    def _go_on(self, table: dict[str, str], text: int, character: int, bit: int) -> Iterator[dict[str, str]]:
        """Yield the tables that go on with one from a character and a bit of a text."""
        # characters that have bits already are read in a loop: texts are longer than Python calls go deep
        while True:
            if text == len(self._known):
                yield table
                return
            one = self._known[text]
            if character == len(one.parts):
                if len(one.bits) - bit > one.filling:
                    return
                text, character, bit = text + 1, 0, 0
                continue
            bits = table.get(one.parts[character])
            if bits is None:
                break
            if not one.bits.startswith(bits, bit):
                return
            character, bit = character + 1, bit + len(bits)
        for size in self._sizes(table, one, character, bit):
            self._steps += 1
            if self.is_given_up:
                return
            tried = one.bits[bit : bit + size]
            if not any(tried.startswith(other) or other.startswith(tried) for other in table.values()):
                yield from self._go_on(table | {one.parts[character]: tried}, text, character + 1, bit + size)

    @staticmethod
    def _sizes(table: dict[str, str], one: _Tried, character: int, bit: int) -> list[int]:
        """Return how many bits the next character may take, what is left for each of its kind first.

        Those behind it take what they are known to take, a bit at least; the rest is shared by what is not known yet.
        """
        new, behind = one.parts[character], one.parts[character + 1 :]
        left = len(one.bits) - bit - sum(len(table.get(other, "")) for other in behind)
        own = 1 + behind.count(new)
        others = sum(other not in table and other != new for other in behind)
        share = left / (own + others)
        return sorted(range(1, min(_MOST_BITS, (left - others) // own) + 1), key=lambda size: abs(size - share))
