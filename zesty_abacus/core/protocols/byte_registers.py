"""Byte registers of I2C and SPI devices: the address packs device and first register.

A transfer that names no register, or continues from where nobody said, has :data:`NO_REGISTER` in its address.
"""

from __future__ import annotations

from ..frames.flags import READ
from ..frames.kind_key import KindKey
from .protocol import Exchange, Protocol, read_numbers
from .spaces import Space

NO_REGISTER = 1 << 32
_DEVICE = 0xFFFF
_HIGHEST = 0x3FF
"""Addresses of I2C have 7 or 10 bits."""


class ByteRegisters(Protocol):
    """Registers of one byte, read or written one after another."""

    name, title = "registers", "registers"
    ways = frozenset({"read"})
    address_example = "0x5A/0x10"

    def kind_text(self, key: KindKey) -> str:
        device = f"0x{self.device_of(key):02X}"
        if key.address & NO_REGISTER:
            return f"{device} read, nobody said where" if key.flags & READ else f"{device} no register"
        way = "read" if key.flags & READ else "write"
        return f"{device} {way} from 0x{key.address & 0xFFFF:02X}"

    def typed_address(self, address: int, *, extended: bool = False) -> str:
        return f"0x{address >> 16 & _DEVICE:02X}/0x{address & 0xFFFF:02X}"

    def read_address(self, text: str) -> tuple[int, bool]:
        device, first = read_numbers(text, (("device", _HIGHEST), ("register", 0xFFFF)), self.address_example)
        return device << 16 | first, False

    def device_text(self, key: KindKey) -> str:
        return f"device 0x{self.device_of(key):02X}"

    def device_of(self, key: KindKey) -> int:
        return key.address >> 16 & _DEVICE

    def exchange_of(self, key: KindKey) -> Exchange | None:
        if key.address & NO_REGISTER:
            return None
        return Exchange(self.device_of(key), Space.BYTES, key.address & 0xFFFF)


PROTOCOL = ByteRegisters()
