"""Command and status words of a Manchester-coded bus: terminal and subaddress."""

from __future__ import annotations

from ..frames.flags import ANSWER
from ..frames.kind_key import KindKey
from .protocol import Protocol


class Words(Protocol):
    """Words of 16 bits with a sync of their own."""

    name, title = "words", "words"

    def kind_text(self, key: KindKey) -> str:
        if not key.address:
            return "words"
        if key.address >= 1 << 10:
            return f"words after sync {(key.address >> 10) + 1}"
        answer = " answer" if key.flags & ANSWER else ""
        return f"terminal {key.address >> 5} · {key.address & 31}{answer}"


PROTOCOL = Words()
