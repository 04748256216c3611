"""LIN: identifiers of 6 bits (ISO 17987-3)."""

from __future__ import annotations

from .protocol import Protocol

HIGHEST = 0x3F


class Lin(Protocol):
    """Frames of a LIN cluster, named by the identifier without its parity."""

    name, title = "lin", "LIN"
    address_title = "identifier"
    asks_way = False
    has_check = True

    def trouble_with(self, address: int, *, extended: bool = False) -> str:
        if address > HIGHEST:
            return f"{address:#x} is no identifier of LIN: they go to 0x{HIGHEST:X}."
        return super().trouble_with(address, extended=extended)


PROTOCOL = Lin()
