"""Byte registers of I2C and SPI devices: the address packs device and first register."""

from __future__ import annotations

from ..frames.flags import READ
from ..frames.kind_key import KindKey
from .protocol import Exchange, Protocol
from .spaces import Space


class ByteRegisters(Protocol):
    """Registers of one byte, read or written one after another."""

    name, title = "registers", "registers"
    ways = frozenset({"read"})

    def kind_text(self, key: KindKey) -> str:
        way = "read" if key.flags & READ else "write"
        return f"0x{key.address >> 16:02X} {way} from 0x{key.address & 0xFFFF:02X}"

    def device_of(self, key: KindKey) -> int:
        return key.address >> 16

    def exchange_of(self, key: KindKey) -> Exchange | None:
        return Exchange(key.address >> 16, Space.BYTES, key.address & 0xFFFF)


PROTOCOL = ByteRegisters()
