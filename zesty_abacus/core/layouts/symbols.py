"""Code tables: symbols of any number of bits, none the beginning of another, and the text each stands for."""

from __future__ import annotations

import heapq
import itertools
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from functools import cache

import msgspec

from ..errors import MisuseError
from .escapes import escaped_text, read_escapes

NO_SYMBOL = "\N{REPLACEMENT CHARACTER}"
END = "end"
"""How the symbol that ends a text is written."""
_MEANT = {END: "", f"\\{END}": END}
LONGEST = 64
"""Bits of a symbol."""


class Symbol(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Bits, the first sent first, and the text they stand for; an empty one ends all."""

    bits: str
    text: str = ""


class SymbolCode:
    """Reads bits as symbols, and writes text as bits.

    Parameters
    ----------
    symbols
        Such that :func:`symbol_problems` finds nothing wrong with them.
    """

    def __init__(self, symbols: Iterable[Symbol]) -> None:
        self._text_of = {symbol.bits: symbol.text for symbol in symbols}
        self._bits_of = {text: bits for bits, text in self._text_of.items()}
        self._longest_bits = max(map(len, self._text_of), default=0)
        self._longest_text = max(map(len, self._bits_of), default=0)

    def read(self, bits: str) -> str:
        """Return the text of bits, ``0`` and ``1``, up to the end symbol.

        Bits that begin no symbol are shown by :data:`NO_SYMBOL`, and end it; a symbol that is cut is filling.
        """
        said: list[str] = []
        begin = 0
        for place in range(1, len(bits) + 1):
            text = self._text_of.get(bits[begin:place])
            if text == "":
                break
            if text is not None:
                said.append(text)
                begin = place
            elif place - begin >= self._longest_bits:
                said.append(NO_SYMBOL)
                break
        return "".join(said)

    def write(self, text: str, room: int | None = None, padding: str = "") -> str:
        """Return the bits of a text.

        Parameters
        ----------
        room
            How many bits there are; None is as many as it takes to whole bytes.
        padding
            The text of a symbol that fills room that is left.

        Raises
        ------
        MisuseError
            If something in it has no symbol, or it does not fit or cannot be filled up.
        """
        bits = "".join(self._bits_of[part] for part in self._parts(text))
        if room is None:
            room = -(-len(bits + self._end()) // 8) * 8
        if len(bits) > room:
            raise MisuseError(f"{len(bits)} bits do not fit: it holds {room}.")
        return bits + self._filling(room - len(bits), padding)

    def _end(self) -> str:
        return self._bits_of.get("", "")

    def _parts(self, text: str) -> Iterator[str]:
        """Yield the texts of the symbols that a text is made of, at each place the longest that fits."""
        place = 0
        while place < len(text):
            part = text[place : place + self._longest_text]
            while part and part not in self._bits_of:
                part = part[:-1]
            if not part:
                raise MisuseError(f"there is no symbol for {text[place]!r}.")
            yield part
            place += len(part)

    def _filling(self, room: int, padding: str) -> str:
        """Return bits that say nothing behind a text."""
        if not room:
            return ""
        end, pad = self._end(), self._bits_of.get(padding, "") if padding else ""
        if end:
            # what is behind the end is not read; where it does not fit, its beginning is no symbol either
            return end[:room].ljust(room, "0")
        made = pad * (room // len(pad)) if pad else ""
        left = room - len(made)
        # no symbol begins with another, so the beginning of a longer one holds none
        longer = next((bits for bits in self._text_of if len(bits) > left), None)
        if left and longer is None:
            raise MisuseError(f"{left} bits are left, and no symbol fills them up.", hint="An end symbol would.")
        return made + (longer[:left] if left and longer else "")


PACKED: dict[str, tuple[Symbol, ...]] = {
    # ITU-R M.1371, table of 6-bit ASCII characters
    "six-bit": tuple(Symbol(f"{code:06b}", chr(code if code >= 32 else code + 64)) for code in range(64)),
    # ISO/IEC 646, seven bits a character without one between
    "seven-bit": tuple(Symbol(f"{code:07b}", chr(code)) for code in range(128)),
}
"""Characters of one width, packed; by the name of the encoding."""


@cache
def code_of(encoding: str, symbols: tuple[Symbol, ...]) -> SymbolCode | None:
    """Return what reads a text in an encoding or by a table; None where its bytes are its characters."""
    table = symbols or PACKED.get(encoding, ())
    return SymbolCode(table) if table else None


def symbol_problems(symbols: Sequence[Symbol]) -> Iterator[str]:
    """Yield what is wrong with a code table."""
    for symbol in symbols:
        if not symbol.bits or set(symbol.bits) - {"0", "1"} or len(symbol.bits) > LONGEST:
            yield f"{symbol.bits!r} are no bits of a symbol: 1 to {LONGEST} noughts and ones."
            return
    # in order of bits, the beginning of a symbol stands right before one that goes on
    for one, other in itertools.pairwise(sorted(symbols, key=lambda symbol: symbol.bits)):
        if other.bits.startswith(one.bits):
            same = one.bits == other.bits
            how = "stands twice" if same else f"begins {other.bits}, so that nobody can tell them apart"
            yield f"The symbol {one.bits} {how}."
            return
    texts = Counter(symbol.text for symbol in symbols)
    for text, count in texts.items():
        if count > 1:
            yield f"{'The end' if not text else repr(text)} has {count} symbols; it can have one."
            return


def shortest_code(text: str) -> tuple[Symbol, ...]:
    """Return the code that says a text, with an end, in the fewest bits (Huffman 1952), in its canonical form.

    Symbols of one length are in the order of their characters, so that the lengths alone say the whole code.
    """
    lengths = _lengths(Counter(text) + Counter({"": 1}))
    symbols: list[Symbol] = []
    code, before = -1, 0
    for length, character in sorted((length, character) for character, length in lengths.items()):
        code = (code + 1) << (length - before)
        before = length
        symbols.append(Symbol(f"{code:0{length}b}", character))
    return tuple(symbols)


def _lengths(counts: Counter[str]) -> dict[str, int]:
    """Return how many bits each symbol takes: the two rarest share all but the last bit, again and again."""
    if len(counts) == 1:
        return dict.fromkeys(counts, 1)
    # a number of its own keeps what is as rare in one order, whatever stands in it
    waiting = [(count, number, {text: 0}) for number, (text, count) in enumerate(sorted(counts.items()))]
    heapq.heapify(waiting)
    numbers = itertools.count(len(waiting))
    while len(waiting) > 1:
        (one, _, first), (other, _, second) = heapq.heappop(waiting), heapq.heappop(waiting)
        deeper = {text: depth + 1 for text, depth in (first | second).items()}
        heapq.heappush(waiting, (one + other, next(numbers), deeper))
    return waiting[0][2]


def symbols_text(symbols: Iterable[Symbol]) -> str:
    r"""Write a code table: ``0 e, 10 t, 110 \x20, 111 end``; a text that is the word itself is written ``\end``."""
    return ", ".join(f"{symbol.bits} {_written(symbol.text)}" for symbol in symbols)


def parse_symbols(text: str) -> tuple[Symbol, ...]:
    """Read a code table as :func:`symbols_text` writes it.

    Raises
    ------
    MisuseError
        If a part is no bits and their text.
    """
    made = []
    for part in (one.strip() for one in text.split(",")):
        bits, _, said = part.partition(" ")
        said = said.strip()
        if part and (not said or set(bits) - {"0", "1"}):
            raise MisuseError(f"{part[:40]!r} is no bits and their text.", hint="Write 0 e, 10 t, 11 end.")
        if part:
            made.append(Symbol(bits, _MEANT[said] if said in _MEANT else read_escapes(said)))
    return tuple(made)


def _written(text: str) -> str:
    if text in ("", END):
        return END if not text else f"\\{END}"
    # commas stand between symbols
    return escaped_text(text).replace(",", "\\x2C")
