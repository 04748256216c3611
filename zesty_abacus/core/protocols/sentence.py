"""Sentences of text that begin with what they are: the address is their first letters."""

from __future__ import annotations

import re

from ..errors import MisuseError
from ..frames.kind_key import KindKey
from .protocol import Protocol

_MOST_LETTERS = 8
_LETTERS = re.compile(rb"[!-~]+")


class Sentence(Protocol):
    """Lines such as ``$WIMWV,...*5A``."""

    name, title = "sentence", "sentences"
    address_title = "sentence"
    address_example = "YZHDT"
    has_check = True
    may_be_text = True

    def kind_text(self, key: KindKey) -> str:
        return "".join(chr(code) if 32 <= code < 127 else "·" for code in _head(key.address)) or "no sentence"

    def address_text(self, address: int, *, extended: bool = False) -> str:
        head = _head(address)
        is_plain = _LETTERS.fullmatch(head) is not None and not head.lower().startswith(b"0x")
        return head.decode("ascii") if is_plain else self.hex_text(address)

    def read_address(self, text: str, *, was: bool = False) -> tuple[int, bool]:
        typed = text.strip()
        if typed.lower().startswith("0x"):
            return super().read_address(typed)
        if not typed.isascii() or _LETTERS.fullmatch(typed.encode("ascii")) is None:
            raise MisuseError(
                f"{text[:40]!r} is no {self.address_title}.", hint=f"Write it like {self.address_example}."
            )
        if len(typed) > _MOST_LETTERS:
            raise MisuseError(f"{text[:40]!r} has more than {_MOST_LETTERS} letters.")
        return int.from_bytes(typed.encode("ascii"), "big"), False


def _head(address: int) -> bytes:
    return address.to_bytes(_MOST_LETTERS, "big").lstrip(b"\0")


PROTOCOL = Sentence()
