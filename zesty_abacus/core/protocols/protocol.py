"""What a protocol says of its frames; one that nothing is known of says what all have in common."""

from __future__ import annotations

import re
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..errors import MisuseError
from ..frames.flags import ANSWER, READ
from ..frames.kind_key import KindKey
from ..frames.table import FrameTable
from .spaces import Space

LARGEST_PAYLOAD = 1 << 20
ADDRESS_BITS = 63
"""What a column of addresses holds."""
_WAYS = {"read": (READ, True), "write": (READ, False), "answer": (ANSWER, True), "request": (ANSWER, False)}


class Exchange(NamedTuple):
    """Which registers a kind of message carries: of which device, of which space, and the first of them."""

    device: int
    space: Space
    first: int


class Protocol:
    """What a lane speaks. A protocol is a subclass, of which its module has one as ``PROTOCOL``.

    Attributes
    ----------
    name
        As lanes, layouts and recipes name it.
    title
        As the trade writes it.
    address_title
        What an address is called.
    address_example
        An address as a person types it.
    digits
        Hex digits of an address.
    largest_payload
        Bytes of the largest payload.
    asks_way
        Whether a layout may ask which way a frame goes.
    ways
        Which of read and answer frames can be, beside write and request.
    has_check
        Whether every frame carries a check of the link, which reading it has looked at.
    answers_at_once
        Whether an answer goes over the line together with the request, on a wire of its own.
    may_be_text
        Whether payloads may be lines of text, whose values are columns and no bits at a place.
    """

    name: str = ""
    title: str = ""
    address_title: str = "address"
    address_example: str = "0x10"
    digits: int = 2
    largest_payload: int = LARGEST_PAYLOAD
    payload_title: str = "payload"
    asks_way: bool = True
    ways: frozenset[str] = frozenset()
    has_check: bool = False
    answers_at_once: bool = False
    may_be_text: bool = False

    def kind_text(self, key: KindKey) -> str:
        """Return the address of a kind the way an engineer of this bus writes it, with what tells kinds apart."""
        return self.address_text(key.address)

    def text_at_device(self, key: KindKey) -> str:
        """Return what :meth:`kind_text` says besides the device; all of it where an address is all there is to say."""
        return self.kind_text(key)

    def address_text(self, address: int, *, extended: bool = False) -> str:
        """Return an address as an engineer of this bus writes and types it; :meth:`read_address` reads it again."""
        return self.hex_text(address, extended=extended)

    def hex_text(self, address: int, *, extended: bool = False) -> str:
        """Return an address as one number in hex digits, whatever it packs."""
        return f"0x{address:0{self.digits_of(extended)}X}"

    def masked_text(self, address: int, mask: int, *, extended: bool = False) -> str:
        """Return an address of which only the bits of a mask count."""
        return f"{self.hex_text(address, extended=extended)} & {self.hex_text(mask, extended=extended)}"

    def read_masked(self, text: str) -> tuple[int, int] | None:
        """Return the address and mask that a text stands for which names parts of an address; None if it does not.

        Raises
        ------
        MisuseError
            If it names parts that cannot be.
        """
        return None

    def read_address(self, text: str, *, was: bool = False) -> tuple[int, bool]:
        """Read an address as a person types it; return it, and whether it is of the longer sort.

        Parameters
        ----------
        was
            Of which sort it was before, where the digits leave that open.

        Raises
        ------
        MisuseError
            If it is none.
        """
        digits = text.strip().lower().removeprefix("0x")
        if not re.fullmatch(r"[0-9a-f]{1,16}", digits):
            raise MisuseError(f"{text[:40]!r} is no address.", hint=f"Write it like {self.address_example}.")
        address = int(digits, 16)
        extended = self.is_extended(address, len(digits), was=was)
        if trouble := self.trouble_with(address, extended=extended):
            raise MisuseError(trouble)
        return address, extended

    def digits_of(self, extended: bool) -> int:
        """Return how many hex digits an address has."""
        return self.digits

    def is_extended(self, address: int, digits: int, *, was: bool = False) -> bool:
        """Return whether an address typed with so many hex digits is of the longer sort; ``was`` is what it was."""
        return False

    def trouble_with(self, address: int, *, extended: bool = False) -> str:
        """Return why a number is no address here, as a sentence; empty if it is one."""
        if address >= 1 << ADDRESS_BITS:
            return f"{address:#x} is no address: it has more than {ADDRESS_BITS} bits."
        return f"{address} is below 0." if address < 0 else ""

    def asks_for(self, key: KindKey, *, extended: bool, way: str) -> bool:
        """Return whether a layout that asks for such frames means a kind, whatever its address."""
        if not way:
            return True
        flag, wanted = _WAYS[way]
        return bool(key.flags & flag) == wanted

    def device_of(self, key: KindKey) -> int:
        """Return who is addressed, where an address says more than that: the device, the unit, the port."""
        return key.address

    def device_text(self, key: KindKey) -> str:
        """Return what the device is called that is addressed; empty where an address is all there is to say."""
        return ""

    def refusal_text(self, payload: bytes) -> str:
        """Return what an answer that refuses says, empty if that is not known."""
        return ""

    def line_bits(self, table: FrameTable) -> NDArray[np.float64] | None:
        """Return how many bits each frame takes on the line, float64 (n,); None where that is not known."""
        return None

    def exchange_of(self, key: KindKey) -> Exchange | None:
        """Return which registers a kind carries, None if none: a request that only asks."""
        return None


_WHOLE = re.compile(r"0x[0-9a-f]{5,16}", re.IGNORECASE)


def is_whole_number(text: str) -> bool:
    """Return whether an address of several parts is typed as the one number that packs them: a part has less digits."""
    return _WHOLE.fullmatch(text.strip()) is not None


def read_numbers(text: str, names: tuple[tuple[str, int], ...], example: str) -> list[int]:
    """Read numbers with strokes between them, each named with the largest that it may be; raises MisuseError."""
    parts = text.strip().split("/")
    if len(parts) != len(names) or not all(re.fullmatch(r"0x[0-9a-fA-F]+|\d+", part) for part in parts):
        words = "/".join(name for name, _ in names)
        raise MisuseError(f"{text[:40]!r} is not {words}.", hint=f"Write them like {example}.")
    numbers = [int(part, 0) for part in parts]
    for number, (name, most) in zip(numbers, names, strict=True):
        if number > most:
            raise MisuseError(f"there is no {name} {number}; {most} is the last one.")
    return numbers


def numbered(word: str, key: KindKey) -> str:
    """Return what kinds are called that have at most a number: ``telegrams``, ``telegrams 3``."""
    return f"{word} {key.address}" if key.address else word
