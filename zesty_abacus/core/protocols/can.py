"""CAN: identifiers of 11 or 29 bits (ISO 11898-1)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..frames.kind_key import KindKey
from ..frames.table import FrameTable
from .groups import is_by_parts, parts_text, read_parts
from .protocol import Protocol

NAME = "can"
DATA_SIZES = (*range(9), 12, 16, 20, 24, 32, 48, 64)
"""Bytes of data by the length code of a frame (ISO 11898-1:2015, 10.4.2.4); a classic one has the first nine."""
CRC_15, CRC_17, CRC_21 = (15, 0x4599, 0), (17, 0x1685B, 1 << 16), (21, 0x102899, 1 << 20)
"""Width, polynomial and start of the checks: of classic frames, of long ones, of those with more than
:data:`MOST_OF_CRC_17` bytes. The long ones begin with a one, so that leading zeros count."""
MOST_OF_CRC_17 = 16
_BASE, _EXTENDED = 0x7FF, 0x1FFF_FFFF


class Can(Protocol):
    """Frames of a CAN bus, classical or FD."""

    name, title = NAME, "CAN"
    address_title = "identifier"
    address_example = "0x1A0"
    digits = 3
    largest_payload = 64
    payload_title = "CAN payload"
    asks_way = False

    def kind_text(self, key: KindKey) -> str:
        return self.address_text(key.address, extended=key.extended)

    def digits_of(self, extended: bool) -> int:
        return 8 if extended else 3

    def masked_text(self, address: int, mask: int, *, extended: bool = False) -> str:
        by_parts = parts_text(address, mask) if extended else ""
        return by_parts or super().masked_text(address, mask, extended=extended)

    def read_masked(self, text: str) -> tuple[int, int] | None:
        return read_parts(text) if is_by_parts(text) else None

    def is_extended(self, address: int, digits: int, *, was: bool = False) -> bool:
        # 0x100 alone says nothing, 0x00000100 does: that is how a 29-bit identifier below 0x800 is written
        return was if address <= _BASE and digits == 3 else digits > 3

    def trouble_with(self, address: int, *, extended: bool = False) -> str:
        highest = _EXTENDED if extended else _BASE
        if 0 <= address <= highest:
            return ""
        return f"{address:#x} is not a {29 if extended else 11}-bit identifier (0 to {highest:#x})."

    def line_bits(self, table: FrameTable) -> NDArray[np.float64]:
        from .can_bits import frame_bits  # compiled code takes time to load, and hardly anybody asks for it

        return frame_bits(table)

    def asks_for(self, key: KindKey, *, extended: bool, way: str) -> bool:
        return key.extended == extended and (not way or super().asks_for(key, extended=extended, way=way))


PROTOCOL = Can()
