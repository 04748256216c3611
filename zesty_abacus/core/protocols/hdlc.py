"""Packets between flags (ISO 13239)."""

from __future__ import annotations

from ..frames.kind_key import KindKey
from .protocol import Protocol, numbered


class Hdlc(Protocol):
    """Packets between flags (ISO 13239)."""

    name, title = "hdlc", "HDLC"
    has_check = True

    def kind_text(self, key: KindKey) -> str:
        return numbered("packets", key)


PROTOCOL = Hdlc()
