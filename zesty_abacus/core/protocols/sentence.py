"""Sentences of text that begin with what they are: the address is their first letters."""

from __future__ import annotations

from ..frames.kind_key import KindKey
from .protocol import Protocol


class Sentence(Protocol):
    """Lines such as ``$WIMWV,...*5A``."""

    name, title = "sentence", "sentences"
    has_check = True

    def kind_text(self, key: KindKey) -> str:
        head = key.address.to_bytes(8, "big").lstrip(b"\0")
        return "".join(chr(code) if 32 <= code < 127 else "·" for code in head) or "no sentence"


PROTOCOL = Sentence()
