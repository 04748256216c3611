"""Values of a CANopen device's dictionary: the address packs node, index and subindex."""

from __future__ import annotations

from ..frames.flags import ANSWER, EXCEPTION, READ
from ..frames.kind_key import KindKey
from .protocol import Protocol, is_whole_number, read_numbers

_LAST_NODE = 127
_TYPED = (("node", _LAST_NODE), ("index", 0xFFFF), ("subindex", 0xFF))


class Dictionary(Protocol):
    """Reads and writes of a dictionary, and what came back."""

    name, title = "sdo", "CANopen SDO"
    address_example = "3/0x1018/1"
    digits = 8
    ways = frozenset({"read", "answer"})

    def device_of(self, key: KindKey) -> int:
        return key.address >> 24

    def address_text(self, address: int, *, extended: bool = False) -> str:
        node, index, subindex = address >> 24, address >> 8 & 0xFFFF, address & 0xFF
        return f"{node}/0x{index:04X}/{subindex}" if node <= _LAST_NODE else self.hex_text(address)

    def read_address(self, text: str, *, was: bool = False) -> tuple[int, bool]:
        if is_whole_number(text):
            return super().read_address(text)
        node, index, subindex = read_numbers(text, _TYPED, self.address_example)
        return node << 24 | index << 8 | subindex, False

    def kind_text(self, key: KindKey) -> str:
        return f"{self.device_of(key)} · {self.text_at_device(key)}"

    def text_at_device(self, key: KindKey) -> str:
        way = "read" if key.flags & READ else "write"
        end = " refused" if key.flags & EXCEPTION else " answer" if key.flags & ANSWER else ""
        return f"{key.address >> 8 & 0xFFFF:04X}.{key.address & 0xFF:02X} {way}{end}"

    def refusal_text(self, payload: bytes) -> str:
        return f"refused with code {int.from_bytes(payload[:4], 'little'):08X}" if len(payload) >= 4 else ""


PROTOCOL = Dictionary()
