"""SPI: no addresses; the two data lines tell kinds apart."""

from __future__ import annotations

from ..frames.kind_key import KindKey
from .protocol import Protocol


class Spi(Protocol):
    """Transfers under one select."""

    name, title = "spi", "SPI"
    answers_at_once = True
    ways = frozenset({"answer"})

    def kind_text(self, key: KindKey) -> str:
        return "from device" if key.address else "to device"


PROTOCOL = Spi()
