"""Command and status words of a Manchester-coded bus: terminal and subaddress."""

from __future__ import annotations

from ..frames.flags import ANSWER
from ..frames.kind_key import KindKey
from .protocol import Protocol, read_numbers

_LAST, _BEYOND_TERMINALS = 31, 1 << 10


class Words(Protocol):
    """Words of 16 bits with a sync of their own."""

    name, title = "words", "words"
    address_example = "5/3"

    def kind_text(self, key: KindKey) -> str:
        if not key.address:
            return "words"
        if key.address >= _BEYOND_TERMINALS:
            return f"words after sync {(key.address >> 10) + 1}"
        answer = " answer" if key.flags & ANSWER else ""
        return f"terminal {key.address >> 5} · {key.address & _LAST}{answer}"

    def address_text(self, address: int, *, extended: bool = False) -> str:
        return f"{address >> 5}/{address & _LAST}" if 0 < address < _BEYOND_TERMINALS else self.hex_text(address)

    def read_address(self, text: str, *, was: bool = False) -> tuple[int, bool]:
        if "/" not in text:
            return super().read_address(text)
        terminal, below = read_numbers(text, (("terminal", _LAST), ("subaddress", _LAST)), self.address_example)
        return terminal << 5 | below, False


PROTOCOL = Words()
