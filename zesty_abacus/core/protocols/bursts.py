"""Bursts of bits, by radio or on a line: told apart by how many bits they have."""

from __future__ import annotations

import re

from .protocol import Protocol


class Bursts(Protocol):
    """Runs of bits between pauses."""

    name, title = "bursts", "bursts"

    address_title = "length"
    address_example = "26 bits"

    def address_text(self, address: int, *, extended: bool = False) -> str:
        return f"{address} bits"

    def read_address(self, text: str, *, was: bool = False) -> tuple[int, bool]:
        match = re.fullmatch(r"([0-9]{1,19})( ?bits)?", text.strip())
        return super().read_address(f"0x{int(match[1]):X}" if match is not None else text)


PROTOCOL = Bursts()
