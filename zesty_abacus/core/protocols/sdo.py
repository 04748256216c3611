"""Values of a CANopen device's dictionary: the address packs node, index and subindex."""

from __future__ import annotations

from ..frames.flags import ANSWER, EXCEPTION, READ
from ..frames.kind_key import KindKey
from .protocol import Protocol


class Dictionary(Protocol):
    """Reads and writes of a dictionary, and what came back."""

    name, title = "sdo", "CANopen SDO"
    digits = 8
    ways = frozenset({"read", "answer"})

    def device_of(self, key: KindKey) -> int:
        return key.address >> 24

    def kind_text(self, key: KindKey) -> str:
        way = "read" if key.flags & READ else "write"
        end = " refused" if key.flags & EXCEPTION else " answer" if key.flags & ANSWER else ""
        return f"{key.address >> 24} · {key.address >> 8 & 0xFFFF:04X}.{key.address & 0xFF:02X} {way}{end}"

    def refusal_text(self, payload: bytes) -> str:
        return f"refused with code {int.from_bytes(payload[:4], 'little'):08X}" if len(payload) >= 4 else ""


PROTOCOL = Dictionary()
