"""Words of bits that begin with a label: each label is a kind of its own."""

from __future__ import annotations

from ..frames.kind_key import KindKey
from .protocol import Protocol


class BitWords(Protocol):
    """Words on a line of three levels."""

    name, title = "bit words", "labelled words"
    address_title = "label"
    asks_way = False
    has_check = True

    def kind_text(self, key: KindKey) -> str:
        # labels are written in octal where they are listed, and in hex where bytes are
        return f"label 0x{key.address:02X} (octal {key.address:03o})"


PROTOCOL = BitWords()
