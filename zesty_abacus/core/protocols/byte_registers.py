"""Byte registers of I2C and SPI devices: the address packs device and first register.

A transfer that names no register, or continues from where nobody said, has :data:`NO_REGISTER` in its address.
"""

from __future__ import annotations

from ..frames.flags import READ
from ..frames.kind_key import KindKey
from .protocol import Exchange, Protocol, is_whole_number, read_numbers
from .spaces import Space

NO_REGISTER = 1 << 32
_DEVICE, _REGISTER = 0xFFFF, 0xFFFF
_HIGHEST = 0x3FF
"""Addresses of I2C have 7 or 10 bits."""
_NONE = "none"
"""What is typed for a register where nobody said one."""


class ByteRegisters(Protocol):
    """Registers of one byte, read or written one after another."""

    name, title = "registers", "registers"
    ways = frozenset({"read"})
    address_example = "0x5A/0x10"
    digits = 8

    def kind_text(self, key: KindKey) -> str:
        return f"0x{self.device_of(key):02X} {self.text_at_device(key)}"

    def text_at_device(self, key: KindKey) -> str:
        if key.address & NO_REGISTER:
            return "read, nobody said where" if key.flags & READ else "no register"
        way = "read" if key.flags & READ else "write"
        return f"{way} from 0x{key.address & _REGISTER:02X}"

    def address_text(self, address: int, *, extended: bool = False) -> str:
        device, register = address >> 16 & _DEVICE, address & _REGISTER
        if device <= _HIGHEST and address == device << 16 | register:
            return f"0x{device:02X}/0x{register:02X}"
        if device <= _HIGHEST and address == NO_REGISTER | device << 16:
            return f"0x{device:02X}/{_NONE}"
        return self.hex_text(address)

    def read_address(self, text: str, *, was: bool = False) -> tuple[int, bool]:
        if is_whole_number(text):
            return super().read_address(text)
        device_text, stroke, first_text = text.strip().partition("/")
        is_without = first_text == _NONE
        typed = f"{device_text}{stroke}{'0' if is_without else first_text}"
        device, first = read_numbers(typed, (("device", _HIGHEST), ("register", _REGISTER)), self.address_example)
        return device << 16 | first | (NO_REGISTER if is_without else 0), False

    def device_text(self, key: KindKey) -> str:
        return f"device 0x{self.device_of(key):02X}"

    def device_of(self, key: KindKey) -> int:
        return key.address >> 16 & _DEVICE

    def exchange_of(self, key: KindKey) -> Exchange | None:
        if key.address & NO_REGISTER:
            return None
        return Exchange(self.device_of(key), Space.BYTES, key.address & _REGISTER)


PROTOCOL = ByteRegisters()
