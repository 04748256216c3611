"""Half bytes of a sensor on one wire (SAE J2716)."""

from __future__ import annotations

from ..frames.kind_key import KindKey
from .protocol import Protocol, numbered


class Nibbles(Protocol):
    """Frames of half bytes: the first one is the status, the others are data."""

    name, title = "nibbles", "half bytes (SAE J2716)"
    has_check = True

    def kind_text(self, key: KindKey) -> str:
        return numbered("frames", key)


PROTOCOL = Nibbles()
