"""Modbus: the address packs unit, function and first register (Modbus Application Protocol V1.1b3)."""

from __future__ import annotations

from ..frames.flags import ANSWER, EXCEPTION
from ..frames.kind_key import KindKey
from .protocol import Exchange, Protocol, is_whole_number, read_numbers
from .spaces import Space

NAME = "modbus"
_LAST_READING_FUNCTION = 4
_WORDS = {
    1: "coils", 2: "inputs", 3: "holding", 4: "input registers", 5: "coil", 6: "register", 15: "coils",
    16: "registers", 22: "mask", 23: "read and write",
}  # fmt: skip

_REFUSALS = {
    1: "illegal function", 2: "illegal address", 3: "illegal value", 4: "device failure", 5: "acknowledged, busy",
    6: "device busy", 8: "memory parity error", 10: "gateway path unavailable", 11: "gateway target silent",
}  # fmt: skip


_LAST_FUNCTION = 127
_TYPED = (("unit", 255), ("function", _LAST_FUNCTION), ("register", 0xFFFF))


def address_of(unit: int, function: int, register: int) -> int:
    """Return unit, function and first register as one address."""
    return unit << 24 | function << 16 | register


def address_parts(address: int) -> tuple[int, int, int]:
    """Return (unit, function, first register) of an address."""
    return address >> 24 & 0xFF, address >> 16 & 0xFF, address & 0xFFFF


class Modbus(Protocol):
    """Requests and answers of Modbus, on a serial line or a network."""

    name, title = NAME, "Modbus"
    ways = frozenset({"read", "answer"})
    address_example = "1/3/0"
    digits = 8

    def address_text(self, address: int, *, extended: bool = False) -> str:
        parts = address_parts(address)
        says_all = address_of(*parts) == address and parts[1] <= _LAST_FUNCTION
        return "/".join(map(str, parts)) if says_all else self.hex_text(address)

    def read_address(self, text: str, *, was: bool = False) -> tuple[int, bool]:
        if is_whole_number(text):
            return super().read_address(text)
        unit, function, first = read_numbers(text, _TYPED, self.address_example)
        return address_of(unit, function, first), False

    def device_text(self, key: KindKey) -> str:
        return f"unit {self.device_of(key)}"

    def device_of(self, key: KindKey) -> int:
        return address_parts(key.address)[0]

    def kind_text(self, key: KindKey) -> str:
        return f"{self.device_of(key)} · {self.text_at_device(key)}"

    def text_at_device(self, key: KindKey) -> str:
        _, function, register = address_parts(key.address)
        way = "refused" if key.flags & EXCEPTION else "answer" if key.flags & ANSWER else "request"
        return f"{_WORDS.get(function, f'function {function}')} {register} {way}"

    def exchange_of(self, key: KindKey) -> Exchange | None:
        unit, function, register = address_parts(key.address)
        # of a function that reads, the answer carries the registers; of one that writes, the request
        carries = bool(key.flags & ANSWER) == (function <= _LAST_READING_FUNCTION)
        space = next((space for space in Space if function in space.functions), None)
        return Exchange(unit, space, register) if carries and space is not None else None

    def refusal_text(self, payload: bytes) -> str:
        return _REFUSALS.get(payload[0], f"exception {payload[0]}") if payload else ""


PROTOCOL = Modbus()
